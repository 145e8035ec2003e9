package main

import (
	"container/heap"
	"math"
	"math/rand/v2"
	"slices"
	"time"
)

// farm is a number of nodes behind one balancer, as it is simulated. Times are seconds.
type farm struct {
	nodes, cores int
	rate         float64   // quotes asked in a second; they come as a Poisson process
	service      []float64 // measured times of the processor for one quote; each quote draws one
	length       float64   // how long quotes come
	failures     []failure
	// A request to a host that is gone waits for connect before it is sent to another; one whose process has ended is
	// refused at once. The balancer stops asking a node that has not taken a request, as nginx does (max_fails of
	// ngx_http_upstream_module), or that has not answered when it was last looked at, which it is every check.
	connect, check float64
	random         *rand.Rand
}

// failure is the end of some nodes at a moment, for a while.
type failure struct {
	nodes     int
	at, until float64
	host      bool // the host has gone with the process: nothing refuses connections
}

// outcome is what buyers saw of a farm.
type outcome struct {
	waits   []float64 // from a request to its answer, sorted
	retried int       // requests that the balancer sent a second time
	failed  int       // those that it could not send anywhere
	busiest float64   // the largest share of its time that the processor of a node was busy
}

// at gives the wait that a share of the requests stays below.
func (o *outcome) at(share float64) time.Duration {
	if len(o.waits) == 0 {
		return 0
	}
	return time.Duration(o.waits[min(int(share*float64(len(o.waits))), len(o.waits)-1)] * float64(time.Second))
}

type kind int

const (
	arrives kind = iota // a new request reaches the balancer
	again               // a request that a node did not take reaches it again
	ends                // a core has finished
	dies
	noticed // the balancer asks no more
	returns
)

type event struct {
	at      float64
	kind    kind
	node    int
	life    int     // of the node, so that what a dead one would have finished is not taken for an answer
	began   float64 // of the request
	retries int
	of      *failure
}

type events []event

func (e events) Len() int           { return len(e) }
func (e events) Less(i, j int) bool { return e[i].at < e[j].at }
func (e events) Swap(i, j int)      { e[i], e[j] = e[j], e[i] }
func (e *events) Push(x any)        { *e = append(*e, x.(event)) }
func (e *events) Pop() any {
	old := *e
	last := old[len(old)-1]
	*e = old[:len(old)-1]
	return last
}

// box is a node.
type box struct {
	life    int
	up      bool // it works
	host    bool // where it does not: nothing refuses connections
	asked   bool // the balancer believes that it works
	busy    int
	open    int     // requests that the balancer has sent it and that are not answered
	worked  float64 // seconds of its cores
	waiting []event
	running []event
}

// maxRetries is how often a balancer sends a request to another node.
const maxRetries = 3

type simulation struct {
	farm
	boxes []box
	queue events
	out   outcome
}

// simulate runs a farm. A balancer sends a request to the less loaded of two nodes that it draws (M. Mitzenmacher, The
// Power of Two Choices in Randomized Load Balancing, 2001); a node answers in the order of arrival with all its cores.
func simulate(f farm) *outcome {
	s := &simulation{farm: f, boxes: make([]box, f.nodes)}
	for i := range s.boxes {
		s.boxes[i] = box{up: true, asked: true}
	}
	for i := range f.failures {
		heap.Push(&s.queue, event{at: f.failures[i].at, kind: dies, of: &f.failures[i]})
	}
	heap.Push(&s.queue, event{kind: arrives})
	for len(s.queue) > 0 {
		s.step(heap.Pop(&s.queue).(event))
	}
	slices.Sort(s.out.waits)
	for _, b := range s.boxes {
		s.out.busiest = max(s.out.busiest, b.worked/float64(f.cores)/f.length)
	}
	return &s.out
}

func (s *simulation) step(e event) {
	switch e.kind {
	case arrives:
		if next := e.at + s.random.ExpFloat64()/s.rate; next < s.length {
			heap.Push(&s.queue, event{at: next, kind: arrives})
		}
		e.began = e.at
		s.send(e)
	case again:
		s.send(e)
	case ends:
		s.end(e)
	case dies:
		s.die(e)
	case noticed:
		if !s.boxes[e.node].up {
			s.boxes[e.node].asked, s.boxes[e.node].open = false, 0
		}
	case returns:
		b := &s.boxes[e.node]
		b.up, b.asked, b.open, b.life = true, true, 0, b.life+1
	}
}

// send gives a request to a node, or to another a little later where that one does not take it.
func (s *simulation) send(e event) {
	i := s.choose()
	if i < 0 {
		s.out.failed++
		return
	}
	b := &s.boxes[i]
	if !b.up {
		after := 0.0
		if b.host {
			after = s.connect
			b.open++ // the balancer waits for it
		}
		heap.Push(&s.queue, event{at: e.at + after, kind: noticed, node: i})
		s.retry(e, e.at+after)
		return
	}
	b.open++
	e.node = i
	if b.busy < s.cores {
		s.start(b, e, e.at)
		return
	}
	b.waiting = append(b.waiting, e)
}

// choose draws two nodes that the balancer believes in and takes the one with fewer open requests; -1 for none.
func (s *simulation) choose() int {
	best := -1
	for range 2 {
		for range 50 {
			i := s.random.IntN(len(s.boxes))
			if s.boxes[i].asked {
				if best < 0 || s.boxes[i].open < s.boxes[best].open {
					best = i
				}
				break
			}
		}
	}
	return best
}

func (s *simulation) retry(e event, at float64) {
	if e.retries == maxRetries {
		s.out.failed++
		return
	}
	s.out.retried++
	heap.Push(&s.queue, event{at: at, kind: again, began: e.began, retries: e.retries + 1})
}

func (s *simulation) start(b *box, e event, now float64) {
	took := s.service[s.random.IntN(len(s.service))]
	b.busy++
	b.worked += took
	e.at, e.kind, e.life = now+took, ends, b.life
	b.running = append(b.running, e)
	heap.Push(&s.queue, e)
}

func (s *simulation) end(e event) {
	b := &s.boxes[e.node]
	if e.life != b.life || !b.up {
		return
	}
	b.running = slices.DeleteFunc(b.running, func(r event) bool { return r.at == e.at && r.began == e.began })
	b.busy--
	b.open--
	s.out.waits = append(s.out.waits, e.at-e.began)
	if len(b.waiting) > 0 {
		next := b.waiting[0]
		b.waiting = b.waiting[1:]
		s.start(b, next, e.at)
	}
}

// die ends nodes. What they were working on is sent again: at once where the connection broke, after the balancer's wait
// for an answer where the host has gone.
func (s *simulation) die(e event) {
	left := e.of.nodes
	for i := range s.boxes {
		b := &s.boxes[i]
		if left == 0 {
			break
		}
		if !b.up {
			continue
		}
		left--
		b.up, b.host = false, e.of.host
		lost := slices.Concat(b.running, b.waiting)
		b.running, b.waiting, b.busy, b.open = nil, nil, 0, 0
		after := 0.0
		if e.of.host {
			after = s.check
		}
		for _, l := range lost {
			s.retry(event{began: l.began, retries: l.retries}, e.at+after)
		}
		heap.Push(&s.queue, event{at: e.at + s.check, kind: noticed, node: i})
		if !math.IsInf(e.of.until, 1) {
			heap.Push(&s.queue, event{at: e.of.until, kind: returns, node: i})
		}
	}
}
