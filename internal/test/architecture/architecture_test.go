package architecture

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// floors are the folders of internal from the ground up: a package imports those of its own folder and of the floors
// below. A floor of several folders has them beside one another: they do not import each other.
var floors = [][]string{
	{"core"}, // rules and computation
	{"tables", "review", "auth"},
	{"edit"},
	{"sqlite", "outside"},
	{"shop"},
	{"web"},
}

// pure are the floors without HTTP, SQL or HTML.
const pure = 3

// within are the parts of web from the ground up: a station imports no other station, but for those named here.
var within = [][]string{
	{"api", "assets", "metrics", "widget"},
	{"shell", "visitor"},
	{"upload", "strip", "signin", "till", "shifts", "overlaps"},
	{"setup", "zones", "ground", "products", "methods", "carriers", "rates", "quotes", "checkout", "review",
		"past", "safety", "languages", "find", "webhooks"},
	{"promises"},
	{"live", "defaults"},
	{"."},
}

// foreign are packages that the core does without.
var foreign = []string{"net/http", "html", "html/template", "database/sql", "github.com/gin-gonic/gin"}

func floorOf(folder string, floors [][]string) int {
	return slices.IndexFunc(floors, func(floor []string) bool { return slices.Contains(floor, folder) })
}

// allowed says whether a package may import another, both by their paths within internal.
func allowed(from, to string) bool {
	a, inA, _ := strings.Cut(from, "/")
	b, inB, _ := strings.Cut(to, "/")
	if a != b {
		return floorOf(b, floors) >= 0 && floorOf(b, floors) < floorOf(a, floors)
	}
	if a != "web" {
		return true
	}
	if inA == "" {
		inA = "."
	}
	return floorOf(inB, within) >= 0 && floorOf(inB, within) < floorOf(inA, within)
}

func TestArrowsGoDown(t *testing.T) {
	require.NoError(t, filepath.WalkDir("../..", func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		from, err := filepath.Rel("../..", filepath.Dir(path))
		if err != nil {
			return err
		}
		from = filepath.ToSlash(from)
		folder, _, _ := strings.Cut(from, "/")
		if folder == "test" { // what only tests import
			return nil
		}
		floor := floorOf(folder, floors)
		require.NotEqual(t, -1, floor, "%s stands on no floor: say on which, here and in docs/architecture.md", from)
		parsed, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		require.NoError(t, err)
		for _, spec := range parsed.Imports {
			name, err := strconv.Unquote(spec.Path.Value)
			require.NoError(t, err)
			if floor < pure {
				assert.NotContains(t, foreign, name, "%s: there is no HTTP, SQL or HTML here", path)
			}
			if to, ok := strings.CutPrefix(name, "diadrom/internal/"); ok {
				assert.True(t, allowed(from, to), "%s imports %s, which stands above it, beside it, or is for tests",
					path, to)
			}
		}
		return nil
	}))
}

func TestTheRulesOfImports(t *testing.T) {
	for _, tt := range []struct {
		from, to string
		want     bool
	}{
		{"core/quote", "core/rate", true},
		{"core/quote", "sqlite", false},
		{"edit", "core/store", true},
		{"review/changes", "edit", false},
		{"sqlite", "core/store", true},
		{"shop/draft", "sqlite", true},
		{"shop/draft", "web/shell", false},
		{"web/zones", "web/shell", true},
		{"web/zones", "web/rates", false},
		{"web/shell", "web/till", false},
		{"web", "web/zones", true},
		{"web/zones", "test/storetest", false},
	} {
		assert.Equal(t, tt.want, allowed(tt.from, tt.to), "%s imports %s", tt.from, tt.to)
	}
}
