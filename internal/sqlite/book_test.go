package sqlite

import (
	"testing"

	"diadrom/internal/core/place"
	"diadrom/internal/tables/addresslist"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAnAddressBookIsFoundByName(t *testing.T) {
	db := opened(t, t.TempDir())
	ctx := t.Context()
	inn := addresslist.Entry{Name: "Åland Inn", Customer: "C-7", Address: place.Address{Country: "AX",
		Postcode: "22100"}}
	require.NoError(t, db.SaveBook(ctx, []addresslist.Entry{inn, {Name: "The Inn"}, {Name: "100 % Linen"}}))
	for find, want := range map[string][]string{
		"aland": {"Åland Inn"}, "inn": {"Åland Inn", "The Inn"}, "c-7": {"Åland Inn"}, "%": {"100 % Linen"}, "_": nil,
		"": {"100 % Linen", "Åland Inn", "The Inn"}, "the": {"The Inn"},
	} {
		list, total, err := db.Book(ctx, find, 0)
		require.NoError(t, err)
		var names []string
		for _, e := range list {
			names = append(names, e.Name)
		}
		assert.Equal(t, want, names, find)
		assert.Equal(t, len(want), total)
	}
	got, ok, err := db.BookEntry(ctx, "ALAND INN")
	require.NoError(t, err)
	require.True(t, ok)
	assert.Equal(t, inn, got)
	got.Address.Postcode = "22120"
	require.NoError(t, db.SaveBook(ctx, []addresslist.Entry{got}), "the same name is the same entry")
	assert.ErrorIs(t, db.ReplaceInBook(ctx, "The Inn", got), ErrConflict, "another has that name")
	got.Name = "Ahvenanmaa Inn"
	require.NoError(t, db.ReplaceInBook(ctx, "Åland Inn", got))
	assert.ErrorIs(t, db.ReplaceInBook(ctx, "Åland Inn", got), ErrConflict, "it is gone")
	require.NoError(t, db.RemoveFromBook(ctx, "the inn"))
	_, total, err := db.Book(ctx, "", 1)
	require.NoError(t, err)
	assert.Equal(t, 2, total)
}
