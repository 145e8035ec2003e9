package screen

import (
	"bytes"
	"io"
	"net/http"
	"slices"
	"strconv"

	"diadrom/internal/draft"
	"diadrom/internal/edit"
	"diadrom/internal/place"
	"diadrom/internal/sheet"
	"diadrom/internal/store"
	"diadrom/internal/zonelist"

	"github.com/gin-gonic/gin"
)

// maxTable is the largest table that is read, in bytes.
const maxTable = 32 << 20

// kindZones is the kind of an upload that is a table of zones.
const kindZones = "zones"

// zonesFileView is what a table of zones would change.
type zonesFileView struct {
	ID, Name string
	Problem  string // why it is no table
	Slips    []zonelist.RowError
	More     int // slips that are not shown
	Changes  []zoneChange
	Same     int
	Left     int // zones of the shop that the table does not have
}

type zoneChange struct {
	Name, What string
	New        bool
}

// exportZones answers with all zones as a table.
func (s *Server) exportZones(c *gin.Context) {
	state := s.draft.State()
	var b bytes.Buffer
	if err := sheet.Write(&b, zonelist.Write(state.File.Zones, state.Engine.Reader())); err != nil {
		s.internal(c, err)
		return
	}
	c.Header("Content-Disposition", `attachment; filename="zones.csv"`)
	c.Data(http.StatusOK, "text/csv; charset=utf-8", b.Bytes())
}

// readTable reads the table of a form.
func readTable(c *gin.Context) (name string, body []byte, err error) {
	name, r, err := sentFile(c)
	if err != nil {
		return "", nil, err
	}
	body, err = io.ReadAll(io.LimitReader(r, maxTable+1))
	if err == nil && len(body) > maxTable {
		err = slipf("a table has at most %d MB; nothing was changed", maxTable>>20)
	}
	return name, body, err
}

// sendZones keeps a table of zones and shows what it would change.
func (s *Server) sendZones(c *gin.Context) {
	name, body, err := readTable(c)
	var id int64
	if err == nil {
		id, err = s.db.AddUpload(c.Request.Context(), kindZones, name, body)
	}
	if err != nil {
		s.refusedTo(c, err, "/zones", "Zones", "zones-file")
		return
	}
	c.Redirect(http.StatusSeeOther, "/zones/file/"+strconv.FormatInt(id, 10))
}

// refusedTo answers a form that was sent without htmx with a page that says why.
func (s *Server) refusedTo(c *gin.Context, err error, here, title, name string) {
	text, ok := told(err)
	if !ok {
		s.internal(c, err)
		return
	}
	s.pageStatus(c, http.StatusUnprocessableEntity, here, title, name, zonesFileView{Problem: text})
}

// mostSlips is how many refused rows are shown.
const mostSlips = 200

// readZones reads a table of zones for the draft.
func readZones(state *draft.State, body []byte) ([]store.Zone, []zonelist.RowError, string) {
	t, err := sheet.Read(body)
	if err != nil {
		return nil, nil, err.Error()
	}
	zones, slips := zonelist.Read(t, state.File, state.Engine.Reader())
	if len(slips) == 0 && len(zones) == 0 {
		return nil, nil, "this table has no zone: only the heads of the columns"
	}
	return zones, slips, ""
}

func (s *Server) zonesFile(c *gin.Context) {
	u, err := s.uploaded(c, kindZones)
	if err != nil {
		s.refusedTo(c, err, "/zones", "Zones", "zones-file")
		return
	}
	state := s.draft.State()
	v := zonesFileView{ID: strconv.FormatInt(u.ID, 10), Name: u.Name}
	zones, slips, problem := readZones(state, u.Body)
	v.Problem, v.Slips = problem, slips[:min(len(slips), mostSlips)]
	v.More = len(slips) - len(v.Slips)
	if len(slips) == 0 && problem == "" {
		v.compare(state.File, zones)
	}
	s.page(c, "/zones", "Zones", "zones-file", v)
}

