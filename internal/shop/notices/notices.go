// Package notices keeps what happens in a shop for programs that want to know of it without asking again and again: an
// edition goes live, products change, a promise breaks, a carrier fails, a key is about to end.
//
// It looks at the database and not at who changed it, and keeps in one transaction with what it tells how far it has
// looked, so that nothing is lost or told twice where the program is killed, or where another process made a change.
package notices

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"diadrom/internal/core/store"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
)

// Types of notices.
const (
	EditionLive      = "edition.live"      // an edition went live
	ProductsChanged  = "products.changed"  // in the draft or in what is live
	PromiseBroken    = "promise.broken"    // by the draft
	CarrierFailing   = "carrier.failing"   // it gives no prices
	CarrierAnswering = "carrier.answering" // one that was failing gives prices again
	KeyEnding        = "key.ending"        // a key of the API ends soon
)

// Types lists all types, in the order in which they are shown.
var Types = []string{EditionLive, ProductsChanged, PromiseBroken, CarrierFailing, CarrierAnswering, KeyEnding}

// Words says what a type of notices is about.
func Words(of string) string {
	switch of {
	case EditionLive:
		return "an edition goes live"
	case ProductsChanged:
		return "products change, in the draft or live"
	case PromiseBroken:
		return "the draft breaks a promise"
	case CarrierFailing:
		return "a carrier gives no prices"
	case CarrierAnswering:
		return "a carrier that failed gives prices again"
	case KeyEnding:
		return "an API key ends within 14 days"
	case Test:
		return "a test"
	}
	return of
}

// Test is the type of what is sent to a webhook to try it.
const Test = "test"

// Ahead is how long before its end a key is told of.
const Ahead = 14 * 24 * time.Hour

// MaxSKUs is how many products a notice names at most.
const MaxSKUs = 1000

// Edition is what is told of an edition that went live.
type Edition struct {
	Edition int64  `json:"edition"`
	Hash    string `json:"sha256"` // of its store file, in hexadecimal
	Note    string `json:"note"`
	Before  int64  `json:"before,omitempty"` // the edition that was live before; none for the first
	// Restored is whether it is live since a backup was restored
	Restored bool `json:"restored,omitempty"`
}

// Products is what is told of products that changed.
type Products struct {
	Of       string   `json:"of"`                 // draft or live
	Revision int64    `json:"revision,omitempty"` // of the draft
	Edition  int64    `json:"edition,omitempty"`  // that is live
	Count    int      `json:"count"`              // products that were changed, added or removed
	SKUs     []string `json:"skus"`               // of them, at most [MaxSKUs]
	// All is true where more changed than can be named: read all products.
	All bool `json:"all,omitempty"`
}

func productsOf(skus []string, whole bool) Products {
	p := Products{Count: len(skus), SKUs: skus[:min(len(skus), MaxSKUs)], All: !whole || len(skus) > MaxSKUs}
	if p.SKUs == nil {
		p.SKUs = []string{}
	}
	return p
}

// Carrier is what is told of a carrier.
type Carrier struct {
	Carrier string `json:"carrier"` // its id
	Name    string `json:"name"`
	Why     string `json:"why,omitempty"` // in words that go on after its name
}

// Key is what is told of a key that ends.
type Key struct {
	Name string `json:"name"`
	Ends string `json:"ends"` // RFC 3339
}

// Promise is what is told of a promise that the draft broke.
type Promise struct {
	Promise  string `json:"promise"` // its id
	Name     string `json:"name"`
	Wanted   string `json:"wanted"`
	Is       string `json:"is"`
	BrokenBy string `json:"broken_by"` // the edit, in words
}

// Of makes a notice.
func Of(kind string, data any) sqlite.Notice {
	body, err := json.Marshal(data)
	if err != nil {
		panic(err) // texts and numbers
	}
	return sqlite.Notice{Type: kind, Data: body}
}

// Carriers says which carriers of a store give no prices at present, with the reason.
type Carriers interface {
	Failing(f *store.File) map[string]string
}

