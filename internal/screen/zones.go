package screen

import (
	"cmp"
	"slices"
	"strconv"

	"diadrom/internal/draft"
	"diadrom/internal/place"
	"diadrom/internal/store"

	"github.com/gin-gonic/gin"
)

// chip is one place of a zone, as it is shown and removed.
type chip struct {
	Text   string
	Except bool
	Key    string // list/rule/entry
}

type zoneRow struct {
	ID, Name string
	Colour   string
	Enabled  bool
	Pinned   bool
	Chips    []chip
	Priced   string // where it has prices
	Takes    string // how many codes, out of which zones
	Here     string // the Till's address, where this zone takes it before the others
	Slip     string
	Typed    string // what was typed and not taken
	Note     string // what became of what was pasted
	NameSlip string
	Rename   string
}

type zoneGroup struct {
	Name string
	Rows []zoneRow
}

type zonesView struct {
	Groups []zoneGroup
	Empty  bool
	Typed  string
	Slip   string
	Placed string // example for the field
	Shop   shopView
	Strip  *stripView
	Tried  *triedView
}

// triedView says what becomes of the Till's address: the zones that take it, and why the others do not.
type triedView struct {
	Address string
	Takes   []triedZone
	Others  []triedZone
}

type triedZone struct{ Colour, Name, Why string }

func triedOf(state *draft.State, line string, to place.Address) *triedView {
	f := state.File
	if to.Country == "" || len(f.Zones) == 0 {
		return nil
	}
	v := &triedView{Address: line}
	spotted := state.Engine.Spot(to)
	taken := map[int]bool{}
	for _, m := range state.Engine.Zones(&spotted) {
		z := &f.Zones[m.Owner]
		taken[m.Owner] = true
		v.Takes = append(v.Takes, triedZone{colour(m.Owner), nameOr(z.Name, z.ID), m.Because()})
	}
	for i := range f.Zones {
		if !taken[i] {
			v.Others = append(v.Others, triedZone{colour(i), nameOr(f.Zones[i].Name, f.Zones[i].ID), state.Engine.WhyNot(i, &spotted)})
		}
	}
	return v
}

type shopView struct {
	Name, Currency, Weight, Distance string
	Slip                             string
	HasPrices                        bool
	Weights, Distances               []string
}

var levelGroups = []struct {
	name   string
	levels []place.Level
}{
	{"Drawn and measured", []place.Level{place.Spot}},
	{"Postcodes", []place.Level{place.Postcode}},
	{"Towns and regions", []place.Level{place.City, place.Region}},
	{"Countries", []place.Level{place.Country}},
	{"Wider", []place.Level{place.Group, place.World}},
	{"Nowhere yet", []place.Level{0}},
}

// narrowestLevel is the level under which a zone is listed.
func narrowestLevel(z *store.Zone) place.Level {
	var least place.Level
	for i := range z.Places {
		if l := z.Places[i].Level(); least == 0 || l < least {
			least = l
		}
	}
	return least
}

func (s *Server) zonesView(c *gin.Context, state *draft.State) zonesView {
	f := state.File
	v := zonesView{Empty: len(f.Zones) == 0, Placed: "Finland, SE 10*, FI 96000 to 99999, not FI 21660", Shop: shopOf(f)}
	here, line, to := s.tillZone(c.Request.Context(), state)
	v.Strip = stripOf(c, state, to)
	v.Tried = triedOf(state, line, to)
	takes := v.Strip.sentences(f)
	if typed := c.Query("new"); typed != "" { // a stretch of the strip was chosen
		v.Typed = typed
	}
	priced := map[string][]string{}
	for i := range f.Methods {
		for _, t := range f.Methods[i].Tables {
			for _, z := range t.Zones {
				if name := nameOr(f.Methods[i].Name, f.Methods[i].ID); !slices.Contains(priced[z], name) {
					priced[z] = append(priced[z], name)
				}
			}
		}
	}
	row := func(i int) zoneRow {
		z := &f.Zones[i]
		row := zoneRow{ID: z.ID, Name: nameOr(z.Name, z.ID), Colour: colour(i), Enabled: z.Enabled, Pinned: z.Rank != nil, Chips: chips(z), Takes: takes[i]}
		switch n := len(priced[z.ID]); n {
		case 0:
			row.Priced = "no prices yet"
		case 1:
			row.Priced = "priced in " + priced[z.ID][0]
		default:
			row.Priced = "priced in " + strconv.Itoa(n) + " methods"
		}
		if i == here {
			row.Here = line
		}
		return row
	}
	if pinned := pinnedZones(f); len(pinned) > 0 {
		group := zoneGroup{Name: "Pinned before all others"}
		for _, i := range pinned {
			group.Rows = append(group.Rows, row(i))
		}
		v.Groups = append(v.Groups, group)
	}
	for _, g := range levelGroups {
		group := zoneGroup{Name: g.name}
		for i := range f.Zones {
			if z := &f.Zones[i]; z.Rank == nil && slices.Contains(g.levels, narrowestLevel(z)) {
				group.Rows = append(group.Rows, row(i))
			}
		}
		if len(group.Rows) > 0 {
			v.Groups = append(v.Groups, group)
		}
	}
	return v
}

// pinnedZones lists the zones that have a rank, lowest first.
func pinnedZones(f *store.File) []int {
	var list []int
	for i := range f.Zones {
		if f.Zones[i].Rank != nil {
			list = append(list, i)
		}
	}
	slices.SortStableFunc(list, func(a, b int) int { return cmp.Compare(*f.Zones[a].Rank, *f.Zones[b].Rank) })
	return list
}

func nameOr(name, id string) string {
	if name == "" {
		return id
	}
	return name
}

func chips(z *store.Zone) []chip {
	var out []chip
	for _, l := range []struct {
		key   string
		rules []place.Rule
	}{{"places", z.Places}, {"except", z.Except}} {
		for i := range l.rules {
			for j, text := range l.rules[i].Words() {
				out = append(out, chip{text, l.key == "except", l.key + "/" + strconv.Itoa(i) + "/" + strconv.Itoa(j)})
			}
		}
	}
	return out
}

func (s *Server) zones(c *gin.Context) {
	s.page(c, "/zones", "Zones", "zones", s.zonesView(c, s.draft.State()))
}

// home is the country that codes belong to where none is named.
func home(f *store.File) string {
	for _, l := range f.Locations {
		if l.ShipsFrom {
			return l.Country
		}
	}
	for _, l := range f.Locations {
		return l.Country
	}
	for i := range f.Zones {
		for j := range f.Zones[i].Places {
			if c := f.Zones[i].Places[j].Country; c != "" {
				return c
			}
		}
	}
	return ""
}
