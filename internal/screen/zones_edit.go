package screen

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/draft"
	"diadrom/internal/place"
	"diadrom/internal/postcode"
	"diadrom/internal/store"
	"diadrom/internal/world"

	"github.com/gin-gonic/gin"
)

func (s *Server) editZones(c *gin.Context, change func(*store.File) error, slipped func(*zonesView, string)) {
	editWork(s, c, "zones", func(state *draft.State) zonesView { return s.zonesView(c, state) }, change, slipped)
}

func (s *Server) addZone(c *gin.Context) {
	typed := c.PostForm("places")
	var id string
	text, err := s.draft.State().Engine.Reader().TextUntil(
		c.Request.Context(),
		typed,
	) // before anybody has to wait for it
	if err != nil {
		s.internal(c, err)
		return
	}
	s.editPlaces(c, func(f *store.File) error {
		if err := nothingTaken(text); err != nil {
			return err
		}
		if len(text.Places) == 0 {
			return slipf("say first what the zone takes, then what it leaves out")
		}
		name := zoneName(text.Places)
		id = store.NewID(name, "zone", func(id string) bool { z, _ := zoneByID(f, id); return z != nil })
		c.Set("added", id)
		f.Zones = append(
			f.Zones,
			store.Zone{ID: id, Name: name, Enabled: true, Places: text.Places, Except: text.Except},
		)
		return nil
	}, func(v *zonesView) {
		row := v.row(id)
		if row.tell(
			text,
		); row.Note != "" ||
			row.Slip.Text != "" { // told where it was typed too: the row may be far below
			v.Added = row
		}
	}, func(v *zonesView, said string) { v.Typed, v.Slip = typed, slipView{said, choices(text, typed)} })
}

// editPlaces is editZones for what is pasted: taken tells what became of it when some of it was taken.
func (s *Server) editPlaces(
	c *gin.Context,
	change func(*store.File) error,
	taken func(*zonesView),
	slipped func(*zonesView, string),
) {
	before := s.draft.State().Revision
	editWork(s, c, "zones", func(state *draft.State) zonesView {
		v := s.zonesView(c, state)
		if state.Revision > before {
			taken(&v)
		}
		return v
	}, change, slipped)
}

// row is the row of a zone; one that is not there takes what is told to it nowhere.
func (v *zonesView) row(id string) *zoneRow {
	for i := range v.Groups {
		for j := range v.Groups[i].Rows {
			if row := &v.Groups[i].Rows[j]; row.ID == id {
				return row
			}
		}
	}
	return &zoneRow{}
}

// nothingTaken is the slip of a text of which nothing can be used.
func nothingTaken(t place.Text) error {
	switch {
	case t.Taken > 0:
		return nil
	case len(t.Slips) == 1:
		return slipf("%s", t.Slips[0].Reason)
	case len(t.Slips) > 1:
		return slipf("none of these can be taken: %s", reasons(t.Slips))
	}
	return slipf("name a place: a country such as Finland, or codes such as FI 22*")
}

// spaces are what stands between the words of a typed part; line ends and tabs part places.
var spaces = regexp.MustCompile(` +`)

// choices offers the meanings of the first part of a text that has several, each as the whole text mended.
func choices(t place.Text, typed string) (list []textChoice) {
	for _, slip := range t.Slips {
		if len(slip.Choices) == 0 {
			continue
		}
		whole := spaces.ReplaceAllString(typed, " ")
		for _, c := range slip.Choices {
			mended := c.Text
			if strings.Contains(whole, slip.Part) {
				mended = strings.Replace(whole, slip.Part, c.Text, 1)
			}
			list = append(list, textChoice{c.Text, c.Means, mended})
		}
		return list
	}
	return nil
}

// reasons says what is wrong with the first few.
func reasons(slips []*place.TextError) string {
	var out []string
	for _, s := range slips[:min(3, len(slips))] {
		out = append(out, s.Reason)
	}
	if more := len(slips) - len(out); more > 0 {
		out = append(out, "and "+strconv.Itoa(more)+" more")
	}
	return strings.Join(out, "; ")
}

// tell says what became of a pasted text; what was not taken stays in the field, to be mended.
func (r *zoneRow) tell(t place.Text) {
	var said []string
	if t.Taken > 3 || len(t.Repeats) > 0 || r.More > 0 {
		text := strconv.Itoa(t.Taken) + " taken"
		if len(t.Repeats) > 0 {
			text += ", " + firstFew(t.Repeats) + " already there"
		}
		said = append(said, text)
	}
	if len(t.Unknown) > 0 {
		said = append(said, "added, though no list of places has "+firstFew(t.Unknown))
	}
	r.Note = strings.Join(said, "; ")
	if len(t.Slips) == 0 {
		return
	}
	left := make([]string, len(t.Slips))
	for i, s := range t.Slips {
		left[i] = s.Part
	}
	r.Typed = strings.Join(left, ", ")
	r.Slip = slipView{plural(len(t.Slips), "part") + " not taken: " + reasons(t.Slips), choices(t, r.Typed)}
}

