// Package history keeps a shop's past orders and rates them anew. A file is kept in the shop's folder until it has been
// taken in, part by part, each with how far the file has been read; after the process was killed it goes on from there.
// What is kept of an order has no names and no streets, and stays in a file of its own (see sqlite.Past).
package history

import (
	"context"
	"log/slog"
	"path/filepath"
	"strconv"
	"sync"

	"diadrom/internal/shop/files"
	"diadrom/internal/sqlite"
)

// MaxBytes is the largest file of past orders.
const MaxBytes = 1 << 30

// folder is where files lie in the shop's folder until they are taken in.
const folder = "orders"

// History keeps the past orders of one shop. It is safe for many goroutines.
type History struct {
	db    *sqlite.Past
	dir   string
	files *files.Reader

	// Log gets the files that could not be taken in; nil for no log.
	Log *slog.Logger

	wake    chan struct{}
	mu      sync.Mutex
	stop    map[int64]context.CancelFunc // of files that are being taken in
	known   *overview                    // nil where the orders have changed since
	reports *reports
}

// overview is what the screens say of the orders, which takes a look at all of them.
type overview struct {
	span  sqlite.PastSpan
	zeros []string
}

// overview says what orders there are, and the months in which all cost 0; as long as they do not change, from memory.
func (h *History) overview(ctx context.Context) (*overview, error) {
	h.mu.Lock()
	known := h.known
	h.mu.Unlock()
	if known != nil {
		return known, nil
	}
	var o overview
	var err error
	if o.span, err = h.db.Span(ctx); err != nil {
		return nil, err
	}
	if o.zeros, err = h.db.ZeroMonths(ctx); err != nil {
		return nil, err
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	if len(h.stop) == 0 { // while a file is taken in, they change
		h.known = &o
	}
	return &o, nil
}

// Span says what orders there are.
func (h *History) Span(ctx context.Context) (sqlite.PastSpan, error) {
	o, err := h.overview(ctx)
	if err != nil {
		return sqlite.PastSpan{}, err
	}
	return o.span, nil
}

// ZeroMonths are the months in which every order is said to have cost 0.
func (h *History) ZeroMonths(ctx context.Context) ([]string, error) {
	o, err := h.overview(ctx)
	if err != nil {
		return nil, err
	}
	return o.zeros, nil
}

// New keeps the past orders of the shop in a folder. Files of orders are read by read; nil reads them in this process.
func New(db *sqlite.Past, dir string, read *files.Reader) *History {
	return &History{db: db, dir: filepath.Join(dir, folder), files: read, wake: make(chan struct{}, 1),
		stop: map[int64]context.CancelFunc{}, reports: newReports()}
}

// DB is where the orders are kept.
func (h *History) DB() *sqlite.Past { return h.db }

// changed says that the orders are others.
func (h *History) changed() {
	h.mu.Lock()
	h.known = nil
	h.mu.Unlock()
	h.reports.forget()
}

func (h *History) file(id int64) string {
	return filepath.Join(h.dir, strconv.FormatInt(id, 10)+".csv")
}

// NameMethod remembers which method files mean by a name.
func (h *History) NameMethod(ctx context.Context, name, method string) error {
	defer h.changed()
	return h.db.NameMethod(ctx, name, method)
}

// ForgetZeros has the costs of 0 of a month count as not known.
func (h *History) ForgetZeros(ctx context.Context, month string) error {
	defer h.changed()
	return h.db.ForgetZeros(ctx, month)
}

// Forget removes all past orders and what was remembered of them.
func (h *History) Forget(ctx context.Context) error {
	h.mu.Lock()
	for _, stop := range h.stop {
		stop()
	}
	h.mu.Unlock()
	defer h.changed()
	return h.db.Forget(ctx)
}
