package products

import (
	"context"
	"errors"
	"net/http"
	"net/url"
	"strconv"
	"sync"

	"diadrom/internal/core/store"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/productlist"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
)

// takingGoods is a table of products on its way into the draft. Its rows are read while the draft waits for it;
// what is shown of it is read from elsewhere.
type takingGoods struct {
	mu      sync.Mutex
	stage   string
	done    int
	total   int
	counts  map[productlist.Status]int
	problem string
	ended   bool
	refused [][]string
}

func (j *takingGoods) set(change func(*takingGoods)) {
	j.mu.Lock()
	defer j.mu.Unlock()
	change(j)
}

func (j *takingGoods) hasEnded() (ended bool) {
	j.set(func(j *takingGoods) { ended = j.ended })
	return ended
}

// applyProducts makes the rows of a table the shop's products, in one edit, in the background.
func (s *Screens) applyProducts(c *gin.Context, u *sqlite.Upload) (upload.Applied, error) {
	applied := upload.Applied{To: s.tables().Address(u) + "/progress", Keep: true}
	job := &takingGoods{stage: "reading", total: 1}
	if before, was := s.taking.LoadOrStore(u.ID, job); was &&
		!(before.(*takingGoods).hasEnded() && s.taking.CompareAndSwap(u.ID, before, job)) {
		return applied, nil
	}
	query := c.Request.URL.Query()
	ctx := context.WithoutCancel(c.Request.Context())
	s.background.Go(func() {
		err := takeGoodsRows(ctx, s.draft, s.Files.Table(ctx, u.Body), query, job)
		job.set(func(j *takingGoods) {
			if j.ended = true; err != nil {
				text, ok := shell.Told(err)
				if !ok {
					s.Log.Error("products", "error", err)
					text = "they could not be saved; nothing was changed"
				}
				j.problem = text
			}
		})
	})
	return applied, nil
}

// takeGoodsRows reads a table and edits the draft with it.
func takeGoodsRows(ctx context.Context, d Draft, source grid.Source, query url.Values, job *takingGoods) error {
	defer upload.Collect(upload.Rarely)()
	set, slip := choices(query)
	if slip != "" {
		return shell.Refusef("%s", slip)
	}
	ctx = sqlite.WithProgress(ctx, func(done, total int) {
		job.set(func(j *takingGoods) { j.stage, j.done, j.total = "saving", done, total })
	})
	// The rows are read while others go on editing; where somebody did meanwhile they are read again, the last
	// time with all others waiting.
	var r *productlist.Reading
	read := func(f *store.File) (err error) {
		if r == nil {
			r, err = productlist.Open(source, f, set, func(done int) { job.set(func(j *takingGoods) { j.done = done }) })
		} else {
			r = r.Again(f, set)
		}
		if err != nil {
			return shell.Refusef("%s", err.Error())
		}
		if why := blocked(r); why != "" {
			return shell.Refusef("%s", why)
		}
		job.set(func(j *takingGoods) { j.total = len(r.Rows) })
		return nil
	}
	take := func(f *store.File) error {
		counts := productlist.Count(r.Rows)
		job.set(func(j *takingGoods) {
			j.counts, j.stage = counts, "checking"
			if counts[productlist.Refused] > 0 {
				j.refused = productlist.Back(r.Table, r.Rows)
			}
		})
		if counts[productlist.New]+counts[productlist.Changed] == 0 {
			return shell.Refusef("none of its rows changes anything")
		}
		r.Apply(f)
		return nil
	}
	for range 3 {
		now := d.State()
		if err := read(now.File); err != nil {
			return err
		}
		if _, err := d.EditAt(ctx, now.Revision, take); !errors.Is(err, draft.ErrMoved) {
			return err
		}
	}
	_, err := d.Edit(ctx, func(f *store.File) error {
		if err := read(f); err != nil {
			return err
		}
		return take(f)
	})
	return err
}

// goodsProgressView is how far a table has come.
type goodsProgressView struct {
	ID, Name     string
	Stage        string
	Percent      int
	Ended        bool
	Problem      string
	New, Changed int
	Refused      int
}

func (s *Screens) goodsProgress(c *gin.Context) {
	id, _ := strconv.ParseInt(c.Param("file"), 10, 64)
	running, ok := s.taking.Load(id)
	if !ok { // the process was restarted: it is all there, or nothing is
		c.Redirect(http.StatusSeeOther, "/goods/file/"+c.Param("file"))
		return
	}
	v := goodsProgressView{ID: c.Param("file")}
	running.(*takingGoods).set(func(j *takingGoods) {
		v.Stage, v.Percent, v.Ended, v.Problem = j.stage, 100*j.done/max(j.total, 1), j.ended, j.problem
		v.New, v.Changed, v.Refused = j.counts[productlist.New], j.counts[productlist.Changed],
			j.counts[productlist.Refused]
	})
	if shell.IsHTMX(c) {
		if v.Ended {
			s.Answer(c, "/goods", s.draft.State(), s.Render("goods-progress", v))
		} else {
			s.HTML(c, http.StatusOK, s.Render("goods-progress", v))
		}
		return
	}
	s.Show(c, shell.Page{Here: "/goods", Title: "Products", Template: "goods-progress"}, v)
}
