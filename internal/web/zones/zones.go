package zones

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/place"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/core/world"
	"diadrom/internal/edit"
	"diadrom/internal/review/coverage"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/overlaps"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/strip"

	"github.com/gin-gonic/gin"
)

// chip is one place of a zone, as it is shown and removed.
type chip struct {
	Text   string
	Means  string // the town of a code
	Except bool
	Key    string // list/rule/entry

	Unknown bool // to all lists of places
}

type zoneRow struct {
	ID, Name string
	Colour   string
	Enabled  bool
	Pinned   bool
	Only     bool // no broader zone stands in where it has no price
	Chips    []chip
	More     int    // places that are not shown
	Opened   bool   // all are shown
	Priced   string // where it has prices
	Takes    string // how many codes, out of which zones
	Overlaps []string
	Here     string // the Till's address, where this zone takes it before the others
	Slip     slipView
	Typed    string // what was typed and not taken
	Note     string // what became of what was pasted
	Unlisted string // places that no list has
	NameSlip string
	Rename   string
}

// slipView is what is wrong with a text, and what may have been meant by it: each choice is the whole text mended.
type slipView struct {
	Text    string
	Choices []textChoice
}

type textChoice struct{ Text, Means, Whole string }

type zoneGroup struct {
	Name string
	Rows []zoneRow
}

type zonesView struct {
	Groups  []zoneGroup
	Empty   bool
	Typed   string
	Slip    slipView
	Added   *zoneRow    // the zone that was made last, where something is to be said of it
	LeaveTo []leaveView // zones that a stretch of the strip can be left out of
	Placed  string      // example for the field
	Strip   *strip.View
	Tried   *triedView
	Lists   listsView
	Find    string // what the zones are searched for
	Findable,
	Found bool
	Hidden   int    // zones that are not shown yet
	MorePath string // shows more of them
	Partial  bool   // too many overlaps to compare
}

// leaveView is a zone that a stretch can be left out of.
type leaveView struct{ ID, Name, Text string }

// triedView says what becomes of the Till's address: the zones that take it, and why the others do not.
type triedView struct {
	Address string
	Doubt   string // what no list knows of it
	Takes   []triedZone
	Others  []triedZone
	More    int
}

type triedZone struct{ Colour, Name, Why string }

// maxOthers is for how many zones it is said why they do not take an address.
const maxOthers = 40

func triedOf(state *draft.State, line string, to place.Address) *triedView {
	f := state.File
	if to.Country == "" || len(f.Zones) == 0 {
		return nil
	}
	v := &triedView{Address: line, Doubt: state.Reader().Doubt(to)}
	resolved := state.Engine.Resolve(to)
	taken := map[int]bool{}
	for _, m := range state.Engine.Zones(&resolved) {
		z := &f.Zones[m.Owner]
		taken[m.Owner] = true
		v.Takes = append(v.Takes, triedZone{shell.Colour(m.Owner), cmp.Or(z.Name, z.ID), m.Because()})
	}
	for i := range f.Zones {
		switch {
		case taken[i]:
		case len(v.Others) == maxOthers:
			v.More++
		default:
			v.Others = append(
				v.Others,
				triedZone{shell.Colour(i), cmp.Or(f.Zones[i].Name, f.Zones[i].ID), coverage.WhyNot(state.Engine, i,
					&resolved)},
			)
		}
	}
	return v
}

var levelGroups = []struct {
	name   string
	levels []place.Level
}{
	{"Drawn and measured", []place.Level{place.Shape}},
	{"Postcodes", []place.Level{place.Postcode}},
	{"Towns and regions", []place.Level{place.City, place.Region}},
	{"Countries", []place.Level{place.Country}},
	{"Wider", []place.Level{place.Group, place.World}},
	{"Nowhere yet", []place.Level{0}},
}

// Of many zones and places only so many are shown at first.
const (
	maxRows  = 30   // zones
	moreRows = 200  // zones that are shown with each further step
	maxChips = 12   // places of a zone
	allChips = 5000 // places of a zone that was opened
)

func (s *Screens) zonesView(c *gin.Context, state *draft.State) zonesView {
	return s.zonesViewWith(c, state, c.Param("zone"))
}

// zonesViewWith is zonesView in which a zone is shown whatever else is.
func (s *Screens) zonesViewWith(c *gin.Context, state *draft.State, edited string) zonesView {
	f, query := state.File, shell.Viewed(c)
	v := zonesView{
		Empty:    len(f.Zones) == 0,
		Placed:   "Finland, SE 10*, FI 96000 to 99999, not FI 21660",
		Find:     query.Get("find"),
		Findable: len(f.Zones) > maxRows/2,
	}
	here, line, to := s.till.Zone(c.Request.Context(), state)
	v.Strip = strip.Of(query, state, to)
	v.Tried = triedOf(state, line, to)
	if typed := query.Get("new"); typed != "" { // a stretch of the strip was chosen
		v.Typed = typed
		v.LeaveTo = leaves(state, typed)
	}
	lists, err := s.listsView(c.Request.Context(), state)
	if err != nil {
		s.Log.Error("lists of places", "error", err)
	}
	v.Lists = lists
	said := overlaps.About(state)
	v.Partial = said.Summary().Partial
	rows := zoneRows{
		state:  state,
		said:   said,
		priced: pricedIn(f),
		opened: cmp.Or(c.PostForm("opened"), query.Get("open")),
		edited: edited,
		wanted: query.Get("zone"),
		here:   here,
		line:   line,
	}
	shown, _ := strconv.Atoi(query.Get("show"))
	left := max(shown, maxRows)
	left = v.group(&rows, "Pinned before all others", pinnedZones(f), left)
	for _, g := range levelGroups {
		var zones []int
		for i := range f.Zones {
			if z := &f.Zones[i]; z.Rank == nil && slices.Contains(g.levels, z.Level()) {
				zones = append(zones, i)
			}
		}
		left = v.group(&rows, g.name, zones, left)
	}
	v.Found = len(v.Groups) > 0
	query.Set("show", strconv.Itoa(max(shown, maxRows)+moreRows))
	query.Del("new")
	v.MorePath = "/zones?" + query.Encode()
	return v
}

