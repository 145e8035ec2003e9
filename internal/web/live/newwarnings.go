package live

import (
	"net/http"
	"time"

	"diadrom/internal/review/warnings"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// warningRow is a warning that the draft has and the live edition has not.
type warningRow struct{ Place, Path, Text, Severity, Means string }

// newWarnings lists the warnings about the draft that what is live does not have, the worst first, and how many both
// have.
func newWarnings(live *draft.Live, state *draft.State) (rows []warningRow, both int) {
	was := map[string]string{}
	outside := warnings.Outside{Now: time.Now(), Served: live != nil}
	if live != nil {
		outside.Live, outside.Published = live.Engine, live.At
		for _, w := range live.Warnings().Warnings {
			was[w.Key] = w.Facts()
		}
	}
	for _, w := range state.Warnings().With(outside) {
		switch is, had := was[w.Key]; {
		case w.Code == warnings.NoPromises:
		case had && is == w.Facts():
			both++
		default:
			place, path := shell.StationOf(&w)
			if len(rows) == maxNewWarnings {
				continue
			}
			rows = append(rows, warningRow{place, path, w.Message, w.Severity.String(), w.Severity.Means()})
		}
	}
	return rows, both
}

// maxNewWarnings is how many new warnings are listed.
const maxNewWarnings = 50

// newWarningsPart answers with the new warnings of a large shop, once it has been read.
func (s *Screens) newWarningsPart(c *gin.Context) {
	v := liveView{Live: s.draft.Live()}
	v.Warnings, v.Both = newWarnings(v.Live, s.draft.State())
	s.HTML(c, http.StatusOK, s.Render("new-warnings", v), s.Render("no-new-warnings", v))
}
