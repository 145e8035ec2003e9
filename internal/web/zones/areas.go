package zones

import (
	"cmp"
	"net/http"
	"strconv"

	"diadrom/internal/core/atlas"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/geozones"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
	"github.com/paulmach/orb"
)

// areasFileView is what drawn areas of a GeoJSON file would change.
type areasFileView struct {
	ID, Name string
	Problem  string // why it is no GeoJSON
	Notes    []string
	Refused  []geozones.Refused
	More     int // refused features that are not shown
	Changes  []zoneChange
	Same     int
	Turned   bool // latitude is taken to stand first
	Asks     bool // it seems so, and is asked
}

// exportAreas answers with the drawn areas of all zones.
func (s *Screens) exportAreas(c *gin.Context) {
	data, _ := geozones.Write(s.draft.State().File.Zones)
	c.Header("Content-Disposition", `attachment; filename="zones.geojson"`)
	c.Data(http.StatusOK, "application/geo+json", data)
}

// areas imports drawn areas.
func (s *Screens) areas() *upload.Import {
	return &upload.Import{
		Shell:   s.Shell,
		Store:   s.db,
		Kind:    "areas",
		Path:    "/zones/areas",
		Page:    shell.Page{Here: "/zones", Title: "Zones", Template: "zones-areas"},
		What:    "a file of areas",
		Max:     upload.MaxTable,
		Refuse:  func(text string) any { return areasFileView{Problem: text} },
		Preview: s.previewAreas,
		Apply:   s.applyAreas,
	}
}

func (s *Screens) previewAreas(c *gin.Context, u *sqlite.Upload, slip string) (any, int, error) {
	state := s.draft.State()
	v := areasFileView{ID: strconv.FormatInt(u.ID, 10), Name: u.Name, Problem: slip}
	v.Turned = c.Query("turned") == "yes"
	read, err := s.Files.Areas(c.Request.Context(), u.Body, v.Turned)
	if err != nil {
		v.Problem = err.Error()
		return v, http.StatusOK, nil
	}
	v.Asks = !v.Turned && read.Turned(s.atHome(state))
	v.Notes, v.Refused = read.Notes, read.Refused[:min(len(read.Refused), upload.MaxFaults)]
	v.More = len(read.Refused) - len(v.Refused)
	next := state.File.Clone()
	var touched []store.Zone
	for _, id := range edit.PutAreas(next, read.Zones) {
		touched = append(touched, *next.Zone(id))
	}
	var all zonesFileView
	all.compare(state, touched)
	v.Changes, v.Same = all.Changes, all.Same
	if len(read.Zones)+len(read.Refused) == 0 {
		v.Problem = cmp.Or(v.Problem, "it has no area")
	}
	return v, http.StatusOK, nil
}

// atHome says whether a point lies in or near a country that the shop is in or sends to by name.
func (s *Screens) atHome(state *draft.State) func(orb.Point) bool {
	f, countries := state.File, map[string]bool{}
	countries[f.Home()] = true
	for i := range f.Zones {
		for j := range f.Zones[i].Places {
			countries[f.Zones[i].Places[j].Country] = true
		}
	}
	delete(countries, "")
	return func(p orb.Point) bool {
		for country := range countries {
			if atlas.Near(country, p, offshore) {
				return true
			}
		}
		return false
	}
}

// offshore is how many metres off the land of a country an area still lies there.
const offshore = 50_000

func (s *Screens) applyAreas(c *gin.Context, u *sqlite.Upload) (upload.Applied, error) {
	read, err := s.Files.Areas(c.Request.Context(), u.Body, c.PostForm("turned") == "yes")
	if err != nil {
		return upload.Applied{}, shell.Refusef("%s", err)
	}
	_, err = s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		edit.PutAreas(f, read.Zones)
		return nil
	})
	return upload.Applied{To: "/zones"}, err
}
