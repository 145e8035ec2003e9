package edit_test

import (
	"testing"

	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// costed is a small shop whose method has costs.
func costed(t *testing.T) *store.File {
	f, faults := store.Read([]byte(`{"format":"diadrom-store/1","store":{"currency":"EUR"},
		"classes":[{"id":"soft","name":"Soft"}],
		"zones":[{"id":"fi","name":"Finland","places":[{"country":"FI"}]},{"id":"se","places":[{"country":"SE"}]}],
		"methods":[{"id":"parcel","name":"Parcel","tables":[{"id":"t","zones":["fi"],"by":"order","rows":[{"charges":["6"]}]}]},
			{"id":"letter","name":"Letter"}],
		"costs":[{"id":"post","name":"Post 2026","methods":["parcel"],"classes":"add",
			"tables":[{"id":"t","zones":["fi"],"classes":["soft"],"by":"order","rows":[{"charges":["4"]}]}]}]}`))
	require.Empty(t, faults)
	return f
}

// readable says that a file can be read again as it is.
func readable(t *testing.T, f *store.File) {
	t.Helper()
	_, faults := store.Read(f.Write())
	assert.Empty(t, faults)
}

func TestWhatCostsNameIsNotRemoved(t *testing.T) {
	f := costed(t)
	f.Methods[0].Tables = nil
	assert.EqualError(t, edit.RemoveZone(f, &f.Zones[0]),
		"Finland has costs in Post 2026: remove its column there first, or switch the zone off")
	assert.EqualError(t, edit.RemoveClass(f, "soft"), "the costs Post 2026 name this class: remove it there first")
	require.NoError(t, edit.RemoveMethod(f, "parcel"))
	assert.Empty(t, f.Costs[0].Methods, "nothing says any more what a removed method costs")
	readable(t, f)
	require.NoError(t, edit.RemoveCost(f, "post"))
	assert.NoError(t, edit.RemoveZone(f, &f.Zones[0]))
	assert.NoError(t, edit.RemoveClass(f, "soft"))
	assert.Error(t, edit.RemoveCost(f, "post"))
}

func TestCostsAreAddedForAMethodWithoutAny(t *testing.T) {
	f := costed(t)
	_, err := edit.AddCost(f, "Post", "parcel", rate.ByWeight)
	assert.EqualError(t, err, "what Parcel costs is in Post 2026 already")
	_, err = edit.AddCost(f, "Post", "pigeon", rate.ByWeight)
	assert.EqualError(t, err, "choose the method that this is the cost of")
	_, err = edit.AddCost(f, " ", "letter", rate.ByWeight)
	assert.EqualError(t, err, "a name is needed")
	_, err = edit.AddCost(f, "Post", "letter", "colour")
	assert.EqualError(t, err, "choose what the cost goes by")
	id, err := edit.AddCost(f, "Post", "letter", rate.ByWeight)
	require.NoError(t, err)
	assert.Equal(t, "post-2", id)
	c := edit.Cost(f, id)
	assert.Equal(t, []string{"fi", "se"}, c.Tables[0].Zones, "the letter serves none yet")
	assert.Equal(t, c, f.CostOf("letter"))
	readable(t, f)
}

func TestAMethodHasOneEntryOfCosts(t *testing.T) {
	f := costed(t)
	_, err := edit.AddCost(f, "Other", "letter", rate.ByOrder)
	require.NoError(t, err)
	require.NoError(t, edit.SetCostMethod(f, "post", "letter", true))
	assert.Equal(t, []string{"parcel", "letter"}, f.Costs[0].Methods)
	assert.Empty(t, f.Costs[1].Methods)
	readable(t, f)
	require.NoError(t, edit.SetCostMethod(f, "post", "parcel", false))
	require.NoError(t, edit.SetCostMethod(f, "post", "parcel", true))
	assert.Equal(t, []string{"parcel", "letter"}, f.Costs[0].Methods, "in the order of the methods")
	assert.Error(t, edit.SetCostMethod(f, "post", "pigeon", true))
	assert.Error(t, edit.SetCostMethod(f, "gone", "parcel", true))
}

func TestListsOfCostsAreEditedAsThoseOfMethods(t *testing.T) {
	f := costed(t)
	owner := edit.CostOwner("post")
	_, list, err := edit.Table(f, owner, "t")
	require.NoError(t, err)
	_, _, err = edit.SetCell(f, list, edit.Cell{Zone: "fi"}, "4.00", "4.20 + 0.10 per item")
	require.NoError(t, err)
	require.NoError(t, edit.AddColumn(f, list, "se"))
	require.NoError(t, edit.Lists(f, owner, func(m *store.Method) error {
		return edit.AddTable(f, m, rate.ByOrder, "Soft")
	}))
	c := edit.Cost(f, "post")
	require.Len(t, c.Tables, 2)
	assert.Equal(t, []string{"fi", "se"}, c.Tables[1].Zones)
	assert.Equal(t, "4.2", c.Tables[1].Rows[0].Charges[0].Base.String())
	require.NoError(t, edit.Lists(f, owner, func(m *store.Method) error {
		edit.RemoveTable(m, c.Tables[0].ID)
		return nil
	}))
	assert.Len(t, edit.Cost(f, "post").Tables, 1)
	readable(t, f)
	assert.Nil(t, edit.Owner(f, "cost--gone"))
	assert.Nil(t, edit.Owner(f, "gone"))
	assert.Equal(t, &f.Methods[0], edit.Owner(f, "parcel"))
	assert.Error(t, edit.Lists(f, "cost--gone", func(*store.Method) error { return nil }))
}

// What reads price lists into methods reads them into costs.
func TestCostsAsMethodsAndBack(t *testing.T) {
	f := costed(t)
	before := string(f.Write())
	as := edit.WithCostsAsMethods(f)
	require.Len(t, as.Methods, 3)
	edit.CostsFromMethods(f, as)
	assert.Equal(t, before, string(f.Write()), "nothing changed, so nothing changes")
	as = edit.WithCostsAsMethods(f)
	as.Methods[2].Tables[0].Rows[0].Charges[0] = nil
	as.Methods = append(as.Methods, store.Method{ID: "new", Name: "New", Tables: as.Methods[2].Tables})
	assert.Equal(t, before, string(f.Write()), "the copy is one")
	edit.CostsFromMethods(f, as)
	assert.Nil(t, f.Costs[0].Tables[0].Rows[0].Charges[0])
	require.Len(t, f.Methods, 3)
	id := edit.CostOfMethod(f, "new", "New list")
	assert.Equal(t, "new-list", id)
	assert.Len(t, f.Methods, 2)
	assert.Len(t, edit.Cost(f, id).Tables, 1)
}

func TestWhatEachParcelCosts(t *testing.T) {
	f := costed(t)
	require.NoError(t, edit.SetPerParcel(f, "post", "0,35 €"))
	assert.Equal(t, "0.35", f.Costs[0].PerParcel.String())
	assert.Error(t, edit.SetPerParcel(f, "post", "x"))
	require.NoError(t, edit.SetPerParcel(f, "post", " "))
	assert.Nil(t, f.Costs[0].PerParcel)
	require.NoError(t, edit.NameCost(f, "post", "Post 2027"))
	assert.Equal(t, "Post 2027", f.Costs[0].Name)
	assert.Error(t, edit.NameCost(f, "post", ""))
	for _, err := range []error{edit.NameCost(f, "gone", "x"), edit.SetPerParcel(f, "gone", "1")} {
		assert.ErrorContains(t, err, "removed meanwhile")
	}
}
