package live

import (
	"context"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/auth"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/review/changes"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/promises"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/shifts"

	"github.com/gin-gonic/gin"
)

type editionRow struct {
	sqlite.Edition
	Who, When string
	Short     string // the first of the hash
	Gone      string // when its store file was removed; "" where it is there
	Live      bool
	Waits     bool // whether it goes live by itself
	Asks      bool // whether it is to be published again: waits for the yes
	Compared  shifts.View
	Count     int
}

// liveView is what goes live, and what went.
type liveView struct {
	Owner          bool
	Ahead          aheadView
	Compared       shifts.View
	Moved          []string     // prices that carriers changed themselves since the edition was published
	Warnings       []warningRow // that what is live does not have
	Both           int          // warnings that it has too
	Promises       string
	Broken         []promises.Row // that hold in the live edition
	Next           int64
	Live           *draft.Live
	Nodes          string // what was sent to the nodes of the shop; "" where it has none
	NodesBehind    bool
	Revision, Turn int64
	Note, Slip     string
	Later          laterView
	Scheduled      []scheduledRow
	Waits          bool // an edition that would replace what is published now
	Editions       []editionRow
	A, B           []shell.Choice
	Old            *oldView      // nil where there are few editions
	Shown          *shell.Window // the editions that are listed; nil for all
	Checks         bool          // new warnings are fetched, because the shop is large
	Differ         []string      // sentences of two that are compared
	MoreDiffer     int
	DifferOf       string
}

func (s *Screens) liveView(ctx context.Context, query url.Values) (v liveView, err error) {
	state, live := s.draft.State(), s.draft.Live()
	v = liveView{Owner: shell.Person(ctx).Role == auth.Owner, Live: live, Revision: state.Revision, Next: 1}
	if v.Ahead, err = s.aheadView(ctx, asked{query: query}); err != nil {
		return v, err
	}
	var before *quote.Engine
	if live != nil {
		before, v.Turn = live.Engine, live.Turn
	}
	if v.Ahead.Count > 0 {
		if v.Compared, err = shifts.Of(ctx, s.db, before, state.Engine, "what is live beside the draft"); err != nil {
			return v, err
		}
		if v.Checks = state.Large(); !v.Checks {
			v.Warnings, v.Both = newWarnings(live, state)
		}
		if live != nil {
			v.Moved = s.carriers.Moved(state.File, live.At) // also what the comparison has just found out
		}
	}
	v.Nodes, v.NodesBehind = s.nodes(live)
	_, v.Later.Zone = zoneOf(state.File)
	if v.Scheduled, err = s.scheduled(ctx); err != nil {
		return v, err
	}
	for _, row := range v.Scheduled {
		v.Waits = v.Waits || row.Replaces
	}
	list, err := s.promises.All(ctx)
	if err != nil {
		return v, err
	}
	v.Promises, _ = promises.Said(list)
	for _, row := range promises.ViewOf(state.File, list).Rows {
		if !row.Holds && (before == nil || row.Body.Check(before).Holds) {
			v.Broken = append(v.Broken, row)
		}
	}
	return v, s.listEditions(ctx, &v, query)
}

// maxEditions is how many editions are shown at a time, and how many can be chosen from a menu.
const maxEditions = 30

// nodes says what was sent to the nodes of the shop, and whether that is not what is live.
func (s *Screens) nodes(live *draft.Live) (said string, behind bool) {
	f := s.sent.Load()
	if f == nil || live == nil {
		return "", false
	}
	switch sent := (*f)(); {
	case sent.Problem != "":
		return "The brokers of the nodes do not keep what has changed yet (" + sent.Problem + "). It is tried again", true
	case sent.At.IsZero():
		return "The nodes have not been told yet", true
	default:
		return fmt.Sprintf("Edition %d was sent to the nodes on %s", sent.Edition, shell.Moment(sent.At)),
			sent.Edition != live.Number
	}
}

// listEditions lists the editions, and what can be compared.
func (s *Screens) listEditions(ctx context.Context, v *liveView, query url.Values) error {
	live := s.draft.Live()
	editions, err := s.db.Editions(ctx)
	if err != nil {
		return err
	}
	name, err := s.Names(ctx)
	if err != nil {
		return err
	}
	v.A, v.B = []shell.Choice{{ID: "live", Name: "live", Chosen: true}},
		[]shell.Choice{{ID: "draft", Name: "the draft", Chosen: true}}
	if live == nil {
		v.A = nil
	}
	if len(editions) > 0 {
		v.Next = editions[0].Number + 1 // the last one stands first
	}
	if len(editions) > minKept {
		v.Old = &oldView{Keep: strconv.Itoa(max(minKept, len(editions)/2))}
	}
	v.Shown = shell.WindowOf(query, "editions", maxEditions, len(editions))
	from, to := v.Shown.Bounds(len(editions))
	for _, e := range editions[from:to] {
		v.Editions = append(
			v.Editions,
			editionRow{
				Edition: e,
				Who:     name(e.By),
				When:    shell.Moment(e.At),
				Short:   e.Hash[:10],
				Live:    live != nil && live.Number == e.Number,
				Waits: slices.ContainsFunc(v.Scheduled, func(r scheduledRow) bool {
					return r.Replaces &&
						r.Edition == e.Number
				}),
			},
		)
		if !e.Removed.IsZero() {
			v.Editions[len(v.Editions)-1].Gone = shell.Moment(e.Removed)
			continue
		}
		id := strconv.FormatInt(e.Number, 10)
		v.A, v.B = append(v.A, shell.Choice{ID: id, Name: "edition " + id, Chosen: false}),
			append(v.B, shell.Choice{ID: id, Name: "edition " + id, Chosen: false})
	}
	return nil
}

