package rates

import (
	"bytes"
	"cmp"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/edit"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/ratelist"
	"diadrom/internal/tables/sheet"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
)

// exportRates answers with price lists as a table: all of them, or a method's, with a line for each cell, or
// one as it looks.
func (s *Screens) exportRates(c *gin.Context) {
	f := s.draft.State().File
	rows, name := ratelist.Cells(f, f.Methods), "rates"
	if id := c.Query("method"); id != "" {
		m := edit.Owner(f, id)
		if m == nil {
			s.Problem(c, http.StatusNotFound, "There is no method of that name. It may have been removed.")
			return
		}
		rows, name = ratelist.Cells(f, []store.Method{*m}), id
		for i := range m.Tables {
			if m.Tables[i].ID == c.Query("grid") {
				rows = ratelist.Grid(f, &m.Tables[i])
			}
		}
	}
	var b bytes.Buffer
	if err := sheet.Write(&b, rows); err != nil {
		s.Internal(c, err)
		return
	}
	upload.CSV(c, name+".csv", b.Bytes())
}

// fileView is what a price list would become.
type fileView struct {
	ID, Name, Method string
	Problem          string // why it is no table
	Missing          string // what its columns lack
	Blocks           string // why it cannot be imported yet
	Found            []string
	Asks             []upload.Ask
	Answered         map[string][]string // what was answered before, to be sent again
	Given            []upload.Given
	Columns          []upload.Column
	By, Edges        []shell.Choice
	FoundBy          string // by and edges as they were found; "" where they were chosen
	FoundEdges       string
	Lists            []shell.Choice
	Into             []shell.Choice
	Units            []shell.Choice
	Decimal          string
	Own              bool // Diadrom wrote it
	Updating         bool
	Costs            bool // it becomes new costs
	Zones            []fileZone
	MoreZones        int // columns and rows of the table that are not shown
	MoreRows         int
	Samples          []sampleView
	Try              tryView
	Rows             []fileGridRow
	Source           upload.Source
	Lines            []upload.Row
	Skipped          []grid.Skipped
	More             int
	Refused          int
	Updates          []updateView
	Percent, Rate    string
	RateOf, Currency string
	ZoneNames        []string // of the shop, which answers may name
	Query            template.URL
	Key              string
	Slip             string
}

// updateView says what a file changes in a list of the shop.
type updateView struct {
	Name, Summary, Problem string
	Kept, Gone             string
}

// tables imports price lists.
func (s *Screens) tables() *upload.Import {
	return &upload.Import{
		Shell:   s.Shell,
		Store:   s.db,
		Kind:    "rates",
		Path:    "/rates-file",
		Page:    shell.Page{Here: "/rates", Title: "Rates", Template: "rates-file"},
		What:    "a table",
		Max:     upload.MaxTable,
		Refuse:  func(text string) any { return fileView{Problem: text} },
		Preview: s.previewRates,
		Apply:   s.applyRates,
	}
}

// previewRates shows what a list would become; slip is what was wrong with the name that was typed for it.
func (s *Screens) previewRates(c *gin.Context, u *sqlite.Upload, slip string) (any, int, error) {
	state, query := s.draft.State(), upload.Query(c)
	file := edit.WithCostsAsMethods(state.File)
	v := &fileView{
		ID:       strconv.FormatInt(u.ID, 10),
		Name:     u.Name,
		Method:   c.PostForm("name"),
		Slip:     slip,
		Query:    template.URL(query.Encode()),
		Decimal:  query.Get("decimal"),
		Percent:  query.Get("percent"),
		Rate:     query.Get("rate"),
		Key:      query.Get("key"),
		Currency: state.File.Store.Currency,
	}
	if v.Method == "" {
		v.Method, _, _ = strings.Cut(u.Name, ".")
	}
	choices, slipped := s.choices(c, file, query)
	if slipped != "" {
		v.Slip = cmp.Or(v.Slip, slipped)
	}
	source := s.Files.Table(c.Request.Context(), u.Body)
	r, err := ratelist.Open(source, file, state.Reader(), choices)
	var used []string
	if err == nil {
		if query, used = s.asLastTime(c, query, r.Heads); len(query) > 1 && v.Query != template.URL(query.Encode()) {
			choices, slipped = s.choices(c, file, query)
			v.Query, v.Decimal = template.URL(query.Encode()), query.Get("decimal")
			r, err = ratelist.Open(source, file, state.Reader(), choices)
		}
	}
	if err != nil {
		v.Problem = err.Error()
		return v, http.StatusOK, nil
	}
	if len(used) > 0 {
		r.Found = append(r.Found, "As with the last file of this list: "+strings.Join(used, "; ")+".")
	}
	v.Source = upload.SourceOf(r.Grid, r.Head, query, r.Ledger)
	for i := range file.Zones {
		v.ZoneNames = append(v.ZoneNames, cmp.Or(file.Zones[i].Name, file.Zones[i].ID))
	}
	v.settings(file, r, &choices)
	v.questions(file, r, query, state.Reader())
	v.Answered, v.Given = upload.Answered(query, v.Asks), upload.GivenIn(query)
	if v.Missing = r.Missing; r.Plan != nil && v.Missing == "" {
		v.plan(file, r)
		v.samples(file, r, query)
	}
	v.Blocks = r.Problem()
	if slipped != "" {
		v.Blocks = slipped
	}
	return v, http.StatusOK, nil
}

