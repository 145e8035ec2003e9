package store

import (
	"fmt"
	"os"
	"slices"
	"sync/atomic"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/rate"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func lauha(t require.TestingT) *File {
	data, err := os.ReadFile("../../shop/demo/data/store.json")
	require.NoError(t, err)
	f, faults := Read(data)
	require.Empty(t, faults)
	return f
}

var newProducts atomic.Int64

// scramble makes a few changes that an owner could make.
func scramble(t *rapid.T, f *File) {
	for range rapid.IntRange(1, 6).Draw(t, "changes") {
		i := rapid.IntRange(0, len(f.Products)-1).Draw(t, "product")
		switch rapid.IntRange(0, 7).Draw(t, "change") {
		case 0:
			f.Products = slices.Delete(f.Products, i, i+1)
		case 1:
			f.Products = slices.Insert(
				f.Products,
				i,
				Product{SKU: fmt.Sprintf("NEW-%d", newProducts.Add(1)), NeedsShipping: true, Price: decimal.One},
			)
		case 2:
			f.Products[i].Name += "!"
		case 3:
			j := rapid.IntRange(0, len(f.Products)-1).Draw(t, "other")
			f.Products[i], f.Products[j] = f.Products[j], f.Products[i]
		case 4:
			f.Store.Name += "!"
		case 5:
			z := &f.Zones[rapid.IntRange(0, len(f.Zones)-1).Draw(t, "zone")]
			z.Places = append(z.Places, place.Rule{Country: "NO"})
		case 6:
			m := &f.Methods[0]
			d := decimal.MustParse("77")
			m.Tables[0].Rows[0].Charges[0] = &rate.Charge{Base: &d}
		case 7:
			f.Products[i].Weight = nil
		}
		if len(f.Products) == 0 {
			f.Products = append(f.Products, Product{SKU: "LAST", NeedsShipping: true})
		}
	}
}

func TestChangesTellTwoStatesApartAndLeadBack(t *testing.T) {
	first := lauha(t)
	rapid.Check(t, func(t *rapid.T) {
		before := first.Clone()
		scramble(t, before)
		was := before.Split()
		after := before.Clone()
		original := string(before.Write())
		scramble(t, after)
		require.Equal(t, original, string(before.Write()), "a clone shares nothing that changes")
		is, faults := after.SplitAgain(before, was)
		require.Empty(t, faults)
		assert.Equal(t, after.Split().Lists, is.Lists)
		changes := is.Changes(was)
		trimmed := make([]Trimmed, len(changes))
		for i := range changes {
			trimmed[i] = changes[i].Trim()
		}
		back, faults := is.Revert(after, trimmed)
		require.Empty(t, faults)
		assert.Equal(t, original, string(back.Write()))
		for i := range trimmed {
			trimmed[i] = trimmed[i].Inverse()
		}
		forth, faults := was.Revert(before, trimmed)
		require.Empty(t, faults)
		assert.Equal(t, string(after.Write()), string(forth.Write()), "and forth again")
		joined, faults := is.Join()
		require.Empty(t, faults)
		assert.Equal(t, string(after.Write()), string(joined.Write()))
		if original == string(after.Write()) {
			assert.Empty(t, changes)
		}
	})
}

func TestOnlyWhatChangedIsReadAgain(t *testing.T) {
	before := lauha(t)
	was := before.Split()
	after := before.Clone()
	after.Products[3].Class = "no-such-class"
	after.Zones[0].Name = "Round"
	_, faults := after.SplitAgain(before, was)
	require.Len(t, faults, 1)
	assert.Equal(t, "/products/3/class", faults[0].Path)
	after.Products[3].Class = ""
	is, faults := after.SplitAgain(before, was)
	require.Empty(t, faults)
	assert.Same(
		t,
		&was.Lists["methods"][0].Body[0],
		&is.Lists["methods"][0].Body[0],
		"what is the same is taken over",
	)
	assert.Len(t, is.Changes(was), 2)
}
