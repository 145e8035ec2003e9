package coverage

import (
	"fmt"
	"slices"
	"testing"

	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// A line that is laid out again after edits of zones is the line laid out anew.
func TestALineLaidOutAgainIsTheLineLaidOutAnew(t *testing.T) {
	entry := rapid.Custom(func(t *rapid.T) postcode.Entry {
		at := rapid.IntRange(0, 60).Draw(t, "at")
		text := fmt.Sprintf("%05d", at)
		switch rapid.IntRange(0, 4).Draw(t, "kind") {
		case 0:
			text = fmt.Sprintf("%05d to %05d", at, at+rapid.IntRange(1, 30).Draw(t, "long"))
		case 1:
			text = fmt.Sprintf("%04d*", at/10)
		}
		e, err := postcode.ParseEntry("FI", text)
		require.NoError(t, err)
		return e
	})
	rapid.Check(t, func(t *rapid.T) {
		f := &store.File{Format: store.Format, Store: store.Settings{Currency: "EUR"}}
		for i := range rapid.IntRange(2, 5).Draw(t, "zones") {
			z := store.Zone{ID: fmt.Sprint("z", i), Enabled: true, Places: []place.Rule{{Country: "FI",
				Postcodes: rapid.SliceOfN(entry, 1, 5).Draw(t, "entries")}}}
			switch rapid.IntRange(0, 4).Draw(t, "more") {
			case 0:
				z.Places = append(z.Places, place.Rule{Country: "FI"})
			case 1:
				z.Places = append(z.Places, place.Rule{World: true})
			case 2:
				rank := int64(rapid.IntRange(0, 2).Draw(t, "rank"))
				z.Rank = &rank
			}
			f.Zones = append(f.Zones, z)
		}
		parts := f.Split()
		e := quote.Compile(f, nil)
		m := Of(e)
		for range rapid.IntRange(1, 6).Draw(t, "edits") {
			m.Line("FI", "") // is looked at
			next := f.Clone()
			z := &next.Zones[rapid.IntRange(0, len(next.Zones)-1).Draw(t, "zone")]
			rules := &z.Places
			if rapid.IntRange(0, 3).Draw(t, "except") == 0 {
				rules = &z.Except
			}
			switch rapid.IntRange(0, 5).Draw(t, "edit") {
			case 0:
				z.Enabled = !z.Enabled
			case 1:
				*rules = append(*rules, place.Rule{Country: "FI"})
			case 2:
				if len(*rules) > 0 && len((*rules)[0].Postcodes) > 1 {
					r := &(*rules)[0]
					r.Postcodes = slices.Delete(slices.Clone(r.Postcodes), 0, 1)
				}
			default:
				*rules = place.Join(*rules, place.Rule{Country: "FI", Postcodes: []postcode.Entry{entry.Draw(t, "entry")}})
			}
			now, faults := next.SplitAgain(f, parts)
			require.Empty(t, faults)
			engine := quote.CompileAfter(next, now, e, parts)
			after := After(engine, m)
			anew := Of(quote.Compile(next, nil)).Line("FI", "")
			is := after.Line("FI", "")
			require.Equal(t, len(anew.Stretches), len(is.Stretches))
			for i := range anew.Stretches {
				a, b := &anew.Stretches[i], &is.Stretches[i]
				require.Equal(t, [3]any{a.From, a.To, a.Listed}, [3]any{b.From, b.To, b.Listed})
				require.True(t, after.alike(a.Zones, b.Zones), "%v", a.From)
			}
			f, parts, e, m = next, now, engine, after
		}
	})
}
