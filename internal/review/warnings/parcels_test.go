package warnings

import (
	"testing"

	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWarningsAboutBoxes(t *testing.T) {
	const small = `{"id":"small","name":"Small box","length":"30","width":"20","height":"15","weight":"0.2",
		"max_weight":"5"}`
	for _, tt := range []struct {
		name, boxes, products, parcels string
		want                           []string
	}{
		{"nothing to say", small, `{"sku":"A","weight":"1","length":"10","width":"10","height":"10"}`,
			`{"all_boxes":true}`, nil},
		{"not packed", small, `{"sku":"Bench","weight":"1","length":"100","width":"10","height":"10"}`,
			`{"max_weight":"30"}`, nil},
		{"too long", small, `{"sku":"X","name":"Bench","weight":"1","length":"100","width":"10","height":"10"},
			{"sku":"A","weight":"1"}`, `{"all_boxes":true}`, []string{"no box takes Bench: it travels alone",
			"A has no size and takes no room in a box"}},
		{"too heavy with its box", small, `{"sku":"A","weight":"4.9","length":"10","width":"10","height":"10"},
			{"sku":"B","weight":"4.95","length":"1","width":"1","height":"1"}`, `{"all_boxes":true,"max_weight":"5"}`,
			[]string{"no box takes A, B: each travels alone", "no product goes into Small box"}},
		{"a box that is too heavy itself", small, `{"sku":"A","weight":"0"}`, `{"all_boxes":true,"max_weight":"0.2"}`,
			[]string{"Small box is as heavy empty as a parcel may be, so nothing goes into it",
				"A has no size and takes no room in a box"}},
		{"upright", small, `{"sku":"Lamp","weight":"1","length":"10","width":"10","height":"20","upright":true}`,
			`{"all_boxes":true}`, []string{"no box takes Lamp: it travels alone", "no product goes into Small box"}},
		{"carries less than the lightest", small + `,{"id":"bag","name":"Bag","length":"90","width":"90","height":"90",
			"max_weight":"0.5"}`, `{"sku":"A","weight":"1","length":"10","width":"10","height":"10"}`,
			`{"boxes":["bag","small"]}`, []string{"no product goes into Bag"}},
		{"of classes that are not taken", small, `{"sku":"Bench","class":"bulky","length":"100","width":"10",
			"height":"10"},{"sku":"Sack","own_parcel":true},{"sku":"Card","needs_shipping":false}`,
			`{"all_boxes":true}`, nil},
	} {
		t.Run(tt.name, func(t *testing.T) {
			f, faults := store.Read([]byte(`{"format":"diadrom-store/1","store":{"currency":"EUR"},
		"classes":[{"id":"bulky"}],
			"boxes":[` + tt.boxes + `],"products":[` + tt.products + `],"methods":[{"id":"m",
			"needs":{"without_classes":["bulky"]},"parcels":` + tt.parcels + `}]}`))
			require.Empty(t, faults)
			var have []string
			for _, w := range parcels(f, &f.Methods[0]) {
				have = append(have, w.Text)
			}
			assert.Equal(t, tt.want, have)
		})
	}
}
