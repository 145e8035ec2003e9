package zones

import (
	"bytes"
	"cmp"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/sheet"
	"diadrom/internal/tables/zonelist"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
)

// zonesFileView is what a table of zones would change.
type zonesFileView struct {
	ID, Name string
	Problem  string   // why it is no table
	Blocks   string   // why it cannot be imported yet
	Found    []string // what of the file had to be made out
	Asks     []upload.Ask
	Answered map[string][]string // what was answered before, to be sent again
	Given    []upload.Given
	Columns  []upload.Column
	Slips    []zonelist.RowError
	More     int // slips that are not shown
	Changes  []zoneChange
	Same     int
	Left     int // zones of the shop that the table does not have
	Source   upload.Source
	Skipped  []grid.Skipped
	Query    template.URL
}

type zoneChange struct {
	Name, What string
	New        bool
}

// exportZones answers with all zones as a table.
func (s *Screens) exportZones(c *gin.Context) {
	state := s.draft.State()
	var b bytes.Buffer
	if err := sheet.Write(&b, zonelist.Write(state.File.Zones, state.Reader())); err != nil {
		s.Internal(c, err)
		return
	}
	upload.CSV(c, "zones.csv", b.Bytes())
}

// readZones reads a table of zones for the draft.
func readZones(state *draft.State, source grid.Source, query url.Values) (*zonelist.Reading, error) {
	set := zonelist.Choices{Columns: map[int]zonelist.Field{}, Zeros: upload.Zeros(query), Places: upload.About(query, upload.PlacePrefix),
		Settled: query["ok"]}
	set.Options, set.Head = upload.Chosen(query)
	for column, field := range upload.ChosenColumns(query) {
		set.Columns[column] = zonelist.Field(field)
	}
	return zonelist.Open(source, state.File, state.Reader(), set)
}

// tables imports tables of zones.
func (s *Screens) tables() *upload.Import {
	return &upload.Import{
		Shell:   s.Shell,
		Store:   s.db,
		Kind:    "zones",
		Path:    "/zones/file",
		Page:    shell.Page{Here: "/zones", Title: "Zones", Template: "zones-file"},
		What:    "a table",
		Max:     upload.MaxTable,
		Refuse:  func(text string) any { return zonesFileView{Problem: text} },
		Preview: s.previewZones,
		Apply:   s.applyZones,
	}
}

func (s *Screens) previewZones(c *gin.Context, u *sqlite.Upload, slip string) (any, int, error) {
	state, query := s.draft.State(), upload.Query(c)
	v := zonesFileView{ID: strconv.FormatInt(u.ID, 10), Name: u.Name, Query: template.URL(query.Encode())}
	r, err := readZones(state, s.Files.Table(c.Request.Context(), u.Body), query)
	if err != nil {
		v.Problem = err.Error()
		return v, http.StatusOK, nil
	}
	v.Found, v.Skipped, v.Source = r.Found, r.Skipped, upload.SourceOf(r.Grid, r.Head, query, r.Ledger)
	v.Slips = r.Slips[:min(len(r.Slips), upload.MaxFaults)]
	v.More = len(r.Slips) - len(v.Slips)
	if len(r.Slips) > 0 {
		return v, http.StatusOK, nil
	}
	v.Blocks = cmp.Or(slip, r.Problem())
	v.questions(r, query)
	v.Answered, v.Given = upload.Answered(query, v.Asks), upload.GivenIn(query)
	v.Columns = upload.ColumnsOf(r.Grid, r.Head, r.Columns, zonelist.Fields, query)
	v.compare(state, r.Zones)
	return v, http.StatusOK, nil
}

// questions are what the file leaves open, each with what answers it.
func (v *zonesFileView) questions(r *zonelist.Reading, query url.Values) {
	places := 0
	for _, a := range r.Asks {
		one := upload.Ask{Code: a.Code, Message: a.Message}
		switch a.Code {
		case zonelist.AskSheet:
			for _, sheet := range v.Source.Sheets {
				one.Answers = append(one.Answers, upload.NewAnswer(sheet.Name, "", "sheet", sheet.ID))
			}
		case zonelist.AskZero:
			one.Open, one.Answers = true, upload.ZerosAnswers()
		case zonelist.AskColumns, zonelist.AskNote, zonelist.AskHidden:
			one.Leave = "Leave it out"
			if a.Code == zonelist.AskHidden {
				one.Leave = "They are meant"
			}
		case zonelist.AskPlace:
			one.Leave = "Leave these lines out"
			if places < len(r.Unknown) {
				u := &r.Unknown[places]
				one.Field, one.Value = upload.PlacePrefix+u.Text, query.Get(upload.PlacePrefix+u.Text)
				for _, l := range u.Likely {
					one.Likely = append(one.Likely, upload.NewAnswer(cmp.Or(l.Means, l.Text), "", one.Field, l.Text))
				}
			}
			places++
		}
		v.Asks = append(v.Asks, one)
	}
}

// compare says what the zones of a table are beside those of the shop.
func (v *zonesFileView) compare(state *draft.State, zones []store.Zone) {
	f := state.File
	had := map[string]*store.Zone{}
	for i := range f.Zones {
		had[f.Zones[i].ID] = &f.Zones[i]
	}
	v.Left = len(had)
	for i := range zones {
		z := &zones[i]
		before := had[z.ID]
		if before == nil {
			v.Changes = append(v.Changes, zoneChange{cmp.Or(z.Name, z.ID), said(z, state.Reader()), true})
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
		if now := said(z, state.Reader()); text != "" && !strings.HasSuffix(now, "places") {
			text += ". Then: " + now
		}
		v.Changes = append(v.Changes, zoneChange{cmp.Or(before.Name, z.ID), text, false})
	}
}

// said are the places of a zone as one would type them, cut where there are many.
func said(z *store.Zone, reader typed.Reader) string {
	text := zonelist.Text(z.Places, z.Except, reader)
	if strings.Contains(text, "{") { // drawn areas cannot be typed
		return plural.Count(count(z), "place")
	}
	if letters := []rune(text); len(letters) > maxSaid {
		return plural.Count(count(z), "place") + ": " + string(letters[:maxSaid]) + "…"
	}
	return cmp.Or(text, "no places")
}

const maxSaid = 300

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
			map[bool]string{true: "keeps its addresses from broader zones", false: "lets broader zones have their " +
				"say"}[is.Only],
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
		list = append(list, plural.Count(more, "place")+" more")
	}
	if less > 0 {
		list = append(list, plural.Count(less, "place")+" less")
	}
	if len(list) == 0 &&
		!slices.EqualFunc(
			zonelist.Write([]store.Zone{*was}, typed.Reader{}),
			zonelist.Write([]store.Zone{*is}, typed.Reader{}),
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

// applyZones makes the zones of a table the shop's: those that it has replace theirs, others are added, none goes.
func (s *Screens) applyZones(c *gin.Context, u *sqlite.Upload) (upload.Applied, error) {
	_, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		r, err := readZones(s.draft.State(), s.Files.Table(c.Request.Context(), u.Body), c.Request.URL.Query())
		if err != nil {
			return shell.Refusef("%s", err.Error())
		}
		if why := r.Problem(); why != "" {
			return shell.Refusef("%s", why)
		}
		edit.PutZones(f, r.Zones)
		return nil
	})
	return upload.Applied{To: "/zones"}, err
}
