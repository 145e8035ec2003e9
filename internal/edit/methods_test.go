package edit_test

import (
	"strings"
	"testing"

	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/edit"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func order(f *store.File) string {
	ids := make([]string, len(f.Methods))
	for i := range f.Methods {
		ids[i] = f.Methods[i].ID
	}
	return strings.Join(ids, " ")
}

// methods is a shop with methods of these ids.
func methods(t require.TestingT, ids ...string) *store.File {
	f, m, _ := shop(t, rate.ByWeight, rate.UpTo, "2 | 4.90")
	f.Methods = nil
	for _, id := range ids {
		other := *m
		other.ID, other.Name = id, strings.ToUpper(id)
		f.Methods = append(f.Methods, other)
	}
	f.Costs = nil
	return f
}

func TestANewMethodOffersNothingAnywhereYet(t *testing.T) {
	f := methods(t)
	require.ErrorContains(t, edit.AddMethod(f, " ", rate.ByWeight, ""), "a name is needed")
	require.ErrorContains(
		t,
		edit.AddMethod(f, strings.Repeat("x", 81), rate.ByWeight, ""),
		"at most 80 letters; this has 81",
	)
	require.ErrorContains(t, edit.AddMethod(f, "Post", "colour", ""), "choose what the price goes by")
	require.Error(
		t,
		edit.AddMethod(f, "Post\u202e", rate.ByWeight, ""),
		"a name that turns the writing round",
	)
	require.NoError(t, edit.AddMethod(f, " Big  parcel ", rate.BySubtotal, "by air"))
	require.NoError(t, edit.AddMethod(f, "Big parcel", rate.ByOrder, store.Pickup))
	assert.Equal(t, "big-parcel big-parcel-2", order(f), "ids are never given twice")
	assert.Equal(t, []store.Kind{store.Delivery, store.Pickup}, []store.Kind{f.Methods[0].Kind, f.Methods[1].Kind})
	assert.Equal(t, "0 | no | no | no | no", text(f, &f.Methods[0].Tables[0]))
	_, faults := store.Read(f.Write())
	assert.Empty(t, faults)
	f.Zones = nil
	require.ErrorContains(t, edit.AddMethod(f, "Post", rate.ByWeight, ""), "make a zone first")
}

func TestACopyIsOffAndSharesNothing(t *testing.T) {
	f := methods(t, "post", "van")
	f.Methods[0].Preselected, f.Methods[0].Enabled = true, true
	edit.CopyMethod(f, &f.Methods[0])
	assert.Equal(t, "post post-copy van", order(f))
	made := &f.Methods[1]
	assert.Equal(t, []bool{false, false}, []bool{made.Enabled, made.Preselected})
	_, _, err := edit.SetCell(f, &made.Tables[0], edit.Cell{At: "2", Zone: "a"}, "4.90", "5")
	require.NoError(t, err)
	assert.Equal(t, "2 | 4.90", text(f, &f.Methods[0].Tables[0]))
	f.Methods[0].Name = strings.Repeat("y", 78)
	edit.CopyMethod(f, &f.Methods[0])
	assert.Equal(t, "Copy", f.Methods[1].Name, "a name stays within its length")
}

func TestAMethodThatAChargeNamesStays(t *testing.T) {
	f := methods(t, "post", "van")
	f.Surcharges = []store.Surcharge{{ID: "island", Name: "Islands", Methods: []string{"post"}}}
	require.ErrorContains(t, edit.RemoveMethod(f, "post"), "the surcharge Islands names this method")
	f.Surcharges, f.Agreed = nil, []store.Agreed{{ID: "friends", Methods: []string{"post"}}}
	require.ErrorContains(t, edit.RemoveMethod(f, "post"), "the agreed charge friends names this method")
	require.NoError(t, edit.RemoveMethod(f, "van"))
	assert.Equal(t, "post", order(f))
}

