package till

import (
	"cmp"
	"net/http"
	"strings"

	"diadrom/internal/core/typed"
	"diadrom/internal/core/world"

	"github.com/gin-gonic/gin"
)

// maxSuggested is how many places are offered while typing.
const maxSuggested = 8

// maxSuggestedBytes is up to how many bytes of places before the one that is typed something is offered.
const maxSuggestedBytes = 2000

// suggested is what may be meant by what is typed so far: each text is all that the field is to hold.
type suggested struct{ Text, Shown, Means string }

func (s *Screens) suggestPlaces(c *gin.Context) {
	state := s.draft.State()
	reader := state.Reader()
	if z := state.File.Zone(c.Query("zone")); z != nil {
		reader.Home = cmp.Or(z.Country(), reader.Home)
	}
	kept, list := reader.SuggestPlaces(c.Query("text"), maxSuggested)
	s.suggest(c, kept, list)
}

// suggestAddresses offers the shop's usual destinations where nothing is typed yet.
func (s *Screens) suggestAddresses(c *gin.Context) {
	if c.Query("text") == "" {
		_, usual, err := s.db.Samples(c.Request.Context())
		if err != nil {
			s.Internal(c, err)
			return
		}
		var list []typed.Choice
		for _, line := range usual {
			list = append(list, typed.Choice{Text: line})
		}
		s.suggest(c, "", list)
		return
	}
	known, err := s.known(c, maxKnown)
	if err != nil {
		s.Internal(c, err)
		return
	}
	list := s.draft.State().Reader().SuggestAddresses(c.Query("text"), maxSuggested-len(known))
	s.suggest(c, "", append(known, list...))
}

// maxKnown is how many entries of the address book are offered among addresses.
const maxKnown = 4

// known lists entries of the address book that have what is typed in their names.
func (s *Screens) known(c *gin.Context, most int) (list []typed.Choice, err error) {
	if c.Query("text") == "" {
		return nil, nil
	}
	entries, _, err := s.db.Book(c.Request.Context(), c.Query("text"), most)
	home := s.draft.State().Reader().Home
	for _, e := range entries {
		means := e.Address.Line(home)
		if e.Customer != "" {
			means += ", customer " + e.Customer
		}
		list = append(list, typed.Choice{Text: e.Name, Means: means})
	}
	return list, err
}

// suggestBook offers entries of the address book.
func (s *Screens) suggestBook(c *gin.Context) {
	list, err := s.known(c, maxSuggested)
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.suggest(c, "", list)
}

// suggestGoods offers goods whose sku or name begins as what is typed does, then those that have it in them.
func (s *Screens) suggestGoods(c *gin.Context) {
	f, text := s.draft.State().File, world.Fold(c.Query("text"))
	var begin, within []typed.Choice
	for i := range f.Products {
		p := &f.Products[i]
		sku, name := world.Fold(p.SKU), world.Fold(p.Name)
		choice := typed.Choice{Text: p.SKU, Means: p.Name}
		switch {
		case strings.HasPrefix(sku, text) || strings.HasPrefix(name, text):
			begin = append(begin, choice)
		case strings.Contains(sku, text) || strings.Contains(name, text):
			within = append(within, choice)
		}
		if len(begin) == maxSuggested {
			break
		}
	}
	list := append(begin, within...)
	s.suggest(c, "", list[:min(len(list), maxSuggested)])
}

func (s *Screens) suggest(c *gin.Context, kept string, list []typed.Choice) {
	if len(kept) > maxSuggestedBytes { // a long paste is not typed
		list = nil
	}
	out := make([]suggested, len(list))
	for i, l := range list {
		out[i] = suggested{kept + l.Text, l.Text, l.Means}
	}
	s.HTML(c, http.StatusOK, s.Render("suggested", out))
}

// suggestZones offers zones whose names have what is typed.
func (s *Screens) suggestZones(c *gin.Context) {
	f, text := s.draft.State().File, world.Fold(strings.TrimSpace(c.Query("text")))
	var list []typed.Choice
	for i := range f.Zones {
		z := &f.Zones[i]
		if name := cmp.Or(z.Name, z.ID); strings.Contains(world.Fold(name), text) || strings.Contains(z.ID, text) {
			if list = append(list, typed.Choice{Text: name}); len(list) == maxSuggested {
				break
			}
		}
	}
	s.suggest(c, "", list)
}
