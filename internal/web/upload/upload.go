// Package upload has the way that all imports go: a file is sent and kept, what it would change is previewed, and only
// then is it applied.
package upload

import (
	"bytes"
	"context"
	"errors"
	"io"
	"mime"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/world"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// Limits of imports: the largest table in bytes, and how many of its rows and of its faults a preview shows.
const (
	MaxTable  = 32 << 20
	MaxRows   = 200
	MaxFaults = 200
)

// Store keeps files until they are applied.
type Store interface {
	AddUpload(ctx context.Context, kind, name string, body []byte) (id int64, err error)
	Upload(ctx context.Context, kind string, id int64) (u sqlite.Upload, ok bool, err error)
	RemoveUpload(ctx context.Context, kind string, id int64) error
}

// Import is how files of one kind are imported.
type Import struct {
	Shell *shell.Shell
	Store Store
	Kind  string     // of the files, in the database
	Path  string     // where a file is sent; its preview is at Path/ID
	Page  shell.Page // of the preview
	What  string     // the file in words, with its article: "a table"
	Max   int        // bytes of a file

	// Refuse is the view that says why there is no preview.
	Refuse func(text string) any
	// Preview is the view of what a file would change, and the status of its page. slip is why it was not applied, ""
	// before somebody tried.
	Preview func(c *gin.Context, u *sqlite.Upload, slip string) (view any, status int, err error)
	// Apply makes the change that the preview shows.
	Apply func(c *gin.Context, u *sqlite.Upload) (Applied, error)

	readings readings
}

// Applied is what came of applying a file: where to go, and whether the file is still needed.
type Applied struct {
	To   string
	Keep bool
}

// Address is the path of a file's preview.
func (i *Import) Address(u *sqlite.Upload) string { return i.Path + "/" + strconv.FormatInt(u.ID, 10) }

// Routes registers the three steps, and what stops the reading of a file. The pages that a preview leads to are the
// station's.
func (i *Import) Routes(r gin.IRouter) {
	r.POST(i.Path, i.send)
	r.GET(i.Path+"/:file", i.preview)
	r.POST(i.Path+"/:file", i.apply)
	r.POST(i.Path+"/:file/stop", i.stop)
}

// send keeps a file, and leads to what it would change.
func (i *Import) send(c *gin.Context) {
	name, body, err := i.Read(c)
	u := sqlite.Upload{Name: name}
	if err == nil {
		u.ID, err = i.Store.AddUpload(c.Request.Context(), i.Kind, name, body)
	}
	if err != nil {
		i.Refused(c, err)
		return
	}
	to := i.Address(&u)
	if query := c.Request.URL.RawQuery; query != "" { // what the page that sent it chose
		to += "?" + query
	}
	c.Redirect(http.StatusSeeOther, to)
}

// Read is the file of a form, as far as it is not too large.
func (i *Import) Read(c *gin.Context) (name string, body []byte, err error) {
	name, r, err := Sent(c)
	if err != nil {
		return "", nil, err
	}
	var b bytes.Buffer
	if n := c.Request.ContentLength; n > 0 && n < int64(i.Max) {
		b.Grow(int(n) + bytes.MinRead)
	}
	_, err = b.ReadFrom(io.LimitReader(r, int64(i.Max)+1))
	if body = b.Bytes(); err == nil && len(body) > i.Max {
		err = shell.Refusef("%s has at most %d MB; %.60s has more, and nothing was changed", i.What, i.Max>>20, name)
	}
	return name, body, err
}

func (i *Import) show(c *gin.Context, u *sqlite.Upload, slip string) error {
	view, status, err := i.Preview(c, u, slip)
	if err != nil {
		return err
	}
	if slip != "" {
		status = http.StatusUnprocessableEntity
	}
	i.Shell.ShowStatus(c, status, i.Page, view)
	return nil
}

// apply makes the change. Where it is refused, the preview stands again and says why.
func (i *Import) apply(c *gin.Context) {
	u, err := i.Find(c)
	if err != nil {
		i.Refused(c, err)
		return
	}
	done, err := i.Apply(c, &u)
	if err != nil {
		if text, ok := shell.Told(err); ok {
			err = i.show(c, &u, text)
		}
		if err != nil {
			i.Refused(c, err)
		}
		return
	}
	if !done.Keep {
		if err := i.Store.RemoveUpload(c.Request.Context(), i.Kind, u.ID); err != nil {
			i.Shell.Log.Warn("upload", "error", err)
		}
	}
	c.Redirect(http.StatusSeeOther, done.To)
}

// Find finds the file of the address.
func (i *Import) Find(c *gin.Context) (u sqlite.Upload, err error) {
	id, err := strconv.ParseInt(c.Param("file"), 10, 64)
	if err != nil {
		return u, shell.Refusef("there is no such file here")
	}
	u, ok, err := i.Store.Upload(c.Request.Context(), i.Kind, id)
	if err == nil && !ok {
		err = shell.Refusef("this file is not kept any more: choose it again")
	}
	return u, err
}

// Refused answers with a page that says why there is no preview.
func (i *Import) Refused(c *gin.Context, err error) {
	text, ok := shell.Told(err)
	if !ok {
		i.Shell.Internal(c, err)
		return
	}
	i.Shell.ShowStatus(c, http.StatusUnprocessableEntity, i.Page, i.Refuse(text))
}

// Sent is the file of a form: its name and its bytes as they come. The caller reads them before it answers.
func Sent(c *gin.Context) (name string, body io.Reader, err error) {
	if err := http.NewResponseController(c.Writer).SetReadDeadline(time.Now().Add(time.Hour)); err != nil &&
		!errors.Is(err, http.ErrNotSupported) {
		return "", nil, err
	}
	parts, err := c.Request.MultipartReader()
	if err != nil {
		return "", nil, shell.Refusef("choose a file")
	}
	part, err := parts.NextPart()
	if err != nil || part.FileName() == "" {
		return "", nil, shell.Refusef("choose a file")
	}
	if _, params, err := mime.ParseMediaType(part.Header.Get("Content-Disposition")); err == nil {
		name = params["filename"]
	}
	return name, part, nil
}

// CSV answers with a table as a file.
func CSV(c *gin.Context, name string, body []byte) {
	c.Header("Content-Disposition", `attachment; filename="`+name+`"`)
	c.Data(http.StatusOK, "text/csv; charset=utf-8", body)
}

// Column is a column of a table in a preview: what it holds, which can be corrected.
type Column struct {
	Index               int
	Head, Example       string
	Field, Unit         string
	Fields, Units       []shell.Choice
	Measured, NotMapped bool
	Chosen              bool // somebody chose what it holds
}

// ColumnsOf are the columns of a file with what each holds, to be corrected; fields are what one may hold.
func ColumnsOf[F interface {
	~string
	String() string
}](g *grid.Grid, headLine int, columns, fields []F, query url.Values) (list []Column) {
	head := slices.IndexFunc(g.Rows, func(r grid.Row) bool { return r.Line == headLine })
	if head < 0 {
		return nil
	}
	for i, field := range columns {
		col := Column{Index: i, Field: string(field), NotMapped: field == "", Chosen: Chose(query, "c"+strconv.Itoa(i))}
		if cells := g.Rows[head].Cells; i < len(cells) {
			col.Head = cells[i].Text
		}
		for j := head + 1; j < len(g.Rows) && col.Example == ""; j++ {
			if cells := g.Rows[j].Cells; i < len(cells) {
				col.Example = cells[i].Text
			}
		}
		for _, f := range fields {
			col.Fields = append(col.Fields, shell.Choice{ID: string(f), Name: f.String(), Chosen: f == field})
		}
		list = append(list, col)
	}
	return list
}

// Row is a row of a table in a preview, with what becomes of it.
type Row struct {
	Line            int
	Status          string
	SKU, Name, What string
}

// Ask is a question that a file leaves open, with what answers it.
type Ask struct {
	Code, Message string
	Field, Value  string   // of an answer that is typed: the name of its field, and what it has
	Answers       []Answer // to choose from
	Open          bool     // it cannot be left as it is
	Leave         string   // what leaving it as it is does; "" for just that
	Likely        []Answer // what may be meant, beside what is typed
	Places        bool     // zones of the shop are proposed while it is typed
}

// Answer is an answer to a question, as a button of the preview's form sends it beside what was typed.
type Answer struct {
	Label string
	Value string // what it sets in the query of the preview, encoded
}

// NewAnswer makes an answer that sets some values of a preview's query, as pairs of a name and a value. Where settles
// is not "", the question with that code is settled too.
func NewAnswer(label, settles string, pairs ...string) Answer {
	q := url.Values{}
	for i := 0; i+1 < len(pairs); i += 2 {
		q.Set(pairs[i], pairs[i+1])
	}
	if settles != "" {
		q.Set(settled, settles)
	}
	return Answer{label, q.Encode()}
}

// settled is the name under which a preview's query has the questions that were settled.
const settled = "ok"

// Query is what was chosen on a preview, with the answer that was pressed.
func Query(c *gin.Context) url.Values {
	query := c.Request.URL.Query()
	answer, err := url.ParseQuery(query.Get("answer"))
	query.Del("answer")
	if err != nil {
		return query
	}
	for name, values := range answer {
		if name == settled {
			query[name] = append(query[name], values...)
			continue
		}
		query[name] = values
		query.Del(foundPrefix + name)
	}
	return query
}

// ChosenColumns are what columns hold as somebody chose it on a preview, by their indexes. What was chosen for the columns
// of one sheet, or below one line of headings, says nothing of those of another.
func ChosenColumns(query url.Values) map[int]string {
	chosen := map[int]string{}
	if !AsShown(query, "sheet") || !AsShown(query, "head") {
		return chosen
	}
	for name, values := range query {
		text, ok := strings.CutPrefix(name, "c")
		if !ok || !Chose(query, name) {
			continue
		}
		if column, err := strconv.Atoi(text); err == nil {
			chosen[column] = values[0]
		}
	}
	return chosen
}

// Names of answers about a text of a file begin with what they answer: where it is, which price it means, and that its
// lines are left out.
const (
	PlacePrefix = "z:"
	PricePrefix = "p:"
	LeavePrefix = "l:"
)

// About are the answers about texts of a file, by the folded texts, whose names begin so.
func About(query url.Values, prefix string) map[string]string {
	about := map[string]string{}
	for name, values := range query {
		if text, ok := strings.CutPrefix(name, prefix); ok && strings.TrimSpace(values[0]) != "" {
			about[world.Fold(text)] = strings.TrimSpace(values[0])
		}
	}
	return about
}

// Left are the folded texts whose lines are left out.
func Left(query url.Values) map[string]bool {
	left := map[string]bool{}
	for text := range About(query, LeavePrefix) {
		left[text] = true
	}
	return left
}

// Given is an answer about a text of a file, and what takes it back.
type Given struct {
	Said string
	Back Answer
}

// GivenIn are the answers about texts that a preview's query has.
func GivenIn(query url.Values) (list []Given) {
	for name, values := range query {
		said := ""
		value := strings.TrimSpace(values[0])
		if value == "" {
			continue
		}
		if text, ok := strings.CutPrefix(name, PlacePrefix); ok {
			said = "“" + text + "” is " + value
		} else if text, ok := strings.CutPrefix(name, PricePrefix); ok {
			said = "“" + text + "” means " + value
		} else if text, ok := strings.CutPrefix(name, LeavePrefix); ok {
			said = "Lines with “" + text + "” are left out"
		}
		if said != "" {
			list = append(list, Given{said, NewAnswer("Take back", "", name, "")})
		}
	}
	slices.SortFunc(list, func(a, b Given) int { return strings.Compare(a.Said, b.Said) })
	return list
}

// Answered are the answers whose questions are not asked any more, which a preview sends again.
func Answered(query url.Values, asks []Ask) map[string][]string {
	answered := map[string][]string{}
	for name, values := range query {
		open := slices.ContainsFunc(asks, func(a Ask) bool { return a.Field == name })
		text := strings.HasPrefix(name, PlacePrefix) || strings.HasPrefix(name, PricePrefix) || strings.HasPrefix(name, LeavePrefix)
		if name == settled || name == "zeros" || text && !open {
			answered[name] = values
		}
	}
	return answered
}

// ZerosAnswers are the answers to whether codes have lost their zeros.
func ZerosAnswers() []Answer {
	return []Answer{NewAnswer("They have lost a zero", "", "zeros", string(destination.ZerosLost)),
		NewAnswer("All codes that begin so", "", "zeros", string(destination.ZerosNone))}
}

// Zeros is what somebody said of codes that have a digit less than their country writes.
func Zeros(query url.Values) destination.Zeros {
	if z := destination.Zeros(query.Get("zeros")); z == destination.ZerosLost || z == destination.ZerosNone {
		return z
	}
	return destination.ZerosAsked
}

// TypedNumber is a number above another as it was typed, with a decimal point or comma; nil where nothing was.
func TypedNumber(text string, above int64, wrong string) (d *decimal.Decimal, slip string) {
	text = strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(text), "%"))
	if text == "" {
		return nil, ""
	}
	n, err := decimal.Parse(strings.Replace(text, ",", ".", 1))
	if err != nil || n.Cmp(decimal.FromInt(above)) <= 0 {
		return nil, wrong
	}
	return &n, ""
}
