package edit_test

import (
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func tried(t *testing.T) *store.File {
	f, faults := store.Read([]byte(`{"format":"diadrom-store/1","store":{"currency":"EUR"},
		"zones":[{"id":"fi","places":[{"country":"FI"}]},{"id":"se","places":[{"country":"SE"}]},
			{"id":"no","places":[{"country":"NO"}]}],
		"methods":[{"id":"parcel","name":"Parcel","free":{"subtotal":"100","coupons":["LÖYLY"]},"handling":{"percent":"2"},
			"terms":{"se":{"free":{"subtotal":"200"}}},"tables":[{"id":"t","zones":["fi","se"],"by":"weight","edges":"up_to",
			"rows":[{"at":"2","charges":["6","8"]},{"at":"10","charges":["9",null]}]}]}]}`))
	require.Empty(t, faults)
	return f
}

func num(text string) decimal.Decimal { return decimal.MustParse(text) }

func TestWhatIsTriedIsMade(t *testing.T) {
	f := tried(t)
	m := &f.Methods[0]
	subtotal := func(zone string) string { return m.TermsIn(zone).Free.Subtotal.String() }
	free := edit.Trial{Method: "parcel", Kind: edit.TrialFree, Value: num("75")}
	require.NoError(t, free.Apply(f))
	assert.Equal(t, []string{"75", "200"}, []string{subtotal("fi"), subtotal("se")}, "Sweden has its own")
	assert.Equal(t, []string{"LÖYLY"}, m.Free.Coupons, "what else makes it free stays")
	assert.Equal(t, []bool{true, false}, []bool{free.Holds(f, "fi"), free.Holds(f, "se")})
	free.Zone, free.Value = edit.AllZones, num("60")
	require.NoError(t, free.Apply(f))
	assert.Equal(t, []string{"60", "60"}, []string{subtotal("fi"), subtotal("se")})
	free.Zone, free.Value = "fi", num("50")
	require.NoError(t, free.Apply(f))
	assert.Equal(t, []string{"50", "60", "60"}, []string{subtotal("fi"), subtotal("se"), m.Free.Subtotal.String()})
	assert.True(t, m.TermsIn("fi").Enabled)
	readable(t, f)

	handling := edit.Trial{Method: "parcel", Kind: edit.TrialHandling, Value: num("1.5")}
	require.NoError(t, handling.Apply(f))
	assert.Equal(t, []string{"1.5", "2"}, []string{m.Handling.Amount.String(), m.Handling.Percent.String()})
	handling.Value = num("0")
	require.NoError(t, handling.Apply(f))
	assert.Nil(t, m.Handling.Amount)

	percent := edit.Trial{Method: "parcel", Kind: edit.TrialPercent, Zone: "fi", Value: num("10")}
	require.NoError(t, percent.Apply(f))
	assert.Equal(t, []string{"6.6", "8"}, []string{m.Tables[0].Rows[0].Charges[0].Base.String(),
		m.Tables[0].Rows[0].Charges[1].Base.String()})
	readable(t, f)
	for _, wrong := range []edit.Trial{{Method: "pigeon"}, {Method: "parcel"},
		{Method: "parcel", Kind: edit.TrialFree, Value: num("-1")}, {Method: "parcel", Kind: edit.TrialFree, Zone: "no"},
		{Method: "parcel", Kind: edit.TrialPercent, Zone: "no", Value: num("1")},
		{Method: "parcel", Kind: edit.TrialPercent, Value: num("-101")}} {
		assert.Error(t, wrong.Apply(tried(t)), "%+v", wrong)
	}
}

// Rows of a proposed list become a column's, or the list.
func TestAProposedListIsTaken(t *testing.T) {
	at, prices := []decimal.Decimal{num("1"), num("5")}, []decimal.Decimal{num("4.90"), num("7.90")}
	f := tried(t)
	require.NoError(t, edit.TakeList(f, "parcel", "fi", rate.ByWeight, at, prices))
	list := f.Methods[0].Tables[0]
	var rows []string
	for _, r := range list.Rows {
		text := r.At.String()
		for _, c := range r.Charges {
			if c == nil {
				text += " no"
			} else {
				text += " " + c.Base.String()
			}
		}
		rows = append(rows, text)
	}
	assert.Equal(t, []string{"1 4.9 8", "2 7.9 8", "5 7.9 no", "10 no no"}, rows, "Sweden's prices stay as they were")
	readable(t, f)
	f = tried(t)
	require.NoError(t, edit.TakeList(f, "parcel", "", rate.ByQuantity, at, prices))
	list = f.Methods[0].Tables[0]
	assert.Equal(t, []any{rate.ByQuantity, 2, []string{"fi", "se"}}, []any{list.By, len(list.Rows), list.Zones})
	readable(t, f)
	f = tried(t)
	assert.ErrorContains(t, edit.TakeList(f, "parcel", "fi", rate.ByQuantity, at, prices), "has other zones")
	assert.Error(t, edit.TakeList(f, "pigeon", "fi", rate.ByWeight, at, prices))
	assert.Error(t, edit.TakeList(f, "parcel", "fi", rate.ByWeight, nil, nil))
	f.Methods[0].Tables = append(f.Methods[0].Tables, f.Methods[0].Tables[0])
	assert.ErrorContains(t, edit.TakeList(f, "parcel", "fi", rate.ByWeight, at, prices), "several price lists")
}
