package screen

import (
	"testing"

	"diadrom/internal/changes"
	"diadrom/internal/storage"

	"github.com/stretchr/testify/assert"
)

func TestWhoMadeAChange(t *testing.T) {
	edit := func(revision int64, kind string, keys ...string) storage.Remembered {
		return storage.Remembered{Revision: revision, Kind: kind, Keys: keys}
	}
	m := makersOf([]storage.Remembered{ // the last one first
		edit(9, storage.EditUndone, "methods/a/name"),
		edit(8, storage.EditDone, "methods/a/tables/t/cells/2/fi"),
		edit(7, storage.EditTurn, "methods/a/label"),
		edit(6, storage.EditDone, "methods/ab/name", "zones/fi"),
		edit(5, storage.EditDone, "methods/a/label", "methods/a/name"),
		edit(4, storage.EditDone, storage.AnyKey),
		edit(3, storage.EditDone, "store/name"),
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
