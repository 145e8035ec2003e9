package live

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/calendar"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// laterView is what of the draft is to be published by itself at a time, as it was typed.
type laterView struct {
	At, Until   string
	Zone        string
	Open        bool
	Field, Slip string
}

// scheduledRow is an edition that goes live, or gives way, by itself.
type scheduledRow struct {
	ID       int64
	Edition  int64
	Text     string
	CallOff  string // what the button says; "" for those that are over
	Pending  bool
	Replaces bool // it would replace what is published now
}

// zoneOf is the time zone in which the owner of a store types times, with what to call it.
func zoneOf(f *store.File) (*time.Location, string) {
	if f.Store.Dispatch != nil {
		if l, err := calendar.Location(f.Store.Dispatch.TimeZone); err == nil {
			return l, f.Store.Dispatch.TimeZone
		}
	}
	return time.UTC, "UTC"
}

// moment writes a time in a time zone as [calendar.ParseMoment] reads it.
func moment(t time.Time, in *time.Location) string { return t.In(in).Format("2 Jan 2006, 15:04") }

// maxEnded is how many scheduled editions that are over are shown.
const maxEnded = 3

// scheduled says what goes live by itself.
func (s *Screens) scheduled(ctx context.Context) (rows []scheduledRow, err error) {
	list, err := s.draft.Schedules(ctx)
	if err != nil {
		return nil, err
	}
	in, zone := zoneOf(s.draft.State().File)
	ended := 0
	for i := range list {
		e := &list[i]
		row := scheduledRow{ID: e.ID, Edition: e.Edition, Pending: draft.Pending(e)}
		at, until := moment(e.At, in), moment(e.Until, in)
		switch e.State {
		case sqlite.Waiting:
			row.CallOff, row.Replaces = "Call off", true
			row.Text = fmt.Sprintf("Edition %d goes live on %s (%s)", e.Edition, at, zone)
			if !e.Until.IsZero() {
				row.Text += " and gives way on " + until + " to the edition that was live before it"
			}
			if time.Since(e.At) > time.Minute {
				row.Text += ". It could not go live at that time yet and is tried again"
			}
		case sqlite.Running:
			row.CallOff = "Keep it live"
			row.Text = fmt.Sprintf("Edition %d is live until %s (%s); then edition %d is live again", e.Edition, until,
				zone, e.Former)
		case sqlite.Missed:
			row.Text = fmt.Sprintf("Edition %d was to be live from %s to %s. The program did not run then", e.Edition,
				at,
				until)
		case sqlite.Replaced:
			row.Text = fmt.Sprintf("Edition %d was to give way on %s, but another edition had been published by then",
				e.Edition, until)
		case sqlite.CalledOff:
			row.Text = fmt.Sprintf("Edition %d, to go live on %s, was called off", e.Edition, at)
		default:
			continue // the list of editions has it
		}
		if !row.Pending {
			if ended++; ended > maxEnded {
				continue
			}
		}
		row.Text += "."
		rows = append(rows, row)
	}
	return rows, nil
}

// Scheduled says in a few words what goes live next by itself; "" for nothing.
func (s *Screens) Scheduled(ctx context.Context) (string, error) {
	list, err := s.draft.Schedules(ctx)
	if err != nil || len(list) == 0 || !draft.Pending(&list[0]) {
		return "", err
	}
	in, _ := zoneOf(s.draft.State().File)
	e := &list[0]
	if e.State == sqlite.Running {
		return fmt.Sprintf("%d until %s", e.Edition, e.Until.In(in).Format("2 Jan")), nil
	}
	return fmt.Sprintf("%d on %s", e.Edition, e.At.In(in).Format("2 Jan")), nil
}

