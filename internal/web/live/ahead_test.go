package live

import (
	"testing"

	"diadrom/internal/review/changes"
	"diadrom/internal/sqlite"

	"github.com/stretchr/testify/assert"
)

func TestWhoMadeAChange(t *testing.T) {
	edit := func(revision int64, kind string, keys ...string) sqlite.Remembered {
		return sqlite.Remembered{Revision: revision, Kind: kind, Keys: keys}
	}
	m := makersOf([]sqlite.Remembered{ // the last one first
		edit(9, sqlite.EditUndone, "methods/a/name"),
		edit(8, sqlite.EditDone, "methods/a/tables/t/cells/2/fi"),
		edit(7, sqlite.EditTurn, "methods/a/label"),
		edit(6, sqlite.EditDone, "methods/ab/name", "zones/fi"),
		edit(5, sqlite.EditDone, "methods/a/label", "methods/a/name"),
		edit(4, sqlite.EditDone, sqlite.AnyKey),
		edit(3, sqlite.EditDone, "store/name"),
	})
	for key, want := range map[string]int64{
		"methods/a/name":                5, // what was undone does not count
		"methods/a/label":               5, // nor what undoes
		"methods/a/tables/t/cells/2/fi": 8,
		"methods/a/tables/t":            8, // a part of it was changed last
		"methods/ab/name":               6,
		"methods/abc":                   4, // perhaps by that of which only is known that it changed much
		"zones/fi/places":               6, // it was made by that
		"store/name":                    4,
	} {
		assert.Equal(t, want, m.of(&changes.Change{Key: key}).Revision, key)
	}
	none := makersOf(nil)
	assert.Nil(t, none.of(&changes.Change{Key: "x/y"}))
}
