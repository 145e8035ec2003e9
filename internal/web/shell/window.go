package shell

import (
	"net/url"
	"strconv"
)

// Window is the part of a long list that a page shows, counted from 1.
type Window struct {
	From, To, Of int
	Prev, Next   string // addresses of the parts beside it; "" for none
}

// WindowOf is the part of a list of n that begins where the query's name says, or else with the first, of at most size; nil
// where all of the list is shown. The part is one of those that follow each other from the first on.
func WindowOf(query url.Values, name string, size, n int) *Window {
	if n <= size {
		return nil
	}
	at, err := strconv.Atoi(query.Get(name))
	if err != nil {
		at = 1
	}
	return windowAt(query, name, size, n, at)
}

func windowAt(query url.Values, name string, size, n, at int) *Window {
	from := (min(max(at, 1), n)-1)/size*size + 1
	w := &Window{From: from, To: min(from+size-1, n), Of: n}
	address := func(at int) string {
		q := url.Values{}
		for key, values := range query {
			q[key] = values
		}
		q.Set(name, strconv.Itoa(at))
		return "?" + q.Encode()
	}
	if from > 1 {
		w.Prev = address(from - size)
	}
	if w.To < n {
		w.Next = address(w.To + 1)
	}
	return w
}

// WindowWith is [WindowOf] where the query names no part: the part that has the place at, counted from 0; the first
// where at is below 0.
func WindowWith(query url.Values, name string, size, n, at int) *Window {
	if n <= size {
		return nil
	}
	if query.Has(name) || at < 0 {
		return WindowOf(query, name, size, n)
	}
	return windowAt(query, name, size, n, at+1)
}

// Bounds are the places of the part, for a slice; all of a list of n where there is no window.
func (w *Window) Bounds(n int) (from, to int) {
	if w == nil {
		return 0, n
	}
	return w.From - 1, w.To
}