// settings are what can be set of a file, as it was found or chosen.
func (v *fileView) settings(f *store.File, r *ratelist.Reading, c *ratelist.Choices) {
	v.Found, v.Skipped = r.Found, r.Skipped
	v.Own = len(r.Mapping.Columns) == 0 && r.Missing == ""
	for i, name := range r.Lists {
		v.Lists = append(v.Lists, shell.Choice{ID: strconv.Itoa(i + 1), Name: name, Chosen: c.List == i+1})
	}
	v.Into = append(v.Into, shell.Choice{Name: "A new delivery method"},
		shell.Choice{ID: newCostsInto, Name: "What sending costs you: new costs", Chosen: c.Costs && c.Into == ""})
	v.Costs = c.Costs && c.Into == ""
	for i := range f.Methods {
		m := &f.Methods[i]
		for j := range m.Tables {
			id := m.ID + "/" + m.Tables[j].ID
			name := m.Name
			if _, ok := edit.CostID(m.ID); ok {
				name = "the costs " + name
			}
			if len(m.Tables) > 1 {
				name += ", " + m.Tables[j].Name
			}
			v.Into = append(v.Into, shell.Choice{ID: id, Name: "Update " + name,
				Chosen: c.Into == m.ID && (c.Table == m.Tables[j].ID || c.Table == "" && len(m.Tables) == 1)})
		}
	}
	v.Updating = c.Into != "" || len(r.Updates) > 0
	for _, unit := range []string{"g", "kg", "oz", "lb"} {
		v.Units = append(v.Units, shell.Choice{ID: unit, Name: unit, Chosen: c.Unit == unit})
	}
	if v.Own {
		return
	}
	v.By = measureChoices(r.Mapping.By)
	if c.By == "" {
		v.FoundBy = string(cmp.Or(r.Mapping.By, rate.ByOrder))
	}
	if c.Edges == "" {
		v.FoundEdges = string(cmp.Or(r.Mapping.Edges, rate.UpTo))
	}
	v.Edges = []shell.Choice{
		{ID: string(rate.UpTo), Name: "up to and including the bound", Chosen: r.Mapping.Edges == rate.UpTo},
		{ID: string(rate.From), Name: "from the bound on", Chosen: r.Mapping.Edges == rate.From},
	}
	for i, head := range r.Heads {
		col := upload.Column{Index: r.At + i, Head: head, NotMapped: r.Mapping.Columns[i] == "",
			Field: string(r.Mapping.Columns[i]), Example: example(r, r.At+i)}
		_, col.Chosen = c.Columns[col.Index]
		for _, field := range ratelist.Fields {
			col.Fields = append(col.Fields, shell.Choice{ID: string(field), Name: cmp.Or(field.Says(), field.String()),
				Chosen: field == r.Mapping.Columns[i]})
		}
		v.Columns = append(v.Columns, col)
	}
}

// example is the first cell of a column below the heads that says something.
func example(r *ratelist.Reading, column int) string {
	for i := range r.Grid.Rows {
		if row := &r.Grid.Rows[i]; row.Line > r.Head && column < len(row.Cells) && row.Cells[column].Text != "" {
			return row.Cells[column].Text
		}
	}
	return ""
}

