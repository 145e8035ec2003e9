package setup

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"diadrom/internal/core/oneline"
	"diadrom/internal/core/world"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/addresslist"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/sheet"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
)

// maxBook is how many entries of the address book a page shows.
const maxBook = 100

// bookRow is an entry of the address book, with its fields as they are typed.
type bookRow struct {
	Name, Address, Customer, Group string
	Field, Slip                    string
}

// set puts what was typed into a field.
func (r *bookRow) set(field, typed string) {
	switch field {
	case "name":
		r.Name = typed
	case "address":
		r.Address = typed
	case "customer":
		r.Customer = typed
	default:
		r.Group = typed
	}
}

type bookView struct {
	Find              string
	Rows              []bookRow
	Total             int
	More              int
	Said              string
	New               bookRow
	Pasted, PasteSlip string
}

func (s *Screens) bookView(ctx context.Context, find string) (v bookView, err error) {
	list, total, err := s.db.Book(ctx, find, maxBook)
	if err != nil {
		return v, err
	}
	v = bookView{Find: find, Total: total, More: total - len(list)}
	home := s.draft.State().Reader().Home
	for _, e := range list {
		row := bookRow{Name: e.Name, Customer: e.Customer, Group: e.Group}
		row.Address = addressLine(&e, home)
		v.Rows = append(v.Rows, row)
	}
	if v.Said = strconv.Itoa(total) + " entries"; total == 1 {
		v.Said = "1 entry"
	}
	return v, nil
}

// addressLine writes the address of an entry; "" where it has none.
func addressLine(e *addresslist.Entry, home string) string {
	if a := e.Address; a.Street+a.Postcode+a.City+a.Region == "" && a.Country == home {
		return ""
	}
	return e.Address.Line(home)
}

func (s *Screens) book(c *gin.Context) {
	v, err := s.bookView(c.Request.Context(), c.Query("find"))
	if err != nil {
		s.Internal(c, err)
		return
	}
	if shell.IsHTMX(c) && c.Query("part") != "" {
		s.HTML(c, http.StatusOK, s.Render("book-list", v))
		return
	}
	s.Show(c, shell.Page{Here: "/rates", Title: "Address book", Template: "book"}, v)
}

// entryOf reads an entry as it is typed; field says which is wrong.
func entryOf(state *draft.State, row bookRow) (e addresslist.Entry, field string, err error) {
	for _, f := range []struct {
		field, typed string
		into         *string
	}{{"name", row.Name, &e.Name}, {"customer", row.Customer, &e.Customer}, {"group", row.Group, &e.Group}} {
		line, err := oneline.Read(f.typed)
		if err == nil && len([]rune(line)) > maxBookCell {
			err = shell.Refusef("this has at most %d letters", maxBookCell)
		}
		if err != nil {
			return e, f.field, shell.Refusef("%s", err.Error())
		}
		*f.into = line
	}
	if e.Name == "" {
		return e, "name", shell.Refusef("type a name, such as Hotel Aurora")
	}
	reader := state.Reader()
	if strings.TrimSpace(row.Address) == "" {
		if e.Address.Country = reader.Home; e.Customer == "" && e.Group == "" {
			return e, "address", shell.Refusef("type an address or a customer")
		}
		return e, "", nil
	}
	if e.Address, err = reader.Address(row.Address); err != nil {
		return e, "address", shell.Refusef("%s", err.Error())
	}
	return e, "", nil
}

const maxBookCell = 120

// addToBook adds an entry as it is typed.
func (s *Screens) addToBook(c *gin.Context) {
	ctx := c.Request.Context()
	row := bookRow{Name: c.PostForm("name"), Address: c.PostForm("address"), Customer: c.PostForm("customer"),
		Group: c.PostForm("group")}
	e, field, err := entryOf(s.draft.State(), row)
	if err == nil {
		var there addresslist.Entry
		var taken bool
		if there, taken, err = s.db.BookEntry(ctx, e.Name); taken {
			field, err = "name", shell.Refusef("%s is in the book already: change it there, or type another name",
				there.Name)
		}
	}
	if err == nil {
		err = s.db.SaveBook(ctx, []addresslist.Entry{e})
	}
	s.answerBook(c, err, func(v *bookView, text string) {
		v.New = row
		v.New.Field, v.New.Slip = cmp.Or(field, "name"), text
	})
}