// firstFew names the first three of a list, and how many more there are.
func firstFew(list []string) string {
	text := strings.Join(list[:min(3, len(list))], ", ")
	if n := len(list); n > 3 {
		text += " and " + strconv.Itoa(n-3) + " more"
	}
	return text
}

// zoneName is the name that a new zone gets from its places.
func zoneName(places []place.Rule) string {
	words := places[0].Words()
	name := words[0]
	switch r := &places[0]; r.Level() {
	case place.Region:
		region, _ := world.RegionByCode(r.Country, r.Region)
		name = region.Name
	case place.City:
		name = r.City
	case place.Postcode:
		name = world.CountryName(r.Country) + " " + strings.TrimPrefix(words[0], r.Country+" ")
	}
	if more := len(places) + len(words) - 2; more > 0 {
		name += " and " + strconv.Itoa(more) + " more"
	}
	return name
}

// editZone makes an edit of the zone of the address; slipped puts what is wrong into its row.
func (s *Server) editZone(
	c *gin.Context,
	change func(*store.File, *store.Zone) error,
	slipped func(*zoneRow, string),
) {
	id := c.Param("zone")
	s.editZones(c, func(f *store.File) error {
		z, _ := zoneByID(f, id)
		if z == nil {
			return slipf("this zone was removed meanwhile; nothing was changed")
		}
		return change(f, z)
	}, func(v *zonesView, text string) {
		if row := v.row(id); row.ID != "" {
			slipped(row, text)
		} else {
			v.Slip.Text = text
		}
	})
}

func (s *Server) nameZone(c *gin.Context) {
	typed := c.PostForm("name")
	s.editZone(c, func(f *store.File, z *store.Zone) error {
		name, err := typedName(typed)
		if err != nil {
			return err
		}
		for i := range f.Zones {
			if other := &f.Zones[i]; other.ID != z.ID && strings.EqualFold(other.Name, name) {
				return slipf("another zone is called %s already", other.Name)
			}
		}
		z.Name = name
		return nil
	}, func(r *zoneRow, text string) { r.NameSlip, r.Rename = text, typed })
}

func (s *Server) addPlaces(c *gin.Context) {
	id, typed := c.Param("zone"), c.PostForm("places")
	reader := s.draft.State().Engine.Reader()
	if z, _ := zoneByID(s.draft.State().File, id); z != nil {
		reader.Home = countryOf(z, reader.Home)
	}
	read, err := reader.TextUntil(c.Request.Context(), typed) // before anybody has to wait for it
	if err != nil {
		s.internal(c, err)
		return
	}
	var text place.Text
	s.editPlaces(c, func(f *store.File) error {
		text = read
		z, _ := zoneByID(f, id)
		if z == nil {
			return slipf("this zone was removed meanwhile; nothing was changed")
		}
		if err := nothingTaken(text); err != nil {
			return err
		}
		for _, l := range []struct {
			into *[]place.Rule
			more []place.Rule
		}{{&z.Places, text.Places}, {&z.Except, text.Except}} {
			for _, more := range l.more {
				var again []string
				*l.into, again = addRule(*l.into, more)
				text.Repeats, text.Taken = append(text.Repeats, again...), text.Taken-len(again)
			}
		}
		if text.Taken == 0 && len(text.Slips) == 0 {
			return slipf("%s is in this zone already", firstFew(text.Repeats))
		}
		return nil
	}, func(v *zonesView) { v.row(id).tell(text) }, func(v *zonesView, said string) {
		if row := v.row(id); row.ID != "" {
			row.Slip, row.Typed = slipView{said, choices(text, typed)}, typed
		} else {
			v.Slip.Text = said
		}
	})
}

// countryOf is the country that codes typed into a zone belong to: that of its codes, or else of its places, or
// else the shop's.
func countryOf(z *store.Zone, otherwise string) string {
	country := ""
	for i := range z.Places {
		switch r := &z.Places[i]; {
		case r.Level() == place.Postcode:
			return r.Country
		case country == "":
			country = r.Country
		}
	}
	if country == "" {
		return otherwise
	}
	return country
}

