package quote

import (
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Volumetric weight is length × width × height ÷ divisor: 6,000 cm³ per kg by IATA's tariff rule 3.9, so that a
// box of 60 × 50 × 40 cm counts as 20 kg; 5,000 in many road and courier lists (common practice, no source).
// The inch and the pound are those of the international yard and pound agreement of 1959; 139 in³ per lb is how
// the 5,000 of metric lists is said in inches.
func TestVolumetricWeight(t *testing.T) {
	for _, c := range []struct{ sides, length, divisor, weight, want string }{
		{`"length":"60","width":"50","height":"40"`, "cm", "6000", "kg", "20"},
		{`"length":"20","width":"40","height":"60"`, "cm", "5000", "kg", "9.6"},
		{`"length":"200","width":"400","height":"600"`, "mm", "5000", "g", "9600"},
		{`"length":"0.2","width":"0.4","height":"0.6"`, "m", "5000", "kg", "9.6"},
		{`"length":"139","width":"1","height":"1"`, "in", "5000", "lb", "1.004338717602"},
		{`"length":"10","width":"10","height":"10"`, "in", "6000", "oz", "96.339445333556"},
		{`"length":"60","width":"50"`, "cm", "6000", "kg", "0"},
	} {
		f, faults := store.Read(
			[]byte(
				`{"format":"diadrom-store/1","store":{"currency":"EUR"},"products":[{"sku":"a",` + c.sides + `}]}`,
			),
		)
		require.Empty(t, faults)
		got := Volumetric(Volume(&f.Products[0], c.length), decimal.MustParse(c.divisor), c.weight)
		assert.Equal(t, c.want, got.String(), "%s %s", c.sides, c.length)
	}
}

func TestTheLargerWeightIsBilled(t *testing.T) {
	table := oneTable(
		"billed_weight",
		"up_to",
		`[{"at":"5","charges":["7.00"]},{"at":"10","charges":["11.00"]},{"at":null,"charges":[{"base":"11.00",
		"per_weight":{"amount":"1.00","above":"10","part":"started"}}]}]`,
	)
	box := `"price":"5","weight":"4.2","length":"20","width":"40","height":"60","quantity":`
	for _, c := range []struct{ name, divisors, method, goods, want, says string }{
		{"a bulky box counts as its volume", `"volumetric_divisor":"5000",`, "", box + "1", "11.00",
			"20 × 40 × 60 cm ÷ 5000 = 9.6 kg, more than 4.2 kg: row up to and including 10 kg: 11.00"},
		{"a heavy one as its weight", `"volumetric_divisor":"50000",`, "", box + "1", "7.00",
			"20 × 40 × 60 cm ÷ 50000 = 0.96 kg, less than 4.2 kg: row up to and including 5 kg: 7.00"},
		{"several boxes in one parcel", `"volumetric_divisor":"5000",`, "", box + "2", "21.00",
			"96000 cm³ ÷ 5000 = 19.2 kg, more than 8.4 kg: row above 10 kg: 11.00 + 1.00 × 10 started kg above 10 = " +
				"21.00"},
		{"each alone", `"volumetric_divisor":"5000",`, "", `"own_parcel":true,` + box + "2", "22.00",
			"2 parcels of their own of 4.2 kg: 20 × 40 × 60 cm ÷ 5000 = 9.6 kg, more than 4.2 kg: row up to and " +
				"including 10 kg: 11.00 each"},
		{"the method's own divisor", `"volumetric_divisor":"5000",`, `"volumetric_divisor":"6000",`, box + "1", "11.00",
			"÷ 6000 = 8 kg"},
		{"a quotient that does not end", `"volumetric_divisor":"7000",`, "", box + "1", "11.00", "÷ 7000 ≈ 6.857 kg"},
		{"no divisor", "", "", box + "1", "7.00", "row up to and including 5 kg: 7.00"},
		{"a side that nobody knows", `"volumetric_divisor":"5000",`, "", `"price":"5","weight":"4.2","length":"20",
		"quantity":1`, "7.00", "row up to and including 5 kg: 7.00"},
	} {
		file := shopWith(c.method+table, "")
		const head = `{"format":"diadrom-store/1","store":{`
		file = head + c.divisors + file[len(head):]
		a := quoted(t, file, goods(c.goods)+"}")
		require.Len(t, a.Options, 1, c.name)
		assert.Equal(t, c.want, a.Options[0].Charge, c.name)
		assert.Contains(t, a.Options[0].Steps[0].Text, c.says, c.name)
		assert.Equal(t, c.divisors != "", a.Measures.Billed != nil, c.name)
	}
	// 24400 cm³ ÷ 3000 is 8.1333… kg, 0.6333… above 7.5; × 0.45 + 10.15 is 10.435 exactly and rounds up.
	exactly := oneTable(
		"billed_weight",
		"up_to",
		`[{"at":null,"charges":[{"base":"10.15","per_weight":{"amount":"0.45","above":"7.5"}}]}]`,
	)
	a := quoted(
		t,
		shopWith(`"volumetric_divisor":"3000",`+exactly, ""),
		goods(`"price":"5","weight":"1","length":"24.4","width":"40","height":"25","quantity":1`)+"}",
	)
	require.Len(t, a.Options, 1)
	assert.Equal(t, "10.44", a.Options[0].Charge)
	thirds := oneTable("weight", "up_to", `[{"at":null,"charges":[{"per_weight":{"amount":"1","every":"3"}}]}]`)
	a = quoted(
		t,
		shopWith(thirds, ""),
		`{"to":{"country":"FI"},"lines":[{"price":"5","weight":"1","own_parcel":true,"quantity":3}]}`,
	)
	assert.Equal(t, "1.00", a.Options[0].Charge, "three parcels of a third each")
	a = quoted(
		t,
		shopWith(`"volumetric_divisor":"5000","needs":{"billed_weight":{"to":"9"}},`+flat, ""),
		goods(box+"1")+"}",
	)
	assert.Equal(t, "too heavy by its volume (9.6 kg, limit 9 kg)", a.Refused[0].Reason)
	a = quoted(t, shopWith(`"needs":{"billed_weight":{"to":"9"}},`+flat, ""), goods(box+"1")+"}")
	assert.Len(t, a.Options, 1, "without a divisor only weights are billed")
}

func TestADivisorIsAboveZero(t *testing.T) {
	_, faults := store.Read(
		[]byte(
			`{"format":"diadrom-store/1","store":{"currency":"EUR","volumetric_divisor":"0"},"methods":[{"id":"m",
		"volumetric_divisor":"-1"}]}`,
		),
	)
	require.Len(t, faults, 2)
	assert.Equal(
		t,
		[]string{"/store/volumetric_divisor", "/methods/0/volumetric_divisor"},
		[]string{faults[0].Path, faults[1].Path},
	)
}
