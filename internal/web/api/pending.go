package api

import "sync"

// pending are requests under names of their senders that are being answered.
type pending struct {
	mu   sync.Mutex
	list map[pendingID]bool
}

type pendingID struct {
	by   int64
	name string
}

func (p *pending) begin(by int64, name string) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.list == nil {
		p.list = map[pendingID]bool{}
	}
	id := pendingID{by, name}
	if p.list[id] {
		return false
	}
	p.list[id] = true
	return true
}

func (p *pending) end(by int64, name string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	delete(p.list, pendingID{by, name})
}
