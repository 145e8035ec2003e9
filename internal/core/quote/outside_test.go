package quote

import (
	"fmt"
	"strings"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"

	"github.com/paulmach/orb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// byRoad is a store whose van is priced by distance from a workshop, 2.00 and 1.00 for each kilometre.
const byRoad = `{"format":"diadrom-store/1","store":{"name":"Made","currency":"EUR","distance_by":"road"%s,
"tax":{"prices_include_tax":true}},
"locations":[{"id":"w","name":"Workshop","country":"FI","lat":"60.4674","lon":"22.0260","ships_from":true}],
"zones":[{"id":"near","name":"Near","places":[{"within":{"location":"w","distance":"9"}}]},
{"id":"fi","name":"Finland","places":[{"country":"FI"}]}],
"methods":[{"id":"van","name":"Van","tables":[{"id":"t","name":"Round","zones":["fi"],"by":"distance","edges":"up_to",
"rows":[{"at":"10","charges":["5.00"]},{"at":"50","charges":[{"base":"2.00","per_distance":{"amount":"1.00"}}]}]}]},
{"id":"post","name":"Post","tables":[{"id":"t","zones":["fi"],"by":"order","rows":[{"charges":["6.00"]}]}]}]}`

// hall is 13.367 km from the workshop in a straight line (GeodSolve of GeographicLib 2.1.2: 13366.555 m).
const hall = `{"to":{"country":"FI","lat":"60.4492","lon":"22.2661"},"lines":[{"price":"10","weight":"1",
		"quantity":1}]}`

// says answers every question alike.
type says struct {
	metres, why string
	at          *orb.Point
	failure     string
	asked       *int
}

func (s says) Roads(from []orb.Point, _ orb.Point) ([]*decimal.Decimal, string) {
	if s.asked != nil {
		*s.asked++
	}
	list := make([]*decimal.Decimal, len(from))
	if s.metres == "" {
		return list, s.why
	}
	m := decimal.MustParse(s.metres)
	list[0] = &m
	return list, ""
}

func (s says) Streets() bool { return true }

func (s says) Ahead([]orb.Point, []orb.Point, []*place.Address) Outside { return s }

func (s says) Locate(*place.Address) (*orb.Point, string) { return s.at, s.failure }

func TestADistanceByRoadIsTheServices(t *testing.T) {
	asked := 0
	e := compiled(t, []byte(fmt.Sprintf(byRoad, ""))).Asking(says{metres: "18234.56", asked: &asked})
	a := e.Quote(read(t, e, hall))
	assert.Equal(t, "18.235", *a.Measures.Distance, "metres, made km, rounded half up to three decimals")
	require.Len(t, a.Options, 2)
	assert.Equal(t, "20.24", a.Options[0].Charge)
	assert.Contains(t, a.Options[0].Steps[0].Text, "; 18.235 km by road from Workshop")
	assert.NotContains(t, a.Options[1].Steps[0].Text, "road", "a price that no distance makes says nothing of it")
	assert.Empty(t, a.Warnings)
	assert.Equal(t, 1, asked, "one question for a quote")
}

func TestAWayThatIsNotKnownIsEstimatedAndSaid(t *testing.T) {
	for _, c := range []struct{ name, factor, distance, says string }{
		{"the usual factor", "", "17.377", "17.377 km by road from Workshop, estimated: 13.367 km straight × 1.3"},
		{"the store's factor", `,"road_factor":"1.5"`, "20.051",
			"20.051 km by road from Workshop, estimated: 13.367 km straight × 1.5"},
	} {
		t.Run(c.name, func(t *testing.T) {
			for why, outside := range map[string]Outside{
				"no road service is set":                     nil,
				"the road service did not answer within 1 s": says{why: "the road service did not answer within 1 s"},
			} {
				e := compiled(t, []byte(fmt.Sprintf(byRoad, c.factor)))
				if outside != nil {
					e = e.Asking(outside)
				}
				a := e.Quote(read(t, e, hall))
				assert.Equal(t, c.distance, *a.Measures.Distance)
				assert.Contains(t, a.Options[0].Steps[0].Text, c.says)
				require.Len(t, a.Warnings, 1)
				assert.Equal(t, RoadEstimated, a.Warnings[0].Code)
				assert.Contains(t, a.Warnings[0].Message, "The distance by road is estimated: "+c.distance+
					" km from Workshop")
				assert.Contains(t, a.Warnings[0].Message, sentence(why)+".")
			}
		})
	}
}

func TestCirclesStayStraight(t *testing.T) {
	// 8.9 km away as the crow flies and 30 km by road: still inside the circle of 9 km.
	e := compiled(t, []byte(fmt.Sprintf(byRoad, ""))).Asking(says{metres: "30000"})
	a := e.Quote(read(t, e, strings.Replace(hall, `"lat":"60.4492","lon":"22.2661"`, `"lat":"60.4674","lon":"22.187"`,
		1)))
	assert.Equal(t, "near", a.Zones[0].Zone)
	assert.Equal(t, "30", *a.Measures.Distance)
}

func TestAStoreThatMeasuresStraightAsksNobody(t *testing.T) {
	asked := 0
	file := strings.Replace(fmt.Sprintf(byRoad, ""), `,"distance_by":"road"`, "", 1)
	e := compiled(t, []byte(file)).Asking(says{metres: "18234.56", asked: &asked})
	a := e.Quote(read(t, e, hall))
	assert.Equal(t, "13.367", *a.Measures.Distance)
	assert.Zero(t, asked)
	assert.NotContains(t, a.Options[0].Steps[0].Text, "by road")
}

func TestAStreetLiesWhereTheAddressServiceSays(t *testing.T) {
	to := func(street string) string {
		return `{"to":{"country":"FI","street":"` + street + `"},"lines":[{"price":"10","weight":"1","quantity":1}]}`
	}
	straight := strings.Replace(fmt.Sprintf(byRoad, ""), `,"distance_by":"road"`, "", 1)
	known := compiled(t, []byte(straight)).Asking(says{at: &orb.Point{22.2661, 60.4492}})
	a := known.Quote(read(t, known, to("Satamatie 4")))
	assert.Equal(t, "13.367", *a.Measures.Distance)
	a = known.Quote(read(t, known, to(" ")))
	assert.Nil(t, a.Measures.Distance, "without a street nobody is asked")
	a = known.Quote(read(t, known, strings.Replace(hall, `"country":"FI"`, `"country":"FI","street":"Satamatie 4"`, 1)))
	assert.Equal(t, "13.367", *a.Measures.Distance, "a point that is given counts")

	failing := compiled(t, []byte(straight)).Asking(says{failure: "the address service answered with status 500"})
	a = failing.Quote(read(t, failing, to("Satamatie 4")))
	require.Len(t, a.Warnings, 1)
	assert.Equal(t, AddressEstimated, a.Warnings[0].Code)
	assert.Contains(t, a.Warnings[0].Message, "status 500")
	unknown := compiled(t, []byte(straight)).Asking(says{})
	assert.Empty(t, unknown.Quote(read(t, unknown, to("Satamatie 4"))).Warnings)
}