// editBook changes a field of an entry.
func (s *Screens) editBook(c *gin.Context) {
	ctx, name, typed := c.Request.Context(), c.PostForm("name"), c.PostForm("value")
	var field string
	e, ok, err := s.db.BookEntry(ctx, name)
	if err == nil && !ok {
		err = shell.Refusef("%s was removed meanwhile", name)
	}
	if err == nil {
		row := bookRow{Name: e.Name, Customer: e.Customer, Group: e.Group,
			Address: addressLine(&e, s.draft.State().Reader().Home)}
		row.set(c.PostForm("field"), typed)
		if e, field, err = entryOf(s.draft.State(), row); err == nil {
			if err = s.db.ReplaceInBook(ctx, name, e); errors.Is(err, sqlite.ErrConflict) {
				field, err = "name", shell.Refusef("%s is in the book already", e.Name)
			}
		}
	}
	s.answerBook(c, err, func(v *bookView, text string) {
		for i := range v.Rows {
			if r := &v.Rows[i]; r.Name == name {
				r.Field, r.Slip = cmp.Or(c.PostForm("field"), field), text
				r.set(c.PostForm("field"), typed)
			}
		}
	})
}

func (s *Screens) removeFromBook(c *gin.Context) {
	err := s.db.RemoveFromBook(c.Request.Context(), c.PostForm("name"))
	s.answerBook(c, err, func(*bookView, string) {})
}

// answerBook answers with the book as it is now; slipped puts what is wrong beside what was typed.
func (s *Screens) answerBook(c *gin.Context, err error, slipped func(*bookView, string)) {
	v, viewErr := s.bookView(c.Request.Context(), shell.Viewed(c).Get("find"))
	if viewErr != nil {
		s.Internal(c, viewErr)
		return
	}
	if errors.Is(err, sqlite.ErrBookFull) {
		err = shell.Refusef("the address book has at most %d entries; nothing was added", addresslist.MaxEntries)
	}
	if err != nil {
		s.Refused(c, err, func(text string) template.HTML {
			slipped(&v, text)
			return s.Render("book", v)
		})
		return
	}
	s.AnswerSaying(c, "/rates", s.draft.State(), "Saved", s.Render("book", v))
}

func (s *Screens) exportBook(c *gin.Context) {
	list, _, err := s.db.Book(c.Request.Context(), "", 0)
	var b bytes.Buffer
	if err == nil {
		err = sheet.Write(&b, addresslist.Write(list))
	}
	if err != nil {
		s.Internal(c, err)
		return
	}
	upload.CSV(c, "address-book.csv", b.Bytes())
}

// bookFileView is what a table would change in the address book.
type bookFileView struct {
	ID, Name       string
	Problem        string
	Blocks         string   // why it cannot be imported yet
	Found          []string // what of the file had to be made out
	Asks           []upload.Ask
	Answered       map[string][]string // what was answered before, to be sent again
	Columns        []upload.Column
	Source         upload.Source
	Skipped        []grid.Skipped
	Query          template.URL
	Slips          []addresslist.RowError
	MoreSlips      int
	Added, Changed []bookRow
	More           int // of the changed, that are not shown
	New, Other     int
	Same           int
}

// books imports tables into the address book.
func (s *Screens) books() *upload.Import {
	return &upload.Import{
		Shell:   s.Shell,
		Store:   s.db,
		Kind:    "book",
		Path:    "/book/file",
		Page:    shell.Page{Here: "/rates", Title: "Address book", Template: "book-file"},
		What:    "a table",
		Max:     upload.MaxTable,
		Refuse:  func(text string) any { return bookFileView{Problem: text} },
		Preview: s.previewBook,
		Apply:   s.applyBook,
	}
}

func (s *Screens) readBook(ctx context.Context, body []byte, query url.Values) (*addresslist.Reading, error) {
	set := addresslist.Choices{Columns: map[int]addresslist.Field{}, Zeros: upload.Zeros(query), Settled: query["ok"]}
	set.Options, set.Head = upload.Chosen(query)
	for column, field := range upload.ChosenColumns(query) {
		set.Columns[column] = addresslist.Field(field)
	}
	return addresslist.Open(s.Files.Table(ctx, body), s.draft.State().Reader().Home, set)
}