// Watcher finds what programs are told of.
type Watcher struct {
	db       *sqlite.DB
	draft    *draft.Draft
	carriers Carriers
	promises func(ctx context.Context) error // checks the promises, and tells of those that broke
	log      *slog.Logger

	failing map[string]bool
	keys    time.Time // when keys were looked at last
	live    *draft.Live
	state   *draft.State // as it was when the shop was looked at last
	since   time.Time    // when it was first seen
	checked *draft.State // against the promises

	mu    sync.Mutex
	last  int64
	newer chan struct{} // is closed when there are notices after last
}

// New makes the watcher of a shop.
func New(db *sqlite.DB, d *draft.Draft, c Carriers, promises func(context.Context) error, log *slog.Logger) *Watcher {
	return &Watcher{db: db, draft: d, carriers: c, promises: promises, log: log, failing: map[string]bool{},
		newer: make(chan struct{})}
}

// Times of looking: at the shop, at keys, and how long a draft has not been edited when its promises are checked.
const (
	lookEvery = 200 * time.Millisecond
	keysEvery = time.Hour
	settled   = time.Second
)

// Run looks until the context ends. What fails is logged once, and tried again.
func (w *Watcher) Run(ctx context.Context) {
	failed := false
	for every := time.NewTicker(lookEvery); ; {
		err := w.Look(ctx, time.Now())
		if err != nil && ctx.Err() == nil && !failed {
			w.log.Error("programs are not told what changes, which is tried again", "error", err)
		}
		failed = err != nil
		select {
		case <-ctx.Done():
			every.Stop()
			return
		case <-every.C:
		}
	}
}

// Look tells what has changed since it looked last.
func (w *Watcher) Look(ctx context.Context, now time.Time) error {
	if err := w.draft.Refresh(ctx); err != nil {
		return err
	}
	err := errors.Join(w.shop(ctx), w.failures(ctx))
	if state := w.draft.State(); state != w.state {
		w.state, w.since = state, now
	}
	if w.promises != nil && w.state != w.checked && now.Sub(w.since) >= settled {
		if broke := w.promises(ctx); broke == nil {
			w.checked = w.state
		} else {
			err = errors.Join(err, broke)
		}
	}
	if since := now.Sub(w.keys); since < 0 || since >= keysEvery {
		if broke := w.ending(ctx, now); broke == nil {
			w.keys = now
		} else {
			err = errors.Join(err, broke)
		}
	}
	_, last, numbers := w.db.NoticeNumbers(ctx)
	w.mu.Lock()
	defer w.mu.Unlock()
	if numbers == nil && last != w.last {
		w.last = last
		close(w.newer)
		w.newer = make(chan struct{})
	}
	return errors.Join(err, numbers)
}

// Newer is closed when there may be notices after the ones that there are now.
func (w *Watcher) Newer() <-chan struct{} {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.newer
}

// shop tells of what was published, and of products that were edited.
func (w *Watcher) shop(ctx context.Context) error {
	was, err := w.db.Noticed(ctx)
	if err != nil {
		return err
	}
	now, err := w.db.Stamp(ctx)
	if err != nil {
		return err
	}
	to := sqlite.Noticed{Turn: now.Turn, Revision: now.Revision}
	if to == was {
		return nil
	}
	list, err := w.published(ctx, was, to)
	if err != nil {
		return err
	}
	if to.Revision > was.Revision {
		skus, whole, err := w.db.ProductsEdited(ctx, was.Revision, to.Revision)
		if err != nil {
			return err
		}
		if first := was.Revision == 0; first && !whole { // the first draft is made whole
			skus, whole = idsOf(w.draft.State().Parts), true
		}
		if p := productsOf(skus, whole); p.Count > 0 || p.All {
			p.Of, p.Revision = "draft", to.Revision
			list = append(list, Of(ProductsChanged, p))
		}
	}
	return w.db.NotifyUpTo(ctx, to, list...)
}

func idsOf(p *store.Parts) (ids []string) {
	for _, e := range p.Lists["products"] {
		ids = append(ids, e.ID)
	}
	return ids
}

