package past

import (
	"hash/maphash"
	"sync"
)

// memory remembers results by their keys, for many goroutines, up to so many that its size does not grow with the
// number of orders: where a generation is full, the next begins, and what is asked of the one before is taken over.
type memory[V any] struct {
	seed   maphash.Seed
	shards [64]shard[V]
}

type shard[V any] struct {
	mu         sync.Mutex
	young, old map[string]V
}

// maxGeneration is how many results a shard's generation has: some 60 MB of results at most in all.
const maxGeneration = 1 << 10

func newMemory[V any]() *memory[V] { return &memory[V]{seed: maphash.MakeSeed()} }

func (m *memory[V]) get(key []byte, made func() V) V {
	s := &m.shards[maphash.Bytes(m.seed, key)%uint64(len(m.shards))]
	s.mu.Lock()
	v, ok := s.young[string(key)]
	if ok {
		s.mu.Unlock()
		return v
	}
	v, ok = s.old[string(key)]
	s.mu.Unlock()
	if !ok {
		v = made()
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.young == nil || len(s.young) >= maxGeneration {
		s.old, s.young = s.young, make(map[string]V, maxGeneration)
	}
	s.young[string(key)] = v
	return v
}
