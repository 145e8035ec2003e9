package api

import (
	"bytes"
	"context"
	"net/http"
	"strconv"
	"sync"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/shop/deliveries"
	"diadrom/internal/sqlite"

	"github.com/gin-gonic/gin"
)

// Notices are what programs are told of.
type Notices interface {
	// Notices lists those after one, at most so many.
	Notices(ctx context.Context, after int64, most int) ([]sqlite.Notice, error)
	// NoticeNumbers are the number of the first that is kept, and of the last that was given.
	NoticeNumbers(ctx context.Context) (first, last int64, err error)
	// Newer is closed when there are others than now.
	Newer() <-chan struct{}
}

// Bounds of streams of events.
const (
	maxStreams    = 100 // at once
	maxStreamsKey = 8   // of one key, or of one person
	eventsAtOnce  = 200
	streamBeat    = 15 * time.Second // after which a stream that has nothing to tell says that it is there
	streamWithin  = 10 * time.Second // what is sent must be taken
	streamRetry   = 3 * time.Second  // after which a client comes again
)

// streams counts who listens, and ends all when the program does.
type streams struct {
	mu    sync.Mutex
	of    map[int64]int // by key, or by person below 0
	all   int
	ended chan struct{}
	once  sync.Once
}

func (s *streams) enter(who int64) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.all >= maxStreams || s.of[who] >= maxStreamsKey {
		return false
	}
	s.all++
	s.of[who]++
	return true
}

func (s *streams) leave(who int64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.all--
	if s.of[who]--; s.of[who] == 0 {
		delete(s.of, who)
	}
}

// End ends the streams that are under way: their clients come again.
func (a *API) End() { a.streams.once.Do(func() { close(a.streams.ended) }) }

// events tells what changes as it does, as server-sent events (HTML Living Standard, section 9.2). A client that comes
// again says with Last-Event-ID what it was told last, and is told what it missed.
func (a *API) events(c *gin.Context) {
	who, ok := a.mayEdit(c, auth.Events)
	if !ok {
		return
	}
	ctx := c.Request.Context()
	first, last, err := a.Notices.NoticeNumbers(ctx)
	if err != nil {
		a.internal(c, err)
		return
	}
	after, ok := lastEvent(c, last)
	if !ok {
		return
	}
	head := c.Writer.Header()
	head.Set("Content-Type", "text/event-stream; charset=utf-8")
	head.Set("Cache-Control", "no-store")
	head.Set("X-Accel-Buffering", "no") // nginx sends it on as it comes
	if c.Request.Method == http.MethodHead {
		c.Status(http.StatusOK)
		return
	}
	by := who.by().ID
	if !a.streams.enter(by) {
		head.Del("Content-Type")
		c.Header("Retry-After", "10")
		problem(c, TooMany, "at most "+strconv.Itoa(maxStreamsKey)+" streams of events are open for a key: close others", nil)
		return
	}
	defer a.streams.leave(by)
	s := stream{a: a, c: c, to: http.NewResponseController(c.Writer), after: after}
	s.to.SetReadDeadline(time.Time{}) //nolint:errcheck // nothing more is read
	var begin bytes.Buffer
	begin.WriteString("retry: " + strconv.FormatInt(streamRetry.Milliseconds(), 10) + "\n")
	if after+1 < first { // what it missed is not kept any more
		s.after = first - 1
		begin.WriteString("event: events.missed\ndata: {\"after\": " + strconv.FormatInt(after, 10) + ", \"first\": " +
			strconv.FormatInt(first, 10) + "}\n")
	}
	begin.WriteString("id: " + strconv.FormatInt(s.after, 10) + "\n\n")
	c.Status(http.StatusOK)
	if s.write(begin.Bytes()) {
		s.run(ctx)
	}
}

// lastEvent is the event after which a client is told: the last one of all where it does not say. false where it cannot
// be read, which has been answered then. A number that was never given is of a shop before a loss, and counts as 0.
func lastEvent(c *gin.Context, last int64) (after int64, ok bool) {
	text := c.GetHeader("Last-Event-ID")
	if text == "" {
		text = c.Query("after")
	}
	if text == "" {
		return last, true
	}
	after, err := strconv.ParseInt(text, 10, 64)
	if err != nil || after < 0 {
		problem(c, BadRequest, "Last-Event-ID, or after, is the id of an event as a stream had it", nil)
		return 0, false
	}
	if after > last {
		after = 0
	}
	return after, true
}

// stream is one client that listens.
type stream struct {
	a     *API
	c     *gin.Context
	to    *http.ResponseController
	after int64
}

// write sends; false where the client does not take it.
func (s *stream) write(text []byte) bool {
	if s.to.SetWriteDeadline(time.Now().Add(streamWithin)) != nil {
		return false
	}
	if _, err := s.c.Writer.Write(text); err != nil {
		return false
	}
	return s.to.Flush() == nil
}

// run tells until the client goes, the key ends or the program does.
func (s *stream) run(ctx context.Context) {
	beat := time.NewTicker(streamBeat)
	defer beat.Stop()
	for {
		newer := s.a.Notices.Newer()
		list, err := s.a.Notices.Notices(ctx, s.after, eventsAtOnce)
		if err != nil {
			return
		}
		if len(list) > 0 {
			if !s.still() || !s.write(s.events(list)) {
				return
			}
			continue
		}
		select {
		case <-newer:
		case <-beat.C:
			if !s.still() || !s.write([]byte(": \n\n")) {
				return
			}
		case <-ctx.Done():
			return
		case <-s.a.streams.ended:
			return
		}
	}
}

// still says whether whoever listens may: a key may have been revoked.
func (s *stream) still() bool {
	who := s.a.Asker(s.c.Request)
	return who.May(auth.Events)
}

// events writes events as they are sent.
func (s *stream) events(list []sqlite.Notice) []byte {
	var out bytes.Buffer
	for i := range list {
		n := &list[i]
		out.WriteString("id: " + strconv.FormatInt(n.ID, 10) + "\nevent: " + n.Type + "\ndata: ")
		out.Write(deliveries.Body(n)) // a line
		out.WriteString("\n\n")
		s.after = n.ID
	}
	return out.Bytes()
}