// addRule adds a rule to a list; what is there already is returned.
func addRule(rules []place.Rule, more place.Rule) (all []place.Rule, again []string) {
	if more.Level() != place.Postcode {
		for i := range rules {
			if rules[i].Level() == more.Level() && slices.Equal(rules[i].Words(), more.Words()) {
				return rules, more.Words()
			}
		}
		return append(rules, more), nil
	}
	for i := range rules {
		r := &rules[i]
		if r.Level() != place.Postcode || r.Country != more.Country {
			continue
		}
		have := make(map[postcode.Entry]bool, len(r.Postcodes))
		for _, e := range r.Postcodes {
			have[e] = true
		}
		for _, e := range more.Postcodes {
			if have[e] {
				again = append(again, more.Country+" "+e.String())
				continue
			}
			r.Postcodes = append(r.Postcodes, e)
		}
		return rules, again
	}
	return append(rules, more), nil
}

func (s *Server) removePlace(c *gin.Context) {
	key, text := c.PostForm("key"), c.PostForm("text")
	s.editZone(c, func(_ *store.File, z *store.Zone) error {
		gone := slipf("%s is not in this zone any more", text)
		part := strings.Split(key, "/")
		if len(part) != 3 {
			return gone
		}
		list := &z.Places
		if part[0] == "except" {
			list = &z.Except
		}
		i, err1 := strconv.Atoi(part[1])
		j, err2 := strconv.Atoi(part[2])
		if err1 != nil || err2 != nil || i < 0 || i >= len(*list) {
			return gone
		}
		r := &(*list)[i]
		if j < 0 || j >= r.Count() || r.Word(j) != text { // another tab has changed the list
			return gone
		}
		if r.Level() == place.Postcode && len(r.Postcodes) > 1 {
			r.Postcodes = slices.Delete(r.Postcodes, j, j+1)
		} else {
			*list = slices.Delete(*list, i, i+1)
		}
		return nil
	}, func(r *zoneRow, text string) { r.Slip.Text = text })
}

func (s *Server) enableZone(c *gin.Context) {
	s.editZone(c, func(_ *store.File, z *store.Zone) error {
		z.Enabled = c.PostForm("enabled") == "on"
		return nil
	}, func(r *zoneRow, text string) { r.Slip.Text = text })
}

func (s *Server) removeZone(c *gin.Context) {
	s.editZone(c, func(f *store.File, z *store.Zone) error {
		for i := range f.Methods {
			for _, t := range f.Methods[i].Tables {
				if slices.Contains(t.Zones, z.ID) {
					return slipf(
						"%s has prices in %s: take its column out there first, or switch the zone off",
						nameOr(z.Name, z.ID),
						nameOr(f.Methods[i].Name, f.Methods[i].ID),
					)
				}
			}
		}
		_, i := zoneByID(f, z.ID)
		f.Zones = slices.Delete(f.Zones, i, i+1)
		return nil
	}, func(r *zoneRow, text string) { r.Slip.Text = text })
}

func shopOf(f *store.File) shopView {
	v := shopView{
		Name:      f.Store.Name,
		Currency:  f.Store.Currency,
		Weight:    f.Store.WeightUnit,
		Distance:  f.Store.DistanceUnit,
		Weights:   []string{"g", "kg", "oz", "lb"},
		Distances: []string{"km", "mi"},
	}
	for i := range f.Methods {
		v.HasPrices = v.HasPrices || len(f.Methods[i].Tables) > 0
	}
	return v
}

// editShop sets what holds for all of the shop. Units are set before there are numbers in them.
func (s *Server) editShop(c *gin.Context) {
	s.editZones(c, func(f *store.File) error {
		name, err := typedName(c.PostForm("name"))
		if err != nil {
			return err
		}
		f.Store.Name = name
		currency := strings.ToUpper(strings.TrimSpace(c.PostForm("currency")))
		weight, distance := c.PostForm("weight"), c.PostForm("distance")
		if shopOf(f).HasPrices || len(f.Products) > 0 {
			if currency != f.Store.Currency || weight != f.Store.WeightUnit || distance != f.Store.DistanceUnit {
				return slipf(
					"there are prices and weights already: another currency or unit would change what they mean",
				)
			}
			return nil
		}
		f.Store.Currency, f.Store.WeightUnit, f.Store.DistanceUnit = currency, weight, distance
		return nil
	}, func(v *zonesView, text string) {
		v.Shop.Name, v.Shop.Currency, v.Shop.Slip = c.PostForm("name"), c.PostForm("currency"), text
	})
}

// pinZone gives a zone a rank before all others, or takes its rank away.
func (s *Server) pinZone(c *gin.Context) {
	s.editZone(c, func(f *store.File, z *store.Zone) error {
		if c.PostForm("pinned") != "on" {
			z.Rank = nil
			return nil
		}
		first := int64(0)
		if pinned := pinnedZones(f); len(pinned) > 0 {
			first = *f.Zones[pinned[0]].Rank - 1
		}
		z.Rank = &first
		return nil
	}, func(r *zoneRow, text string) { r.Slip.Text = text })
}