// publishLater schedules the draft as it was seen.
func (s *Screens) publishLater(c *gin.Context) {
	ctx := c.Request.Context()
	note, noteErr := edit.Line(c.PostForm("note"))
	revision, err := strconv.ParseInt(c.PostForm("revision"), 10, 64)
	in, zone := zoneOf(s.draft.State().File)
	v := laterView{At: c.PostForm("at"), Until: c.PostForm("until"), Open: true, Zone: zone}
	var when draft.Later
	switch {
	case err != nil:
		err = shell.Refusef("this page is too old: look at what is different now")
	case noteErr != nil:
		err, note = noteErr, c.PostForm("note")
	case len([]rune(note)) > maxNote:
		err = shell.Refusef("a note has at most %d letters", maxNote)
	default:
		when, v.Field, err = v.when(in)
	}
	var e sqlite.Scheduled
	if err == nil {
		e, err = s.draft.PublishLater(ctx, sqlite.Stamp{Revision: revision}, note, when, time.Now())
		v.Field, err = laterSlip(err, in, zone)
	}
	if err == nil {
		s.notes.Note(c.Request, auth.Published, shell.Person(ctx), fmt.Sprintf("edition %d, to go live on %s",
			e.Edition,
			moment(e.At, in)))
		s.answerLive(c, nil, "", func(*draft.Live) string {
			return fmt.Sprintf("Edition %d goes live on %s", e.Edition, moment(e.At, in))
		})
		return
	}
	if v.Field == "" {
		s.answerLive(c, err, note, nil)
		return
	}
	v.Slip, _ = shell.Told(err)
	view, err := s.liveView(ctx, shell.Viewed(c))
	if err != nil {
		s.Internal(c, err)
		return
	}
	view.Later, view.Note = v, note
	s.HTML(c, http.StatusUnprocessableEntity, s.Render("live", view))
}

// when reads the times; field is the one that cannot be read.
func (v *laterView) when(in *time.Location) (when draft.Later, field string, err error) {
	if strings.TrimSpace(v.At) == "" {
		return when, "at", shell.Refusef("say when it goes live, such as 2026-12-01 08:00")
	}
	if when.At, err = calendar.ParseMoment(v.At, in); err != nil {
		return when, "at", shell.Refusef("%s", err)
	}
	if strings.TrimSpace(v.Until) == "" {
		return when, "", nil
	}
	if when.Until, err = calendar.ParseMoment(v.Until, in); err != nil {
		return when, "until", shell.Refusef("%s", err)
	}
	return when, "", nil
}

// laterSlip says what is wrong with the times, and with which of them.
func laterSlip(err error, in *time.Location, zone string) (field string, said error) {
	var overlap *draft.OverlapError
	switch {
	case errors.Is(err, draft.ErrPast):
		return "at", shell.Refusef("that time has passed: it is %s now (%s)", moment(time.Now(), in), zone)
	case errors.Is(err, draft.ErrEndsFirst):
		return "until", shell.Refusef("it would end before it goes live")
	case errors.Is(err, draft.ErrNoFormer):
		return "until", shell.Refusef("nothing is live yet, so there is nothing to go back to: leave it empty")
	case errors.Is(err, draft.ErrTooFar):
		return "at", shell.Refusef("that is more than two years ahead")
	case errors.As(err, &overlap):
		e, end := overlap.With, ""
		if !e.Until.IsZero() {
			end = " until " + moment(e.Until, in)
		}
		return "at", shell.Refusef("edition %d is scheduled from %s%s: end before that, start after it, or stay "+
			"within it",
			e.Edition, moment(e.At, in), end)
	}
	return "", err
}

// callOff has a scheduled edition not go live, or stay where it was to give way.
func (s *Screens) callOff(c *gin.Context) {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		err = sqlite.ErrNotScheduled
	} else {
		err = s.draft.CallOff(c.Request.Context(), id)
	}
	if errors.Is(err, sqlite.ErrNotScheduled) {
		err = shell.Refusef("that edition does not wait any more: look at what is live now")
	}
	if err == nil {
		s.notes.Note(c.Request, auth.Published, shell.Person(c.Request.Context()), "called off what was scheduled")
	}
	s.answerLive(c, err, "", func(*draft.Live) string { return "Called off" })
}