func (s *Screens) previewBook(c *gin.Context, u *sqlite.Upload, slip string) (any, int, error) {
	query := upload.Query(c)
	v := bookFileView{ID: strconv.FormatInt(u.ID, 10), Name: u.Name, Query: template.URL(query.Encode())}
	r, err := s.readBook(c.Request.Context(), u.Body, query)
	if err != nil {
		v.Problem = err.Error()
		return v, http.StatusOK, nil
	}
	v.Found, v.Skipped, v.Source = r.Found, r.Skipped, upload.SourceOf(r.Grid, r.Head, query, r.Ledger)
	v.Blocks = cmp.Or(slip, r.Problem())
	v.questions(r, query)
	v.Columns = upload.ColumnsOf(r.Grid, r.Head, r.Columns, addresslist.Fields, query)
	entries := r.Entries
	v.Slips = r.Slips[:min(len(r.Slips), upload.MaxFaults)]
	v.MoreSlips = len(r.Slips) - len(v.Slips)
	had, _, err := s.db.Book(c.Request.Context(), "", 0)
	if err != nil {
		return nil, 0, err
	}
	was := map[string]*addresslist.Entry{}
	for i := range had {
		was[world.Fold(had[i].Name)] = &had[i]
	}
	home := s.draft.State().Reader().Home
	for i := range entries {
		e := &entries[i]
		row := bookRow{Name: e.Name, Customer: e.Customer, Group: e.Group, Address: addressLine(e, home)}
		switch before := was[world.Fold(e.Name)]; {
		case before == nil:
			if v.New++; len(v.Added) < maxBook {
				v.Added = append(v.Added, row)
			}
		case *before == *e:
			v.Same++
		default:
			if v.Other++; len(v.Changed) < maxBook {
				v.Changed = append(v.Changed, row)
			}
		}
	}
	v.More = v.New + v.Other - len(v.Added) - len(v.Changed)
	return v, http.StatusOK, nil
}

// questions are what the file leaves open, each with what answers it.
func (v *bookFileView) questions(r *addresslist.Reading, query url.Values) {
	for _, a := range r.Asks {
		one := upload.Ask{Code: a.Code, Message: a.Message}
		switch a.Code {
		case addresslist.AskSheet:
			for _, sheet := range v.Source.Sheets {
				one.Answers = append(one.Answers, upload.NewAnswer(sheet.Name, "", "sheet", sheet.ID))
			}
		case addresslist.AskZero:
			one.Open = true
			one.Answers = []upload.Answer{upload.NewAnswer("They have lost a zero", "", "zeros", string(destination.ZerosLost)),
				upload.NewAnswer("Leave these lines out", "", "zeros", string(destination.ZerosNone))}
		case addresslist.AskHidden:
			one.Leave = "They are meant"
		default:
			one.Leave = "Leave it out"
			one.Open = strings.HasSuffix(a.Message, "?") || strings.HasPrefix(a.Message, "Two columns")
		}
		v.Asks = append(v.Asks, one)
	}
	v.Answered = upload.Answered(query, v.Asks)
}

// applyBook adds the entries of a table that can be used.
func (s *Screens) applyBook(c *gin.Context, u *sqlite.Upload) (upload.Applied, error) {
	r, err := s.readBook(c.Request.Context(), u.Body, c.Request.URL.Query())
	if err != nil {
		return upload.Applied{}, shell.Refusef("%s", err.Error())
	}
	if why := r.Problem(); why != "" {
		return upload.Applied{}, shell.Refusef("%s", why)
	}
	err = s.db.SaveBook(c.Request.Context(), r.Entries)
	if errors.Is(err, sqlite.ErrBookFull) {
		err = shell.Refusef("the address book has at most %d entries; nothing was added", addresslist.MaxEntries)
	}
	return upload.Applied{To: "/book"}, err
}

// pasteBook keeps what was pasted as a file, and leads to what it would change.
func (s *Screens) pasteBook(c *gin.Context) {
	text := c.PostForm("rows")
	if strings.TrimSpace(text) == "" {
		s.answerBook(c, shell.Refusef("paste rows from a spreadsheet, the first with the heads of the columns"),
			func(v *bookView, why string) { v.PasteSlip = why })
		return
	}
	id, err := s.db.AddUpload(c.Request.Context(), "book", "the pasted rows", []byte(text))
	if err != nil {
		s.Internal(c, err)
		return
	}
	c.Header("HX-Redirect", "/book/file/"+strconv.FormatInt(id, 10))
	c.Status(http.StatusNoContent)
}