func (s *Screens) livePage(c *gin.Context) {
	v, err := s.liveView(c.Request.Context(), shell.Viewed(c))
	if err == nil && c.Query("a") != "" {
		err = s.differ(c.Request.Context(), &v, c.Query("a"), c.Query("b"))
	}
	if err != nil {
		text, ok := shell.Told(err)
		if !ok {
			s.Internal(c, err)
			return
		}
		v.Slip = text
	}
	s.Show(c, shell.Page{Here: "/live", Title: "Live", Template: "live"}, v)
}

// chosen chooses one of a menu, which has it afterwards.
func chosen(list []shell.Choice, id string) []shell.Choice {
	there := false
	for i := range list {
		list[i].Chosen = list[i].ID == id
		there = there || list[i].Chosen
	}
	if !there {
		list = append(list, shell.Choice{ID: id, Name: "edition " + id, Chosen: true})
	}
	return list
}

// differ compares two editions, or one with the draft.
func (s *Screens) differ(ctx context.Context, v *liveView, a, b string) error {
	one, err := s.sideOf(ctx, a)
	if err != nil {
		return err
	}
	two, err := s.sideOf(ctx, b)
	if err != nil {
		return err
	}
	v.A, v.B = chosen(v.A, a), chosen(v.B, b)
	list := changes.Between(one, two)
	v.MoreDiffer = max(0, len(list)-maxDiffer)
	v.Differ = changes.Sentences(list[:len(list)-v.MoreDiffer])
	v.DifferOf = "Nothing is different."
	if n := len(list); n > 0 {
		v.DifferOf = plural.Count(n, "difference") + ":"
	}
	return nil
}

// maxDiffer is how many differences of two editions are written out.
const maxDiffer = 300

// sideOf gives the draft, what is live, or an edition by its number.
func (s *Screens) sideOf(ctx context.Context, name string) (changes.Side, error) {
	state, live := s.draft.State(), s.draft.Live()
	switch {
	case name == "draft":
		return state.Side(), nil
	case name == "live" && live != nil:
		return live.Side(), nil
	}
	f, _, err := s.edition(ctx, name)
	if err != nil {
		return changes.Side{}, err
	}
	return changes.Of(f), nil
}

func (s *Screens) edition(ctx context.Context, number string) (*store.File, []byte, error) {
	n, err := strconv.ParseInt(number, 10, 64)
	if err != nil {
		return nil, nil, shell.Refusef("there is no edition %.20q", number)
	}
	f, body, err := s.draft.Edition(ctx, n)
	switch {
	case errors.Is(err, sqlite.ErrNoEdition):
		err = shell.Refusef("there is no edition %d", n)
	case errors.Is(err, sqlite.ErrRemoved):
		err = shell.Refusef("the file of edition %d was removed", n)
	}
	return f, body, err
}

// downloadEdition answers with the store file of an edition, or of the draft.
func (s *Screens) downloadEdition(c *gin.Context) {
	number, ok := strings.CutSuffix(c.Param("edition"), ".json")
	var body []byte
	var err error
	if number == "draft" {
		body = s.draft.State().File.Write()
	} else {
		_, body, err = s.edition(c.Request.Context(), number)
	}
	if err != nil || !ok {
		if text, is := shell.Told(err); is || !ok {
			s.Problem(c, http.StatusNotFound, "There is no such edition. "+text)
			return
		}
		s.Internal(c, err)
		return
	}
	c.Header("Content-Disposition", `attachment; filename="store-`+number+`.json"`)
	c.Data(http.StatusOK, "application/json", body)
}