// published tells of each publication since, and of the products that are others since then.
func (w *Watcher) published(ctx context.Context, was, to sqlite.Noticed) (list []sqlite.Notice, err error) {
	turns, err := w.db.Publications(ctx, was.Turn)
	if err != nil || len(turns) == 0 {
		return nil, err
	}
	editions, err := w.db.Editions(ctx)
	if err != nil {
		return nil, err
	}
	restored := was.Turn < 0
	if restored {
		turns = turns[len(turns)-1:]
	}
	before := int64(0)
	if was.Turn > 0 {
		former, err := w.db.Publications(ctx, was.Turn-1)
		if err != nil {
			return nil, err
		}
		if len(former) > 0 {
			before = former[0].Edition
		}
	}
	first := before
	for _, l := range turns {
		e := Edition{Edition: l.Edition, Before: before, Restored: restored}
		if at := slices.IndexFunc(editions, func(e sqlite.Edition) bool { return e.Number == l.Edition }); at >= 0 {
			e.Hash, e.Note = editions[at].Hash, editions[at].Note
		}
		list, before = append(list, Of(EditionLive, e)), l.Edition
	}
	live := w.draft.Live()
	if live == nil || live.Turn != to.Turn {
		return nil, errors.New("what is live has changed meanwhile")
	}
	skus, whole, err := w.productsSince(ctx, first, live)
	if err != nil {
		return nil, err
	}
	w.live = live
	if p := productsOf(skus, whole); p.Count > 0 || p.All {
		p.Of, p.Edition = "live", live.Number
		list = append(list, Of(ProductsChanged, p))
	}
	return list, nil
}

// productsSince names the products that are others in what is live than in an edition; whole is false where that
// edition cannot be read any more.
func (w *Watcher) productsSince(ctx context.Context, edition int64, live *draft.Live) (skus []string, whole bool,
	err error) {
	var was *store.Parts
	switch {
	case edition == 0:
		was = draft.Empty().Apart()
	case w.live != nil && w.live.Number == edition:
		was = w.live.Parts
	default:
		f, _, err := w.draft.Edition(ctx, edition)
		if errors.Is(err, sqlite.ErrRemoved) {
			return nil, false, nil
		}
		if err != nil {
			return nil, false, err
		}
		was = f.Apart()
	}
	for _, c := range live.Parts.Changes(was) {
		if c.List == "products" && (c.Before != nil || c.After != nil) {
			skus = append(skus, c.ID)
		}
	}
	return skus, true, nil
}

// failures tells of carriers of what is live that give no prices, and of those that do again.
func (w *Watcher) failures(ctx context.Context) error {
	live := w.draft.Live()
	if live == nil || w.carriers == nil {
		return nil
	}
	failing := w.carriers.Failing(live.File)
	for i := range live.File.Carriers {
		c := &live.File.Carriers[i]
		why, fails := failing[c.ID]
		if fails == w.failing[c.ID] {
			continue
		}
		kind := CarrierAnswering
		if fails {
			kind = CarrierFailing
		}
		if err := w.db.Notify(ctx, Of(kind, Carrier{c.ID, c.Name, why})); err != nil {
			return err
		}
		w.failing[c.ID] = fails
	}
	return nil
}

// ending tells once of each key that ends soon.
func (w *Watcher) ending(ctx context.Context, now time.Time) error {
	keys, err := w.db.APIKeys(ctx)
	if err != nil {
		return err
	}
	var list []sqlite.Notice
	for i := range keys {
		k := &keys[i]
		if k.Expires.IsZero() || !k.Revoked.IsZero() || k.Expired(now) || k.Expires.Sub(now) > Ahead {
			continue
		}
		n := Of(KeyEnding, Key{k.Name, k.Expires.UTC().Format(time.RFC3339)})
		n.Once = fmt.Sprintf("key %d %s", k.ID, n.Data)
		list = append(list, n)
	}
	if len(list) == 0 {
		return nil
	}
	return w.db.Notify(ctx, list...)
}
