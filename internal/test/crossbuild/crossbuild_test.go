package crossbuild

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"runtime/debug"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/go/packages"
)

// The program and all that it is made of is type-checked for each platform, its own functions with their bodies: all
// that a compiler may refuse, without the minutes that code for five other platforms takes. make cross builds them
// for good.
func TestTheProgramCompilesOnEveryPlatform(t *testing.T) {
	defer debug.SetGCPercent(debug.SetGCPercent(400)) // it is over soon
	parsed := files{fset: token.NewFileSet()}
	for _, platform := range []string{
		"linux/amd64", "linux/arm64", "darwin/amd64", "darwin/arm64", "windows/amd64", "windows/arm64",
	} {
		system, processor, _ := strings.Cut(platform, "/")
		list, err := packages.Load(&packages.Config{
			Fset: parsed.fset,
			Mode: packages.NeedName | packages.NeedImports | packages.NeedDeps | packages.NeedTypes |
				packages.NeedSyntax | packages.NeedTypesInfo,
			Env:       append(os.Environ(), "GOOS="+system, "GOARCH="+processor, "CGO_ENABLED=0"),
			ParseFile: parsed.parse,
		}, "diadrom/cmd/diadrom")
		require.NoError(t, err, platform)
		checked := 0
		packages.Visit(list, nil, func(p *packages.Package) {
			if !strings.HasPrefix(p.PkgPath, "diadrom/") {
				return
			}
			checked++
			for _, e := range p.Errors {
				assert.Fail(t, "it does not compile", "%s, %s: %v", platform, p.PkgPath, e)
			}
		})
		assert.Greater(t, checked, 30, platform)
	}
}

// files are what was parsed: most of it is the same on all platforms.
type files struct {
	fset *token.FileSet
	of   sync.Map // of names to *ast.File
}

// parse leaves out the bodies of functions that are not ours.
func (p *files) parse(fset *token.FileSet, name string, src []byte) (*ast.File, error) {
	if f, ok := p.of.Load(name); ok {
		return f.(*ast.File), nil
	}
	f, err := parseOnce(fset, name, src)
	if err == nil {
		p.of.Store(name, f)
	}
	return f, err
}

func parseOnce(fset *token.FileSet, name string, src []byte) (*ast.File, error) {
	f, err := parser.ParseFile(fset, name, src, parser.SkipObjectResolution)
	if f == nil || strings.Contains(name, "/internal/") && !foreign(name) || strings.Contains(name, "/cmd/diadrom/") {
		return f, err
	}
	for _, d := range f.Decls {
		if fn, ok := d.(*ast.FuncDecl); ok {
			fn.Body = nil
		}
	}
	return f, err
}

// foreign says whether a file is of Go itself or of a module.
func foreign(name string) bool {
	here, err := os.Getwd() // internal/test/crossbuild
	return err != nil || !strings.HasPrefix(name, strings.TrimSuffix(here, "internal/test/crossbuild"))
}