func TestOneMethodIsPreselected(t *testing.T) {
	f := methods(t, "post", "van")
	edit.SetSwitch(f, &f.Methods[0], edit.Preselected, true)
	edit.SetSwitch(f, &f.Methods[1], edit.Preselected, true)
	assert.Equal(t, []bool{false, true}, []bool{f.Methods[0].Preselected, f.Methods[1].Preselected})
	edit.SetSwitch(f, &f.Methods[1], edit.Preselected, false)
	assert.False(t, f.Methods[1].Preselected)
}

func TestTheOrderThatBuyersSee(t *testing.T) {
	for _, c := range []struct {
		id, before, is string
	}{
		{"a", "c", "b a c d"}, {"a", "", "b c d a"}, {"d", "a", "d a b c"}, {"b", "b", "a b c d"},
		{"c", "d", "a b c d"},
	} {
		f := methods(t, "a", "b", "c", "d")
		require.NoError(t, edit.MoveMethod(f, c.id, c.before))
		assert.Equal(t, c.is, order(f), "%s before %q", c.id, c.before)
	}
	f := methods(t, "a", "b")
	require.ErrorContains(t, edit.MoveMethod(f, "a", "x"), "the order was changed meanwhile")
	edit.StepMethod(f, "a", true)
	edit.StepMethod(f, "b", false)
	assert.Equal(t, "a b", order(f), "at the ends they stay")
}

func TestMovingLosesNoMethod(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		ids := []string{"a", "b", "c", "d", "e"}
		f := methods(t, ids...)
		for range rapid.IntRange(1, 8).Draw(t, "moves") {
			id := rapid.SampledFrom(ids).Draw(t, "id")
			before := rapid.SampledFrom(append(ids, "")).Draw(t, "before")
			require.NoError(t, edit.MoveMethod(f, id, before))
			if before != "" && before != id {
				assert.Contains(t, order(f), id+" "+before)
			}
			assert.ElementsMatch(t, ids, strings.Fields(order(f)))
		}
	})
}

func TestTermsOfAMethod(t *testing.T) {
	f := methods(t, "post")
	m := &f.Methods[0]
	everywhere, inA := edit.Term{Field: terms.Weight}, edit.Term{Zone: "a", Field: terms.FreeFrom}
	require.NoError(t, edit.SetTerm(f, m, everywhere, "", "up to 20 kg"))
	was := edit.TermText(f, m, everywhere)
	assert.Contains(t, was, "20 kg")
	var conflict *edit.Conflict
	require.ErrorAs(t, edit.SetTerm(f, m, everywhere, "", "up to 30 kg"), &conflict)
	assert.Equal(t, was, conflict.Now)
	require.NoError(t, edit.SetTerm(f, m, everywhere, "", "up to 20"), "another window set the same")
	require.Error(t, edit.SetTerm(f, m, everywhere, was, "heavy"))
	require.ErrorContains(
		t,
		edit.SetTerm(f, m, edit.Term{Zone: "d", Field: terms.FreeFrom}, "", "50"),
		"column was removed",
	)
	require.NoError(t, edit.SetTerm(f, m, inA, "", "from 50"))
	assert.ErrorContains(t, edit.SetTerm(f, m, inA, "x", "from 60"), "this was changed to")
	require.NoError(t, edit.SetTerm(f, m, inA, edit.TermText(f, m, inA), ""))
	assert.ErrorContains(t, edit.SetTerm(f, m, inA, "from 50", "from 60"), "this was changed to nothing")
}

func TestWhatBuyersAreToldIsOneLine(t *testing.T) {
	var m store.Method
	require.NoError(t, edit.SetRefusedText(&m, "Too heavy.\nSorry."))
	assert.NotContains(t, m.RefusedText, "\n")
	require.ErrorContains(
		t,
		edit.SetRefusedText(&m, strings.Repeat("z", 301)),
		"at most 300 letters; this has 301",
	)
	require.NoError(t, edit.SetRefusedText(&m, ""))
	assert.Empty(t, m.RefusedText)
}
