package zones

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/world"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/importer"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
)

// listView is a list of places that was imported, or is being imported.
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
	Running bool   // one is being imported: the view asks again
	Known   string // what there are places of
	Slip    string
}

// maxLines is how many skipped lines are shown.
const maxLines = 50

func (s *Screens) listsView(ctx context.Context, state *draft.State) (v listsView, err error) {
	lists, err := s.lists.Lists(ctx)
	if err != nil {
		return v, err
	}
	sold := state.Coverage().Named()
	for _, l := range lists {
		row := listView{
			ID:      l.ID,
			Name:    l.Name,
			State:   l.State,
			Percent: int(100 * l.Taken / max(l.Bytes, 1)),
			Problem: l.Problem,
			Skipped: l.Skipped,
		}
		v.Running = v.Running || l.State == sqlite.ListWaiting
		for code, n := range l.Countries {
			row.Countries = append(row.Countries, world.CountryName(code)+", "+plural.Count(n, "place"))
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
			if row.Lines, err = s.db.SkippedLines(ctx, l.ID, maxLines); err != nil {
				return v, err
			}
		}
		v.Lists = append(v.Lists, row)
	}
	v.Known = knownPlaces(state.Engine.Gazetteer())
	return v, nil
}

// knownPlaces says of which countries there are lists; "" for none.
func knownPlaces(g *gazetteer.Gazetteer) string {
	if g == nil {
		return ""
	}
	all, codes := g.Countries()
	var known []string
	for _, c := range all[:min(len(all), 4)] {
		has := plural.Count(codes[c], "code")
		if codes[c] == 0 {
			has = "towns, no postcodes"
		}
		known = append(known, world.CountryName(c)+" ("+has+")")
	}
	if more := len(all) - len(known); more > 0 {
		known = append(known, strconv.Itoa(more)+" countries more")
	}
	return strings.Join(known, ", ")
}

func were(n int, what string) string {
	if n == 1 {
		return "1 " + what + " was"
	}
	return plural.Count(n, what) + " were"
}

// addList takes a list of places in.
func (s *Screens) addList(c *gin.Context) {
	name, body, err := upload.Sent(c)
	if err == nil {
		_, err = s.lists.Add(c.Request.Context(), name, body)
		if errors.Is(err, importer.ErrEmpty) {
			err = shell.Refusef("%.60s is empty", name)
		}
	}
	s.answerLists(c, err)
}

func (s *Screens) answerLists(c *gin.Context, err error) {
	status, text := http.StatusOK, ""
	if err != nil {
		told, ok := shell.Told(err)
		if !ok {
			s.Internal(c, err)
			return
		}
		status, text = http.StatusUnprocessableEntity, told
	}
	v, err := s.listsView(c.Request.Context(), s.draft.State())
	if err != nil {
		s.Internal(c, err)
		return
	}
	v.Slip = text
	if status == http.StatusOK && !v.Running {
		c.Header("HX-Trigger", "till-changed") // what is known of places changes what zones say of themselves
	}
	s.HTML(c, status, s.Render("lists", v))
}

func (s *Screens) showLists(c *gin.Context) { s.answerLists(c, nil) }

func (s *Screens) removeList(c *gin.Context) {
	id, err := strconv.ParseInt(c.Param("list"), 10, 64)
	if err != nil {
		err = shell.Refusef("there is no such list of places")
	} else {
		err = s.lists.Remove(c.Request.Context(), id)
	}
	s.answerLists(c, err)
}
