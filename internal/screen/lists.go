package screen

import (
	"context"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"diadrom/internal/draft"
	"diadrom/internal/gazetteer"
	"diadrom/internal/importer"
	"diadrom/internal/storage"
	"diadrom/internal/world"

	"github.com/gin-gonic/gin"
)

// listView is a list of places that was taken in, or is being taken in.
type listView struct {
	ID      int64
	Name    string
	State   string
	Percent int
	Countries,
	Notes []string
	Problem string
	Skipped int
	Lines   []gazetteer.LineError
}

type listsView struct {
	Lists   []listView
	Running bool   // one is being taken in: the view asks again
	Known   string // what there are places of
	Slip    string
}

// mostLines is how many skipped lines are shown.
const mostLines = 50

func (s *Server) listsView(ctx context.Context, state *draft.State) (v listsView, err error) {
	lists, err := s.importer.Lists(ctx)
	if err != nil {
		return v, err
	}
	sold := state.Engine.Coverage().Named()
	for _, l := range lists {
		row := listView{
			ID:      l.ID,
			Name:    l.Name,
			State:   l.State,
			Percent: int(100 * l.Taken / max(l.Bytes, 1)),
			Problem: l.Problem,
			Skipped: l.Skipped,
		}
		v.Running = v.Running || l.State == storage.ListWaiting
		for code, n := range l.Countries {
			row.Countries = append(row.Countries, world.CountryName(code)+", "+counted(n, "place"))
			if !sold[code] && len(l.Countries) <= 3 {
				row.Notes = append(row.Notes, "No zone sends to "+world.CountryName(code)+".")
			}
		}
		slices.Sort(row.Countries)
		if more := len(row.Countries) - 6; more > 0 {
			row.Countries = append(row.Countries[:6], "and "+strconv.Itoa(more)+" countries more")
		}
		if l.Recoded > 0 {
			row.Notes = append(row.Notes, fmt.Sprintf("%s not UTF-8 and read as Latin-1.", were(l.Recoded, "line")))
		}
		if l.Unusual > 0 {
			row.Notes = append(
				row.Notes,
				fmt.Sprintf(
					"%s not written as the country's postcodes are; taken all the same.",
					were(l.Unusual, "code"),
				),
			)
		}
		if l.Skipped > 0 {
			if row.Lines, err = s.db.SkippedLines(ctx, l.ID, mostLines); err != nil {
				return v, err
			}
		}
		v.Lists = append(v.Lists, row)
	}
	if g := state.Engine.Gazetteer(); g != nil {
		all, codes := g.Countries()
		var known []string
		for _, c := range all[:min(len(all), 4)] {
			known = append(known, world.CountryName(c)+" ("+counted(codes[c], "code")+")")
		}
		if more := len(all) - len(known); more > 0 {
			known = append(known, strconv.Itoa(more)+" countries more")
		}
		v.Known = strings.Join(known, ", ")
	}
	return v, nil
}

func were(n int, what string) string {
	if n == 1 {
		return "1 " + what + " was"
	}
	return grouped(n) + " " + what + "s were"
}

func counted(n int, what string) string {
	if n != 1 {
		what += "s"
	}
	return grouped(n) + " " + what
}

// grouped writes a number with its thousands apart.
func grouped(n int) string {
	s := strconv.Itoa(n)
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// sentFile is the file of a form: its name and its bytes as they come. The caller reads them before it answers.
func sentFile(c *gin.Context) (name string, body io.Reader, err error) {
	if err := http.NewResponseController(c.Writer).SetReadDeadline(time.Now().Add(time.Hour)); err != nil &&
		!errors.Is(err, http.ErrNotSupported) {
		return "", nil, err
	}
	parts, err := c.Request.MultipartReader()
	if err != nil {
		return "", nil, slipf("choose a file")
	}
	part, err := parts.NextPart()
	if err != nil || part.FileName() == "" {
		return "", nil, slipf("choose a file")
	}
	if _, params, err := mime.ParseMediaType(part.Header.Get("Content-Disposition")); err == nil {
		name = params["filename"]
	}
	return name, part, nil
}

// addList takes a list of places in.
func (s *Server) addList(c *gin.Context) {
	name, body, err := sentFile(c)
	if err == nil {
		_, err = s.importer.Add(c.Request.Context(), name, body)
		if errors.Is(err, importer.ErrEmpty) {
			err = slipf("%.60s is empty", name)
		}
	}
	s.answerLists(c, err)
}

func (s *Server) answerLists(c *gin.Context, err error) {
	status, text := http.StatusOK, ""
	if err != nil {
		told, ok := told(err)
		if !ok {
			s.internal(c, err)
			return
		}
		status, text = http.StatusUnprocessableEntity, told
	}
	v, err := s.listsView(c.Request.Context(), s.draft.State())
	if err != nil {
		s.internal(c, err)
		return
	}
	v.Slip = text
	if status == http.StatusOK && !v.Running {
		c.Header("HX-Trigger", "till-changed") // what is known of places changes what zones say of themselves
	}
	s.html(c, status, s.render("lists", v))
}

func (s *Server) lists(c *gin.Context) { s.answerLists(c, nil) }

func (s *Server) removeList(c *gin.Context) {
	id, err := strconv.ParseInt(c.Param("list"), 10, 64)
	if err != nil {
		err = slipf("there is no such list of places")
	} else {
		err = s.importer.Remove(c.Request.Context(), id)
	}
	s.answerLists(c, err)
}
