package zones

import (
	"cmp"
	"net/http"
	"strconv"

	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/geozones"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
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

func (s *Screens) previewAreas(_ *gin.Context, u *sqlite.Upload, slip string) (any, int, error) {
	state := s.draft.State()
	v := areasFileView{ID: strconv.FormatInt(u.ID, 10), Name: u.Name, Problem: slip}
	read, err := geozones.Parse(u.Body)
	if err != nil {
		v.Problem = err.Error()
		return v, http.StatusOK, nil
	}
	v.Notes, v.Refused = read.Notes, read.Refused[:min(len(read.Refused), upload.MaxFaults)]
	v.More = len(read.Refused) - len(v.Refused)
	next := state.File.Clone()
	var touched []store.Zone
	for _, id := range edit.PutAreas(next, read.Zones) {
		touched = append(touched, *next.Zone(id))
	}
	var all zonesFileView
	all.compare(state.File, touched)
	v.Changes, v.Same = all.Changes, all.Same
	if len(read.Zones)+len(read.Refused) == 0 {
		v.Problem = cmp.Or(v.Problem, "it has no area")
	}
	return v, http.StatusOK, nil
}

func (s *Screens) applyAreas(c *gin.Context, u *sqlite.Upload) (upload.Applied, error) {
	read, err := geozones.Parse(u.Body)
	if err != nil {
		return upload.Applied{}, shell.Refusef("%s", err)
	}
	_, err = s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		edit.PutAreas(f, read.Zones)
		return nil
	})
	return upload.Applied{To: "/zones"}, err
}
