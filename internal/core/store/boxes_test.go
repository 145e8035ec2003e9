package store

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const withBoxes = `{"format":"diadrom-store/1","store":{"currency":"EUR"},"locations":[{"id":"hall"}],
 "boxes":[{"id":"small","length":"30","width":"20","height":"15"%s}],
 "products":[{"sku":"A","price":"1"%s}],"zones":[{"id":"fi","places":[{"country":"FI"}]}],
 "methods":[{"id":"m"%s,"tables":[{"id":"t","zones":["fi"],"by":"order","rows":[{"charges":["1"]}]}]}]}`

func TestBoxesAndParcels(t *testing.T) {
	for _, tt := range []struct {
		name, box, product, method string
		faults                     string
	}{
		{"all that there is", `,"name":"Small","weight":"0.25","max_weight":"10","cost":"0.60"`,
			`,"upright":true,"from":"hall"`, `,"parcels":{"boxes":["small"],"max_weight":"30"},
			"needs":{"parcel_weight":{"to":"30"},"girth":{"from":"1","to":"300"}}`, ""},
		{"all boxes", "", "", `,"parcels":{"all_boxes":true}`, ""},
		{"both", "", "", `,"parcels":{"all_boxes":true,"boxes":["small"]}`, "/methods/0/parcels/all_boxes shape"},
		{"a box that is not there", "", "", `,"parcels":{"boxes":["small",
		"huge"]}`, "/methods/0/parcels/boxes/1 reference"},
		{"a box twice", "", "", `,"parcels":{"boxes":["small","small"]}`, "/methods/0/parcels/boxes/1 duplicate"},
		{"a typing error", "", "", `,"parcels":{"box":["small"]}`, "/methods/0/parcels/box unknown_field"},
		{"a place that was removed", "", `,"from":"barn"`, "", "/products/0/from reference"},
		{"no side is 0", `,"id":"x"},{"id":"flat","length":"30","width":"0","height":"1"`, "", "",
			"/boxes/0/id duplicate, /boxes/1/width range"},
		{"all sides are needed", `},{"id":"flat","length":"30","width":"2"`, "", "", "/boxes/1/height missing"},
		{"below 0", `,"weight":"-1","cost":"x","max_weight":2`, "", "",
			"/boxes/0/weight range, /boxes/0/cost number, /boxes/0/max_weight type"},
		{"an id is needed, once", `},{"length":"1","width":"1","height":"1"},
			{"id":"small","length":"1","width":"1","height":"1"`, "", "", "/boxes/1/id missing, /boxes/2/id duplicate"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			f, faults := Read([]byte(fmt.Sprintf(withBoxes, tt.box, tt.product, tt.method)))
			var have []string
			for _, fault := range faults {
				have = append(have, fault.Path+" "+fault.Code)
			}
			assert.Equal(t, tt.faults, strings.Join(have, ", "), "%v", faults)
			if len(faults) == 0 {
				again, faults := Read(f.Write())
				require.Empty(t, faults)
				assert.Equal(t, string(f.Write()), string(again.Write()))
				joined, faults := f.Split().Join()
				require.Empty(t, faults)
				assert.Equal(t, string(f.Write()), string(joined.Write()))
				assert.Equal(t, string(f.Write()), string(f.Clone().Write()))
			}
		})
	}
}

// TestAStoreWithoutBoxesIsWrittenAsBefore keeps the hashes of editions that were published before there were any.
func TestAStoreWithoutBoxesIsWrittenAsBefore(t *testing.T) {
	f, faults := Read([]byte(`{"format":"diadrom-store/1","store":{"currency":"EUR"},"products":[{"sku":"A"}],
	"boxes":[]}`))
	require.Empty(t, faults)
	for _, word := range []string{"boxes", "upright", "from", "parcels"} {
		assert.NotContains(t, string(f.Write()), word)
	}
}