// questions are what the file leaves open, each with what answers it.
func (v *fileView) questions(f *store.File, r *ratelist.Reading, query url.Values, reader typed.Reader) {
	strange := 0
	for _, a := range r.Asks {
		if a.Code == ratelist.AskZone && !strings.HasPrefix(a.Message, "This shop's zone") {
			continue // asked by its name below
		}
		one := upload.Ask{Code: a.Code, Message: a.Message}
		answer := func(label string, pairs ...string) {
			one.Answers = append(one.Answers, upload.NewAnswer(label, "", pairs...))
		}
		switch a.Code {
		case ratelist.AskCurrency:
			v.RateOf, one.Open = r.Currency, true
		case ratelist.AskDecimal:
			one.Open = true
			answer("Decimal point", "decimal", ".")
			answer("Decimal comma", "decimal", ",")
		case ratelist.AskUnit:
			for _, unit := range v.Units {
				answer(unit.Name, "unit", unit.ID)
			}
		case ratelist.AskList:
			for _, list := range v.Lists {
				answer(list.Name, "list", list.ID)
			}
		case ratelist.AskSheet:
			for _, sheet := range v.Source.Sheets {
				answer(sheet.Name, "sheet", sheet.ID)
			}
		case ratelist.AskPrice:
			one.Open = true
			if strange < len(r.Strange) {
				text := r.Strange[strange].Text
				one.Field = upload.PricePrefix + text
				one.Value = query.Get(one.Field)
				one.Likely = []upload.Answer{upload.NewAnswer("Not offered", "", one.Field, ratelist.MeansNotOffered),
					upload.NewAnswer("Leave these lines out", "", upload.LeavePrefix+text, "yes")}
			}
			strange++
		case ratelist.AskDestination:
			one.Field, one.Open = "z:", true
		case ratelist.AskZero:
			one.Open = true
			one.Answers = upload.ZerosAnswers()
		}
		v.offer(f, r, &one, query)
		v.Asks = append(v.Asks, one)
	}
	if v.Rate != "" && v.RateOf == "" && r.Currency != f.Store.Currency {
		v.RateOf = r.Currency
	}
	for _, name := range r.Unknown {
		if name == "" {
			continue
		}
		message := fmt.Sprintf("Where is “%s”? Name a zone of this shop, or its places.", name)
		if typed := query.Get("z:" + name); typed != "" {
			message = fmt.Sprintf("“%s” is not understood. Where is “%s”?", typed, name)
		}
		one := upload.Ask{Code: ratelist.AskZone, Message: message, Field: upload.PlacePrefix + name, Open: true, Places: true,
			Value: query.Get(upload.PlacePrefix + name)}
		for _, l := range reader.Near(name) {
			one.Likely = append(one.Likely, upload.NewAnswer(cmp.Or(l.Means, l.Text), "", one.Field, l.Text))
		}
		one.Likely = append(one.Likely, upload.NewAnswer("Leave these lines out", "", upload.LeavePrefix+name, "yes"))
		v.Asks = append(v.Asks, one)
	}
}

// offer has a question about what comes on top of the prices be answered by a percentage: the one of the file, or the
// shop's own tax.
func (v *fileView) offer(f *store.File, r *ratelist.Reading, a *upload.Ask, query url.Values) {
	var p decimal.Decimal
	switch {
	case a.Code == ratelist.AskSurcharge && len(r.Percents) == 1:
		p = r.Percents[0]
	case a.Code == ratelist.AskTax && f.Store.Tax.PricesIncludeTax && len(f.Store.Tax.Rates) > 0:
		p = f.Store.Tax.Rates[0].Percent
	default:
		return
	}
	factor := decimal.One.Add(decimal.One.Percent(p))
	if before, err := decimal.Parse(query.Get("percent")); err == nil {
		factor = factor.Mul(decimal.One.Add(decimal.One.Percent(before)))
	}
	a.Answers = append(a.Answers, upload.NewAnswer("Add "+p.String()+" %", a.Code, "percent",
		factor.Sub(decimal.One).Mul(decimal.FromInt(100)).String()))
}

// plan shows the list that a file makes, or what it changes, and what becomes of each line.
func (v *fileView) plan(f *store.File, r *ratelist.Reading) {
	t := &r.Plan.Table
	var cells map[[2]int]ratelist.Change
	for i := range r.Updates {
		v.Updates = append(v.Updates, updateOf(f, &r.Updates[i]))
	}
	if len(r.Updates) == 1 && r.Updates[0].Problem == "" {
		t, cells = &r.Updates[0].Is, map[[2]int]ratelist.Change{}
		for _, c := range r.Updates[0].Changes {
			cells[[2]int{c.At, c.Column}] = c
		}
	}
	if len(r.Updates) < 2 {
		v.grid(f, r, t, cells)
	}
	wrong := func(l *ratelist.Line) bool { return l.Status == ratelist.Contradicts || l.Status == ratelist.Refused }
	names := map[ratelist.Status]string{
		ratelist.Taken:       "taken",
		ratelist.Repeats:     "repeats",
		ratelist.Contradicts: "contradicts",
		ratelist.Refused:     "refused",
		ratelist.LeftOut:     "left out",
	}
	for _, first := range []bool{true, false} { // what is wrong stands first
		for i := range r.Plan.Lines {
			l := &r.Plan.Lines[i]
			if wrong(l) != first {
				continue
			}
			if first {
				v.Refused++
			}
			if len(v.Lines) == upload.MaxRows {
				v.More++
				continue
			}
			v.Lines = append(v.Lines, upload.Row{Line: l.Line, Status: names[l.Status], Name: l.Zone,
				What: l.Result(f.Words())})
		}
	}
}

