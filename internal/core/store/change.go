package store

import (
	"bytes"
	"encoding/json"
	"slices"

	"diadrom/internal/core/fault"
	"diadrom/internal/core/jsonread"
)

// Change is an entry that differs between two states of a store, or the settings.
type Change struct {
	List   string          `json:"list"` // "" for the settings
	ID     string          `json:"id,omitempty"`
	Before json.RawMessage `json:"before,omitempty"` // nothing where it was added, or only moved
	After  json.RawMessage `json:"after,omitempty"`  // nothing where it was removed, or only moved
	Was    int             `json:"was"`              // its position, −1 where it was not there
	Is     int             `json:"is"`               // −1 where it is not there any more
}

// Trimmed is a change as it is remembered: of an entry that was changed, only what differs, with how many bytes
// before and behind it are as they were.
type Trimmed struct {
	List   string `json:"list,omitempty"`
	ID     string `json:"id,omitempty"`
	Head   int    `json:"head,omitempty"`
	Tail   int    `json:"tail,omitempty"`
	Before []byte `json:"before,omitempty"`
	After  []byte `json:"after,omitempty"`
	Was    int    `json:"was"`
	Is     int    `json:"is"`
	Moved  bool   `json:"moved,omitempty"` // only
}

// Trim makes the change ready to be remembered.
func (c *Change) Trim() Trimmed {
	t := Trimmed{
		List:  c.List,
		ID:    c.ID,
		Was:   c.Was,
		Is:    c.Is,
		Moved: c.List != "" && c.Before == nil && c.After == nil,
	}
	before, after := []byte(c.Before), []byte(c.After)
	for t.Head < len(before) && t.Head < len(after) && before[t.Head] == after[t.Head] {
		t.Head++
	}
	for t.Tail < len(before)-t.Head && t.Tail < len(after)-t.Head &&
		before[len(before)-1-t.Tail] == after[len(after)-1-t.Tail] {
		t.Tail++
	}
	t.Before, t.After = before[t.Head:len(before)-t.Tail], after[t.Head:len(after)-t.Tail]
	return t
}

// Inverse is the change that undoes it.
func (t Trimmed) Inverse() Trimmed {
	t.Before, t.After, t.Was, t.Is = t.After, t.Before, t.Is, t.Was
	return t
}

// Back is the entry, or the settings, before the change, from what it is now; false where there was none.
func (t *Trimmed) Back(now []byte) ([]byte, bool) {
	if t.Moved {
		return now, true
	}
	if t.Was < 0 {
		return nil, false
	}
	if t.Head+t.Tail > len(now) {
		return nil, false
	}
	return slices.Concat(now[:t.Head], t.Before, now[len(now)-t.Tail:]), true
}

// Changes lists what differs from before, entries that only moved too. before may be nil.
func (p *Parts) Changes(before *Parts) (list []Change) {
	if before == nil {
		before = &Parts{}
	}
	if !bytes.Equal(before.Settings, p.Settings) {
		list = append(list, Change{Before: before.Settings, After: p.Settings})
	}
	for _, name := range Lists {
		if p.Same(name, before) {
			continue
		}
		for i, e := range p.Lists[name] {
			j, ok := before.Near(name, e.ID, i)
			switch {
			case !ok:
				list = append(list, Change{name, e.ID, nil, e.Body, -1, i})
			case !bytes.Equal(before.Lists[name][j].Body, e.Body):
				list = append(list, Change{name, e.ID, before.Lists[name][j].Body, e.Body, j, i})
			case i != j:
				list = append(list, Change{List: name, ID: e.ID, Was: j, Is: i})
			}
		}
		for j, e := range before.Lists[name] {
			if _, ok := p.Near(name, e.ID, j); !ok {
				list = append(list, Change{name, e.ID, e.Body, nil, j, -1})
			}
		}
	}
	return list
}

// restored is an entry that comes back: where it stands now, or its body where it was another.
type restored struct {
	at   int // −1 for the body
	body []byte
}

// Revert is a file before the changes, from what it is after them and its parts. It is not checked, and shares with the
// file what did not change.
func (p *Parts) Revert(f *File, changes []Trimmed) (*File, fault.List) {
	was := f.Clone()
	changed := map[string]map[string]bool{} // by list and id
	back := map[string]map[int]restored{}   // by list and position
	var faults fault.List
	read := func(body []byte, read func(*reader)) {
		r := &reader{jsonread.New(body, "")}
		read(r)
		faults = append(faults, r.Faults...)
	}
	for i := range changes {
		c := &changes[i]
		if c.List == "" {
			settings, _ := c.Back(p.Settings)
			read(settings, func(r *reader) {
				was.Store = Settings{}
				r.settings(&was.Store)
			})
			continue
		}
		if changed[c.List] == nil {
			changed[c.List], back[c.List] = map[string]bool{}, map[int]restored{}
		}
		changed[c.List][c.ID] = true
		at, there := p.index[c.List][c.ID]
		switch {
		case c.Moved && there:
			back[c.List][c.Was] = restored{at: at}
		case c.Was >= 0:
			var now []byte
			if there {
				now = p.Lists[c.List][at].Body
			}
			if body, ok := c.Back(now); ok {
				back[c.List][c.Was] = restored{at: -1, body: body}
			}
		}
	}
	for name, ids := range changed {
		l, n := was.list(name), len(p.Lists[name])
		var rest []int // that did not change, and stand in the same order before and after
		for i := range n {
			if !ids[p.Lists[name][i].ID] {
				rest = append(rest, i)
			}
		}
		var order []int
		for i := 0; len(rest) > 0 || len(back[name]) > 0; i++ {
			if e, ok := back[name][i]; ok {
				if e.at < 0 {
					read(e.body, l.grow)
					e.at = n
					n++
				}
				order = append(order, e.at)
				delete(back[name], i)
			} else if len(rest) > 0 {
				order, rest = append(order, rest[0]), rest[1:]
			}
		}
		l.keep(order)
	}
	return was, faults
}
