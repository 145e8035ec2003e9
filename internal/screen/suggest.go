package screen

import (
	"net/http"

	"diadrom/internal/place"

	"github.com/gin-gonic/gin"
)

// mostSuggested is how many places are offered while typing.
const mostSuggested = 8

// longestSuggested is up to how many bytes of places before the one that is typed something is offered.
const longestSuggested = 2000

// suggested is what may be meant by what is typed so far: each text is all that the field is to hold.
type suggested struct{ Text, Shown, Means string }

func (s *Server) suggestPlaces(c *gin.Context) {
	state := s.draft.State()
	reader := state.Engine.Reader()
	if z, _ := zoneByID(state.File, c.Query("zone")); z != nil {
		reader.Home = countryOf(z, reader.Home)
	}
	kept, list := reader.SuggestPlaces(c.Query("text"), mostSuggested)
	s.suggest(c, kept, list)
}

// suggestAddresses offers the shop's usual destinations where nothing is typed yet.
func (s *Server) suggestAddresses(c *gin.Context) {
	if c.Query("text") == "" {
		_, usual, err := s.db.Samples(c.Request.Context())
		if err != nil {
			s.internal(c, err)
			return
		}
		var list []place.Choice
		for _, line := range usual {
			list = append(list, place.Choice{Text: line})
		}
		s.suggest(c, "", list)
		return
	}
	s.suggest(c, "", s.draft.State().Engine.Reader().SuggestAddresses(c.Query("text"), mostSuggested))
}

func (s *Server) suggest(c *gin.Context, kept string, list []place.Choice) {
	if len(kept) > longestSuggested { // a long paste is not typed
		list = nil
	}
	out := make([]suggested, len(list))
	for i, l := range list {
		out[i] = suggested{kept + l.Text, l.Text, l.Means}
	}
	s.html(c, http.StatusOK, s.render("suggested", out))
}