// publish publishes the draft as it was seen.
func (s *Screens) publish(c *gin.Context) {
	revision, err := strconv.ParseInt(c.PostForm("revision"), 10, 64)
	turn, err2 := strconv.ParseInt(c.PostForm("turn"), 10, 64)
	note, noteErr := edit.Line(c.PostForm("note"))
	switch {
	case noteErr != nil:
		err, note = noteErr, c.PostForm("note")
	case err != nil || err2 != nil:
		err = shell.Refusef("this page is too old: look at what is different now")
	case len([]rune(note)) > maxNote:
		err = shell.Refusef("a note has at most %d letters", maxNote)
	default:
		var live *draft.Live
		seen := sqlite.Stamp{Revision: revision, Turn: turn}
		if live, err = s.draft.Publish(c.Request.Context(), seen, note); err == nil {
			s.notes.Note(c.Request, auth.Published, shell.Person(c.Request.Context()), fmt.Sprintf("edition %d",
				live.Number))
		}
	}
	s.answerLive(
		c,
		err,
		note,
		func(live *draft.Live) string { return fmt.Sprintf("Edition %d is live", live.Number) },
	)
}

// maxNote is the longest note of an edition, in letters.
const maxNote = 300

// liveSlip turns what hinders publishing into words.
func liveSlip(err error) error {
	switch {
	case errors.Is(err, sqlite.ErrConflict):
		return shell.Refusef("the draft was changed meanwhile, and nothing was published: look at what is different " +
			"now")
	case errors.Is(err, sqlite.ErrLiveChanged):
		return shell.Refusef("somebody put another edition live meanwhile, and this was not: look at what is " +
			"different now")
	case errors.Is(err, draft.ErrSame):
		return shell.Refusef("the draft is what is live already")
	case sqlite.Full(err):
		return shell.Refusef("the disk is full: nothing was published, and everything is as it was")
	}
	return err
}

// answerLive answers with the page as it is now, and the shell around it.
func (s *Screens) answerLive(c *gin.Context, err error, note string, happened func(*draft.Live) string) {
	ctx := c.Request.Context()
	status, text := http.StatusOK, ""
	if err = liveSlip(err); err != nil {
		said, ok := shell.Told(err)
		if !ok {
			s.Internal(c, err)
			return
		}
		if err := s.draft.Refresh(ctx); err != nil {
			s.Internal(c, err)
			return
		}
		status, text = http.StatusUnprocessableEntity, said
	}
	v, err := s.liveView(ctx, shell.Viewed(c))
	if err != nil {
		s.Internal(c, err)
		return
	}
	if v.Slip = text; text != "" {
		v.Note = note
		s.HTML(c, status, s.Render("live", v))
		return
	}
	s.AnswerSaying(c, "/live", s.draft.State(), happened(v.Live), s.Render("live", v))
}

// askAgain shows what putting an edition live again would mean, and waits for the yes.
func (s *Screens) askAgain(c *gin.Context) {
	ctx := c.Request.Context()
	f, _, err := s.edition(ctx, c.Param("edition"))
	var v liveView
	if err == nil {
		v, err = s.liveView(ctx, shell.Viewed(c))
	}
	if err != nil {
		s.Refused(c, err, func(text string) template.HTML { return s.Render("problem", text) })
		return
	}
	for i := range v.Editions {
		row := &v.Editions[i]
		if strconv.FormatInt(row.Number, 10) != c.Param("edition") {
			continue
		}
		row.Asks = true
		if live := s.draft.Live(); live != nil {
			row.Count = len(changes.Between(live.Side(), changes.Of(f)))
			if row.Compared, err = shifts.Of(
				ctx,
				s.db,
				live.Engine,
				live.Engine.Again(f),
				"what is live beside edition "+c.Param("edition"),
			); err != nil {
				s.Internal(c, err)
				return
			}
		}
		s.HTML(c, http.StatusOK, s.Render("edition", map[string]any{"Row": row, "Owner": v.Owner, "Turn": v.Turn}))
		return
	}
}

// publishAgain publishes an earlier edition again.
func (s *Screens) publishAgain(c *gin.Context) {
	number, err := strconv.ParseInt(c.Param("edition"), 10, 64)
	turn, err2 := strconv.ParseInt(c.PostForm("turn"), 10, 64)
	if err != nil || err2 != nil {
		err = shell.Refusef("this page is too old: look at what is different now")
	} else {
		_, err = s.draft.PublishAgain(c.Request.Context(), number, sqlite.Stamp{Turn: turn})
		if errors.Is(err, sqlite.ErrNoEdition) {
			err = shell.Refusef("there is no edition %d", number)
		} else if err == nil {
			s.notes.Note(c.Request, auth.Published, shell.Person(c.Request.Context()), fmt.Sprintf("edition %d again",
				number))
		}
	}
	s.answerLive(
		c,
		err,
		"",
		func(live *draft.Live) string { return fmt.Sprintf("Edition %d is live again", live.Number) },
	)
}

// bringBack makes the draft what an edition is. It is an edit, and can be undone as any.
func (s *Screens) bringBack(c *gin.Context) {
	f, _, err := s.edition(c.Request.Context(), c.Param("edition"))
	if err == nil {
		_, err = s.draft.Edit(c.Request.Context(), func(now *store.File) error { *now = *f.Clone(); return nil })
	}
	s.answerLive(c, err, "", func(*draft.Live) string { return "The draft is edition " + c.Param("edition") })
}
