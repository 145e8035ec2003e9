package architecture

import (
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// floors are the packages of internal by where they stand: a package imports those of its own floor and of the
// floors below.
var floors = [][]string{
	{ // The core: rules and computation, without HTTP, SQL or HTML.
		"exact",
		"fault",
		"jsonread",
		"oneline",
		"world",
		"postcode",
		"geodesic",
		"gazetteer",
		"measure",
		"place",
		"coverage",
		"calendar",
		"rate",
		"charge",
		"store",
		"terms",
		"quote",
		"promise",
		"policy",
		"findings",
		"changes",
		"compare",
		"sheet",
		"zonelist",
		"productlist",
		"ratelist",
		"edit",
		"auth",
	},
	{"storage"},
	{"draft", "importer", "samples", "demo"},
	{"api"},
	{"screen"},
}

// tests are packages that only tests import.
var tests = []string{"storetest", "browser", "architecture"}

// foreign are standard packages that the core does without.
var foreign = []string{"net/http", "html", "html/template", "database/sql"}

func floorOf(name string) int {
	return slices.IndexFunc(floors, func(floor []string) bool { return slices.Contains(floor, name) })
}

func TestArrowsGoDown(t *testing.T) {
	folders, err := os.ReadDir("..")
	require.NoError(t, err)
	for _, folder := range folders {
		name := folder.Name()
		if slices.Contains(tests, name) {
			continue
		}
		floor := floorOf(name)
		require.NotEqual(
			t,
			-1,
			floor,
			"the package %s stands on no floor: say on which, here and in docs/architecture.md",
			name,
		)
		files, err := filepath.Glob(filepath.Join("..", name, "*.go"))
		require.NoError(t, err)
		for _, file := range files {
			if strings.HasSuffix(file, "_test.go") {
				continue
			}
			parsed, err := parser.ParseFile(token.NewFileSet(), file, nil, parser.ImportsOnly)
			require.NoError(t, err)
			for _, spec := range parsed.Imports {
				path, err := strconv.Unquote(spec.Path.Value)
				require.NoError(t, err)
				if floor == 0 {
					assert.NotContains(t, foreign, path, "%s: the core has no HTTP, SQL or HTML", file)
					assert.False(t, strings.HasPrefix(path, "github.com/gin-gonic/"), file)
				}
				if imported, ok := strings.CutPrefix(path, "diadrom/internal/"); ok {
					to := floorOf(imported)
					assert.True(
						t,
						to >= 0 && to <= floor,
						"%s imports %s, which stands above it or is for tests",
						file,
						imported,
					)
				}
			}
		}
	}
}