// compare says what the zones of a table are beside those of the shop.
func (v *zonesFileView) compare(f *store.File, zones []store.Zone) {
	had := map[string]*store.Zone{}
	for i := range f.Zones {
		had[f.Zones[i].ID] = &f.Zones[i]
	}
	v.Left = len(had)
	for i := range zones {
		z := &zones[i]
		before := had[z.ID]
		if before == nil {
			v.Changes = append(v.Changes, zoneChange{nameOr(z.Name, z.ID), plural(count(z), "place"), true})
			continue
		}
		v.Left--
		what := differences(before, z)
		if len(what) == 0 {
			v.Same++
			continue
		}
		text := what[0]
		for _, more := range what[1:] {
			text += ", " + more
		}
		v.Changes = append(v.Changes, zoneChange{nameOr(before.Name, z.ID), text, false})
	}
}

func count(z *store.Zone) (n int) {
	for i := range z.Places {
		n += z.Places[i].Count()
	}
	for i := range z.Except {
		n += z.Except[i].Count()
	}
	return n
}

// differences says in words how a zone differs from what it was.
func differences(was, is *store.Zone) (list []string) {
	if was.Name != is.Name {
		list = append(list, "called "+is.Name)
	}
	if was.Enabled != is.Enabled {
		list = append(list, map[bool]string{true: "switched on", false: "switched off"}[is.Enabled])
	}
	if was.Only != is.Only {
		list = append(
			list,
			map[bool]string{true: "keeps its addresses from broader zones", false: "lets broader zones have their say"}[is.Only],
		)
	}
	if (was.Rank == nil) != (is.Rank == nil) || was.Rank != nil && *was.Rank != *is.Rank {
		list = append(list, map[bool]string{true: "pinned", false: "not pinned"}[is.Rank != nil])
	}
	had, has := words(was), words(is)
	more, less := 0, 0
	for w := range has {
		if !had[w] {
			more++
		}
	}
	for w := range had {
		if !has[w] {
			less++
		}
	}
	if more > 0 {
		list = append(list, plural(more, "place")+" more")
	}
	if less > 0 {
		list = append(list, plural(less, "place")+" less")
	}
	if len(list) == 0 &&
		!slices.EqualFunc(
			zonelist.Write([]store.Zone{*was}, place.Reader{}),
			zonelist.Write([]store.Zone{*is}, place.Reader{}),
			slices.Equal,
		) {
		list = append(list, "places in another order")
	}
	return list
}

func words(z *store.Zone) map[string]bool {
	set := map[string]bool{}
	for i := range z.Places {
		for _, w := range z.Places[i].Words() {
			set[w] = true
		}
	}
	for i := range z.Except {
		for _, w := range z.Except[i].Words() {
			set["not "+w] = true
		}
	}
	return set
}

// takeZones makes the zones of a table the shop's: those that it has replace theirs, others are added, none goes.
func (s *Server) takeZones(c *gin.Context) {
	u, err := s.uploaded(c, kindZones)
	if err == nil {
		_, err = s.draft.Edit(c.Request.Context(), func(f *store.File) error {
			zones, slips, problem := readZones(s.draft.State(), u.Body)
			switch {
			case problem != "":
				return slipf("%s", problem)
			case len(slips) > 0:
				return slipf("%s; nothing was changed", slips[0].Error())
			}
			for _, z := range zones {
				if _, i := edit.Zone(f, z.ID); i >= 0 {
					f.Zones[i] = z
				} else {
					f.Zones = append(f.Zones, z)
				}
			}
			return nil
		})
	}
	if err != nil {
		s.refusedTo(c, err, "/zones", "Zones", "zones-file")
		return
	}
	if err := s.db.RemoveUpload(c.Request.Context(), kindZones, u.ID); err != nil {
		s.log.Warn("upload", "error", err)
	}
	c.Redirect(http.StatusSeeOther, "/zones")
}
