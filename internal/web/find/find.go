// Package find finds zones, products, methods, postcodes and pages of the shop from one field.
package find

import (
	"cmp"
	"embed"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"diadrom/internal/core/place"
	"diadrom/internal/core/world"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// Files are the templates of this screen.
//
//go:embed templates/*.html
var Files embed.FS

// Screens are the field and the page that lists all that it finds.
type Screens struct {
	*shell.Shell
	draft shell.Editor
}

// New makes the screen.
func New(sh *shell.Shell, d shell.Editor) *Screens { return &Screens{sh, d} }

// Routes registers the addresses of this screen.
func (s *Screens) Routes(r gin.IRouter) {
	r.GET("/find", s.page)
	r.GET("/find/as-typed", shell.PartOf("/find"), s.asTyped)
}

// How much is found: while it is typed, and on the page.
const (
	maxTyped = 10
	maxPage  = 60
)

// found is a thing of the shop, with what it is and the page on which it stands.
type found struct{ Kind, Text, Means, Path string }

func (s *Screens) asTyped(c *gin.Context) {
	s.HTML(c, http.StatusOK, s.Render("found-as-typed", Find(s.draft.State(), c.Query("text"), maxTyped)))
}

func (s *Screens) page(c *gin.Context) {
	text := strings.TrimSpace(c.Query("text"))
	s.Show(c, shell.Page{Title: "Find", Template: "find"},
		map[string]any{"Text": text, "Found": Find(s.draft.State(), text, maxPage)})
}

// ranked is something that was found, with how well: a lower rank is better.
type ranked struct {
	found
	rank int
}

// finder finds what has a text in it.
type finder struct {
	text string // folded
	list []ranked
}

// Ranks of what is found.
const (
	isIt   = iota // it is called so
	begins        // it begins so
	has           // it has it in it
	other         // something of it has it
)

// add adds a thing that is called by some names, if one of them has the text.
func (f *finder) add(what found, names ...string) {
	best := other
	for _, name := range names {
		folded := world.Fold(name)
		switch {
		case folded == f.text:
			best = isIt
		case strings.HasPrefix(folded, f.text):
			best = min(best, begins)
		case strings.Contains(folded, f.text):
			best = min(best, has)
		}
	}
	if best < other {
		f.list = append(f.list, ranked{what, best})
	}
}

// Find lists what of a shop has a text in its name or its id, the best matches first, at most so many; for a postcode or
// an address the zones that take it come first.
func Find(state *draft.State, text string, most int) []found {
	text = strings.TrimSpace(text)
	if text == "" || len(text) > 200 {
		return nil
	}
	f := finder{text: world.Fold(text)}
	file := state.File
	for i := range file.Zones {
		z := &file.Zones[i]
		f.add(found{"Zone", cmp.Or(z.Name, z.ID), "", zonePath(z.ID)}, z.Name, z.ID)
	}
	for i := range file.Methods {
		m := &file.Methods[i]
		means := ""
		if label := m.BuyersLabel(); label != cmp.Or(m.Name, m.ID) {
			means = "buyers read " + label
		}
		f.add(found{"Method", cmp.Or(m.Name, m.ID), means, "/methods/" + m.ID}, m.Name, m.ID, m.Label)
	}
	for i := range file.Products {
		p := &file.Products[i]
		f.add(found{"Product", cmp.Or(p.Name, p.SKU), p.SKU, "/goods?find=" + url.QueryEscape(p.SKU)}, p.SKU, p.Name)
	}
	for i := range file.Classes {
		c := &file.Classes[i]
		f.add(found{"Class", cmp.Or(c.Name, c.ID), "", "/goods"}, c.Name, c.ID)
	}
	for i := range file.Carriers {
		c := &file.Carriers[i]
		f.add(found{"Carrier", cmp.Or(c.Name, c.ID), "", "/carriers#carrier-" + c.ID}, c.Name, c.ID)
	}
	for i := range file.Boxes {
		b := &file.Boxes[i]
		f.add(found{"Box", cmp.Or(b.Name, b.ID), "", "/goods/boxes"}, b.Name, b.ID)
	}
	for i := range file.Locations {
		l := &file.Locations[i]
		f.add(found{"Place of the shop", cmp.Or(l.Name, l.ID), "", "/shop#place-" + l.ID}, l.Name, l.ID)
	}
	for i := range file.Surcharges {
		x := &file.Surcharges[i]
		f.add(found{"Surcharge", cmp.Or(x.Name, x.ID), "", "/extras#extra-" + x.ID}, x.Name, x.ID)
	}
	for i := range file.Agreed {
		x := &file.Agreed[i]
		f.add(found{"Agreed charge", cmp.Or(x.Name, x.ID), "", "/extras#extra-" + x.ID}, x.Name, x.ID)
	}
	for i := range file.Costs {
		x := &file.Costs[i]
		f.add(found{"Costs", cmp.Or(x.Name, x.ID), "", "/costs"}, x.Name, x.ID)
	}
	for _, p := range pages {
		f.add(found{"Page", p.name, "", p.path}, append([]string{p.name}, p.also...)...)
	}
	slices.SortStableFunc(f.list, func(a, b ranked) int { return a.rank - b.rank })
	list := taking(state, text)
	if len(list) == 0 {
		list = named(state, text)
	}
	for i := range f.list {
		list = append(list, f.list[i].found)
	}
	return list[:min(len(list), most)]
}

func zonePath(id string) string { return "/zones?zone=" + id + "#zone-" + id }

// maxTaking is how many zones are listed that take an address.
const maxTaking = 4

// taking lists the zones that take a postcode or an address, the one that counts first.
func taking(state *draft.State, text string) (list []found) {
	if !strings.ContainsAny(text, "0123456789") {
		return nil
	}
	to, err := state.Reader().Address(text)
	if err != nil || to.Postcode == "" {
		return nil
	}
	resolved := state.Engine.Resolve(to)
	line := to.Line(state.Reader().Home)
	for i, m := range state.Engine.Zones(&resolved) {
		if i == maxTaking {
			break
		}
		z := &state.File.Zones[m.Owner]
		means := "takes " + line + ": " + m.Because()
		if i > 0 {
			means = "takes " + line + " too: " + m.Because()
		}
		list = append(list, found{"Zone", cmp.Or(z.Name, z.ID), means, zonePath(z.ID)})
	}
	if len(list) == 0 {
		list = append(list, found{"Postcode", line, "in no zone", "/zones?new=" + url.QueryEscape(text)})
	}
	return list
}

// named lists the zones of which a place is called so: a code as it was typed, a town, a country.
func named(state *draft.State, text string) (list []found) {
	folded := world.Fold(text)
	for i := range state.File.Zones {
		z := &state.File.Zones[i]
		for j := range z.Places {
			if word, ok := wordOf(&z.Places[j], folded); ok {
				if list = append(list, found{"Zone", cmp.Or(z.Name, z.ID), "has " + word, zonePath(z.ID)}); len(list) == maxTaking {
					return list
				}
				break
			}
		}
	}
	return list
}

// wordOf finds what of a rule has a text in it, or of its postcodes which begins so.
func wordOf(r *place.Rule, folded string) (string, bool) {
	if r.Level() == place.Postcode {
		code := strings.ToUpper(folded)
		if rest, ok := strings.CutPrefix(code, r.Country+" "); ok {
			code = rest
		}
		if !strings.ContainsAny(code, "0123456789") {
			return "", false
		}
		for i := range r.Postcodes {
			if text := r.Postcodes[i].String(); strings.HasPrefix(text, code) {
				return r.Country + " " + text, true
			}
		}
		return "", false
	}
	for _, word := range r.Words() {
		if strings.Contains(world.Fold(word), folded) {
			return word, true
		}
	}
	return "", false
}

// pages are those that are found by their names.
var pages = []struct {
	name, path string
	also       []string
}{
	{"Shop", "/shop", []string{"currency", "tax", "units", "dispatch", "opening"}},
	{"Zones", "/zones", []string{"places", "postcodes"}},
	{"Map", "/map", []string{"areas"}},
	{"Products", "/goods", []string{"goods", "weights"}},
	{"Boxes", "/goods/boxes", []string{"packing"}},
	{"Methods", "/methods", []string{"delivery methods"}},
	{"Carriers", "/carriers", nil},
	{"Terms for several methods", "/defaults", []string{"defaults"}},
	{"Languages", "/languages", []string{"translations"}},
	{"Shipping policy", "/policy", nil},
	{"Rates", "/rates", []string{"prices", "price lists"}},
	{"Extras", "/extras", []string{"surcharges", "agreed charges"}},
	{"What sending costs", "/costs", []string{"costs"}},
	{"Quotes", "/quotes", nil},
	{"Promises", "/promises", nil},
	{"Past orders", "/past", []string{"orders"}},
	{"Address book", "/book", nil},
	{"Checkout", "/checkout", nil},
	{"Delivery in your pages", "/checkout/element", []string{"element", "widget", "snippet", "colours"}},
	{"Warnings", "/warnings", nil},
	{"Live", "/live", []string{"publish", "editions"}},
	{"Backups", "/backups", []string{"restore"}},
	{"People and keys", "/people", []string{"sessions", "api keys", "events"}},
}