// fileZone is a column of the table that a list makes. A new zone tells which places it takes, where its name does not.
type fileZone struct {
	Name, Places string
	New          bool
}

// placesOf are the places of a new zone in words, the first of many; none where its name says the same.
func placesOf(z *store.Zone) string {
	var words []string
	for i := range z.Places {
		words = append(words, z.Places[i].Words()...)
	}
	for i := range z.Except {
		for _, left := range z.Except[i].Words() {
			words = append(words, "not "+left)
		}
	}
	if len(words) == 1 && words[0] == z.Name {
		return ""
	}
	if n := len(words); n > maxPlaces {
		return strings.Join(words[:maxPlaces], ", ") + fmt.Sprintf(" and %d more", n-maxPlaces)
	}
	return strings.Join(words, ", ")
}

// maxPlaces is how many places of a new zone a preview names.
const maxPlaces = 5

// updateOf says what a file changes in a list.
func updateOf(f *store.File, u *ratelist.Update) updateView {
	v := updateView{Problem: u.Problem}
	if m := f.Method(u.Method); m != nil {
		if v.Name = m.Name; len(m.Tables) > 1 {
			v.Name += ", " + u.Was.Name
		}
	}
	counts := map[ratelist.ChangeKind]int{}
	for _, c := range u.Changes {
		counts[c.Kind]++
	}
	var said []string
	for _, one := range []struct {
		kind ratelist.ChangeKind
		word string
	}{{ratelist.Raised, "raised"}, {ratelist.Lowered, "lowered"}, {ratelist.Other, "changed otherwise"},
		{ratelist.Added, "new"}, {ratelist.NotOffered, "no longer offered"}, {ratelist.Unchanged, "unchanged"}} {
		if n := counts[one.kind]; n > 0 {
			said = append(said, plural.Count(n, "price")+" "+one.word)
		}
	}
	if v.Summary = strings.Join(said, ", "); u.Same {
		v.Summary = "" // nothing changes
	}
	var kept []string
	for _, id := range u.Kept {
		kept = append(kept, f.ZoneName(id))
	}
	v.Kept, v.Gone = plural.Few(kept), plural.Few(u.Gone)
	return v
}

// applyRates updates lists of the shop, or makes the zones and a method with the list.
func (s *Screens) applyRates(c *gin.Context, u *sqlite.Upload) (upload.Applied, error) {
	id, into := "", ""
	var r *ratelist.Reading
	source := s.Files.Table(c.Request.Context(), u.Body)
	_, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		state := s.draft.State()
		file := edit.WithCostsAsMethods(f)
		choices, slip := s.choices(c, file, c.Request.URL.Query())
		if slip != "" {
			return shell.Refusef("%s", slip)
		}
		var err error
		if r, err = ratelist.Open(source, file, state.Reader(), choices); err != nil {
			return shell.Refusef("%s", err.Error())
		}
		if why := r.Problem(); why != "" {
			return shell.Refusef("%s", why)
		}
		if len(r.Updates)+len(r.New) > 0 {
			r.Apply(file)
			edit.CostsFromMethods(f, file)
			for i := range r.Updates {
				id = r.Updates[i].Method
				into = id + "/" + r.Updates[i].Was.ID
			}
			return nil
		}
		name, err := edit.Name(c.PostForm("name"))
		if err != nil {
			return err
		}
		made := r.Plan.Apply(f, name)
		if choices.Costs {
			id = edit.CostOwner(edit.CostOfMethod(f, made.ID, name))
			into = id + "/" + made.Tables[0].ID
			return nil
		}
		id, into = made.ID, made.ID+"/"+made.Tables[0].ID
		return nil
	})
	if err == nil && into != "" && len(r.Mapping.Columns) > 0 {
		s.remember(c, into, r)
	}
	to := "/rates"
	if id != "" {
		to += "/" + id
	}
	return upload.Applied{To: to}, err
}