// group adds the rows of some zones, as many as are left to show, and says how many are left then. The zone that was
// edited is always shown.
func (v *zonesView) group(rows *zoneRows, name string, zones []int, left int) int {
	group := zoneGroup{Name: name}
	for _, i := range zones {
		z := &rows.state.File.Zones[i]
		switch {
		case z.ID == rows.edited, z.ID == rows.opened, z.ID == rows.wanted:
			group.Rows = append(group.Rows, rows.of(i))
		case v.Find != "" && !finds(z, v.Find):
		case left == 0:
			v.Hidden++
		default:
			left--
			group.Rows = append(group.Rows, rows.of(i))
		}
	}
	if len(group.Rows) > 0 {
		v.Groups = append(v.Groups, group)
	}
	return left
}

// zoneRows makes the rows of zones.
type zoneRows struct {
	state  *draft.State
	said   overlaps.Sentences
	priced map[string][]string
	opened string // id of the zone whose places are all shown
	edited string // id of the zone that was edited
	wanted string // id of the zone that a link leads to
	here   int    // the zone that takes the Till's address
	line   string // that address
}

func (r *zoneRows) of(i int) zoneRow {
	z := &r.state.File.Zones[i]
	row := zoneRow{
		ID:       z.ID,
		Name:     cmp.Or(z.Name, z.ID),
		Colour:   shell.Colour(i),
		Enabled:  z.Enabled,
		Pinned:   z.Rank != nil,
		Only:     z.Only,
		Opened:   r.opened == z.ID,
		Takes:    r.said.Takes(i),
		Overlaps: r.said.Of(i),
	}
	most := maxChips
	if row.Opened {
		most = allChips
	}
	row.Chips, row.More = chips(r.state.Reader(), z, most)
	var unlisted []string
	for _, chip := range row.Chips {
		if chip.Unknown {
			unlisted = append(unlisted, chip.Text)
		}
	}
	row.Unlisted = edit.FirstFew(unlisted)
	switch priced := r.priced[z.ID]; len(priced) {
	case 0:
		row.Priced = "no prices yet"
	case 1:
		row.Priced = "priced in " + priced[0]
	default:
		row.Priced = "priced in " + strconv.Itoa(len(priced)) + " methods"
	}
	if i == r.here {
		row.Here = r.line
	}
	return row
}

// pricedIn lists the names of the methods that have prices for each zone.
func pricedIn(f *store.File) map[string][]string {
	priced := map[string][]string{}
	for i := range f.Methods {
		for _, t := range f.Methods[i].Tables {
			for _, z := range t.Zones {
				if name := cmp.Or(f.Methods[i].Name, f.Methods[i].ID); !slices.Contains(priced[z], name) {
					priced[z] = append(priced[z], name)
				}
			}
		}
	}
	return priced
}

// finds says whether a zone's name or one of its places has a text in it.
func finds(z *store.Zone, text string) bool {
	text = world.Fold(text)
	if strings.Contains(world.Fold(cmp.Or(z.Name, z.ID)), text) {
		return true
	}
	for _, rules := range [2][]place.Rule{z.Places, z.Except} {
		for i := range rules {
			for _, words := range rules[i].Words() {
				if strings.Contains(world.Fold(words), text) {
					return true
				}
			}
		}
	}
	return false
}

// leaves lists the zones that a stretch can be left out of: those that take its first code, at most two.
func leaves(state *draft.State, typed string) (list []leaveView) {
	text := state.Reader().Text(typed)
	if len(text.Slips) > 0 || len(text.Places) != 1 || text.Places[0].Level() != place.Postcode {
		return nil
	}
	r := &text.Places[0]
	at := place.Address{Country: r.Country, Postcode: r.Postcodes[0].First(r.Country)}
	resolved := at.Resolve(state.Engine.Gazetteer())
	matches := state.Engine.Zones(&resolved)
	for _, m := range matches[:min(2, len(matches))] {
		z := &state.File.Zones[m.Owner]
		list = append(list, leaveView{z.ID, cmp.Or(z.Name, z.ID), "not " + typed})
	}
	return list
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

// chips lists the first places of a zone; more is how many there are besides.
func chips(reader typed.Reader, z *store.Zone, most int) (out []chip, more int) {
	for _, l := range []struct {
		key   string
		rules []place.Rule
	}{{"places", z.Places}, {"except", z.Except}} {
		for i := range l.rules {
			r := &l.rules[i]
			for j := range r.Count() {
				if len(out) == most {
					more++
					continue
				}
				out = append(
					out,
					chip{
						r.Word(j),
						reader.Means(r, j),
						l.key == "except",
						l.key + "/" + strconv.Itoa(i) + "/" + strconv.Itoa(j),
						reader.Unknown(r, j),
					},
				)
			}
		}
	}
	return out, more
}

func (s *Screens) zones(c *gin.Context) {
	if err := s.lists.Refresh(c.Request.Context()); err != nil {
		s.Internal(c, err)
		return
	}
	s.Show(c, shell.Page{Here: "/zones", Title: "Zones", Template: "zones"}, s.zonesView(c, s.draft.State()))
}
