package shell

import "sync"

// Memo keeps what was made of parts of the store, by what tells these apart, up to so many; then it begins anew. It is
// safe for many goroutines.
type Memo[K comparable, V any] struct {
	mu   sync.Mutex
	kept map[K]V
}

// maxKept is how much a memo keeps.
const maxKept = 2000

// Get gives what was made for a key, or makes it.
func (m *Memo[K, V]) Get(key K, make func() V) V {
	m.mu.Lock()
	v, ok := m.kept[key]
	m.mu.Unlock()
	if ok {
		return v
	}
	v = make()
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.kept == nil || len(m.kept) >= maxKept {
		m.kept = map[K]V{}
	}
	m.kept[key] = v
	return v
}
