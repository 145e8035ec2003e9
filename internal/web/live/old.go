package live

import (
	"fmt"
	"net/http"
	"strconv"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/plural"
	"diadrom/internal/shop/outbox"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// minKept is how many editions keep their store files at least.
const minKept = 10

// oldView asks before store files of old editions are removed.
type oldView struct {
	Keep  string // as typed
	Slip  string
	Asks  bool // for a yes
	Count int
	Says  string // of which editions
}

// pinnable is the moment since when editions gave way that a checkout may still be pinned to.
func pinnable() time.Time { return time.Now().Add(-outbox.Pinned) }

// keeping reads how many editions are to keep their store files.
func keeping(text string) (int, error) {
	n, err := strconv.Atoi(text)
	if err != nil || n < minKept {
		return 0, shell.Refusef("type how many of the newest editions keep their files: a number from %d on", minKept)
	}
	return n, nil
}

// askOld says of which editions the store files would be removed.
func (s *Screens) askOld(c *gin.Context) {
	v := oldView{Keep: c.Query("keep")}
	keep, err := keeping(v.Keep)
	if err != nil {
		v.Slip, _ = shell.Told(err)
		s.HTML(c, http.StatusUnprocessableEntity, s.Render("old-editions", v))
		return
	}
	numbers, err := s.db.Removable(c.Request.Context(), keep, pinnable())
	if err != nil {
		s.Internal(c, err)
		return
	}
	v.Asks, v.Count, v.Says = true, len(numbers), editionsSaid(numbers)
	s.HTML(c, http.StatusOK, s.Render("old-editions", v))
}

// editionsSaid names editions by their numbers: "1 to 40, 42".
func editionsSaid(numbers []int64) string {
	var parts []string
	for i := 0; i < len(numbers); {
		j := i
		for j+1 < len(numbers) && numbers[j+1] == numbers[j]+1 {
			j++
		}
		part := strconv.FormatInt(numbers[i], 10)
		if j > i {
			part += " to " + strconv.FormatInt(numbers[j], 10)
		}
		parts = append(parts, part)
		i = j + 1
	}
	return plural.Few(parts)
}

// removeOld removes the store files of old editions. Which those are was said before.
func (s *Screens) removeOld(c *gin.Context) {
	keep, err := keeping(c.PostForm("keep"))
	if err != nil {
		v := oldView{Keep: c.PostForm("keep")}
		v.Slip, _ = shell.Told(err)
		s.HTML(c, http.StatusUnprocessableEntity, s.Render("old-editions", v))
		return
	}
	ctx := c.Request.Context()
	numbers, err := s.db.RemoveEditions(ctx, keep, pinnable())
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.notes.Note(c.Request, auth.EditionsRemoved, shell.Person(ctx), fmt.Sprintf("store files of %s: %s",
		plural.Count(len(numbers), "edition"), editionsSaid(numbers)))
	v, err := s.liveView(ctx, shell.Viewed(c))
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.AnswerSaying(c, "/live", s.draft.State(), "Removed the files of "+plural.Count(len(numbers), "edition"),
		s.Render("live", v))
}
