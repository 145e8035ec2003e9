package node

import (
	"context"
	"fmt"
	"sync"
	"time"
)

// StaleAfter is for how long a node may not have heard of its shop, or be behind what the shop has told, before it says
// that it is stale. It goes on quoting: what is revoked, or published, meanwhile is not known here.
const StaleAfter = 2 * time.Second

// late is since when the shop has told of something that is not in place.
type late struct {
	mu     sync.Mutex
	issued int64
	since  time.Time
}

// Stale says why what a node quotes from may not be the last that its shop has published; "" where it is.
func (n *Node) Stale() string {
	if n.broker == nil {
		return "no broker has been asked yet"
	}
	if why := n.broker.Trouble(); why != "" {
		return why
	}
	now := time.Now()
	at, told := n.broker.Heard()
	if at.IsZero() {
		return "the shop has not been heard of yet"
	}
	if d := now.Sub(at); d > StaleAfter {
		return fmt.Sprintf("the shop was heard of %.0f s ago", d.Seconds())
	}
	issued := int64(0)
	if s := n.State(); s != nil {
		issued = s.Manifest.Issued
	}
	n.late.mu.Lock()
	defer n.late.mu.Unlock()
	switch {
	case told == issued:
		n.late.since = time.Time{}
	case n.late.since.IsZero() || n.late.issued != told:
		n.late.issued, n.late.since = told, now
	case now.Sub(n.late.since) > StaleAfter:
		return fmt.Sprintf("the shop told of number %d %.0f s ago, and number %d is in place", told,
			now.Sub(n.late.since).Seconds(), issued)
	}
	return ""
}

// PassedOver counts the manifests that were published and not taken, because they came before the one in place.
func (n *Node) PassedOver() int64 { return n.passed.Load() }

// sayWhenStale writes to the log when a node becomes stale, and when it is not any more, until the context ends.
func (n *Node) sayWhenStale(ctx context.Context) {
	every := time.NewTicker(StaleAfter / 8)
	defer every.Stop()
	was := ""
	for {
		select {
		case <-ctx.Done():
			return
		case <-every.C:
		}
		is := n.Stale()
		switch {
		case is != "" && was == "":
			n.log.Warn("stale: keys that are revoked and editions that are published now are not known here", "why", is)
		case is == "" && was != "":
			n.log.Info("not stale any more")
		}
		was = is
	}
}
