package crate

import (
	"strings"
	"testing"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func packed(t require.TestingT, lines string) (*store.File, *quote.Request, *quote.Option) {
	f, faults := store.Read([]byte(`{"format":"diadrom-store/1","store":{"currency":"EUR","volumetric_divisor":"5000"},
	"locations":[{"id":"shed","name":"Shed"}],
	"boxes":[{"id":"small","name":"Small box","length":"20","width":"15","height":"10","weight":"0.1"},
	 {"id":"large","name":"Large box","length":"40","width":"30","height":"20","weight":"0.5","max_weight":"20"}],
	"zones":[{"id":"fi","places":[{"country":"FI"}]}],
	"methods":[{"id":"m","parcels":{"all_boxes":true},
	 "tables":[{"id":"t","zones":["fi"],"by":"order","rows":[{"charges":["1"]}]}]}]}`))
	require.Empty(t, faults)
	e := quote.Compile(f, nil)
	q, _, faults := e.ReadRequest([]byte(`{"to":{"country":"FI"},"parcels":true,"lines":[` + lines + `]}`))
	require.Empty(t, faults)
	a := e.Quote(&q[0])
	require.Len(t, a.Options, 1)
	return f, &q[0], &a.Options[0]
}

const cube = `"name":"Cube","weight":"1","length":"10","width":"10","height":"10"`

func TestParcelsInWords(t *testing.T) {
	for _, tt := range []struct{ lines, want string }{
		{`{` + cube + `,"quantity":1}`, "1 parcel: Small box 1.1 kg"},
		{`{` + cube + `,"quantity":21}`, "2 parcels: Large box 20.5 kg, Small box 1.1 kg"},
		{`{` + cube + `,"quantity":60}`, "3 parcels: 3 × Large box 20.5 kg"},
		{`{` + cube + `,"quantity":1,"from":"shed"}`, "1 parcel: Small box 1.1 kg from Shed"},
		{`{"name":"Pole","weight":"2","length":"200","width":"1","height":"1",
		"quantity":2}`, "2 parcels: 2 × Pole (2 kg)"},
	} {
		f, q, o := packed(t, tt.lines)
		assert.Equal(t, tt.want, Brief(f, q, o))
	}
	f, q, o := packed(t, `{`+cube+`,"quantity":2},{"name":"Sand","weight":"0.5","quantity":1}`)
	list := Of(f, q, o)
	require.Len(t, list, 1)
	p := list[0]
	assert.Equal(t, []string{"20 × 15 × 10 cm", "67 %", "2.6 kg", ""}, []string{p.Size, p.Full, p.Weight, p.Billed})
	assert.Equal(t, []string{"Sand"}, p.Loose)
	assert.Equal(t, []Good{{"A", 1, "Cube", "", 2}, {"B", 2, "Sand", "", 1}}, p.Goods)
	assert.Equal(t, []Step{
		{1, "A", 1, "Cube", "lies flat, 10 × 10 × 10 cm; its near corner at 0 along, 0 across, 0 up"},
		{2, "A", 1, "Cube", "lies flat, 10 × 10 × 10 cm; its near corner at 10 along, 0 across, 0 up"},
	}, p.Steps)
	require.NotNil(t, p.Draw)
	assert.Len(t, p.Draw.Units, 2)
	for _, u := range p.Draw.Units {
		assert.NotNil(t, u.Label, "the mark can be read without colour")
	}
}

func TestMarks(t *testing.T) {
	for line, want := range map[int]string{0: "A", 25: "Z", 26: "AA", 27: "AB", 701: "ZZ", 702: "AAA"} {
		assert.Equal(t, want, Mark(line))
	}
}

func TestManyUnitsAreNotDrawn(t *testing.T) {
	f, q, o := packed(t, `{"name":"Bead","weight":"0","length":"1","width":"1","height":"1","quantity":500}`)
	p := Of(f, q, o)[0]
	assert.True(t, p.Many)
	assert.Nil(t, p.Draw)
	assert.Equal(t, int64(500), p.Goods[0].Quantity)
}

// TestWhatIsBehindIsDrawnFirst asks of cuboids of a grid, which never overlap: none that hides another is drawn
// before it.
func TestWhatIsBehindIsDrawnFirst(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var list []cuboid
		for range rapid.IntRange(1, 20).Draw(t, "cuboids") {
			var c cuboid
			for axis := range c.lo {
				c.lo[axis] = float64(rapid.IntRange(0, 5).Draw(t, "at"))
				c.hi[axis] = c.lo[axis] + float64(rapid.IntRange(1, 3).Draw(t, "size"))
			}
			apart := true
			for i := range list {
				apart = apart && (c.behind(&list[i]) || list[i].behind(&c))
			}
			if apart {
				list = append(list, c)
			}
		}
		order := furthestFirst(list)
		require.Len(t, order, len(list))
		wrong := 0
		for i, a := range order {
			for _, b := range order[i+1:] {
				if list[b].behind(&list[a]) && !list[a].behind(&list[b]) {
					wrong++ // only where cuboids hide one another in a ring
				}
			}
		}
		require.LessOrEqual(t, wrong, len(list)/3, "%v", list)
	})
}

func TestPicturesAreNumbers(t *testing.T) {
	f, q, o := packed(t, `{`+cube+`,"quantity":7},{"name":"Slab","weight":"1","length":"3","width":"29","height":"17.5",
	"quantity":2}`)
	for _, p := range Of(f, q, o) {
		for _, points := range append(append([]string{p.Draw.Floor}, p.Draw.Back...), p.Draw.Front...) {
			for _, n := range strings.FieldsFunc(points, func(r rune) bool { return r == ' ' || r == ',' }) {
				assert.Regexp(t, `^-?[0-9]+(\.[0-9])?$`, n)
			}
		}
	}
}
