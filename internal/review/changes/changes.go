// Package changes says in sentences how two states of a store differ, each with the means of putting it back by
// itself.
//
// A change is the least thing that an owner changes: a price in a cell, a condition of a method, the places of
// a zone. Its key names that thing and stays the same for it, so that what one state has of it can be told from
// what another has: "methods/parcel/tables/list/cells/2/finland".
package changes

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/store"
)

// Side is one of the two states. Parts may be nil; with them only entries that differ are looked into.
type Side struct {
	File  *store.File
	Parts *store.Parts
}

// Of is the side of a file that has no faults.
func Of(f *store.File) Side { return Side{f, f.Split()} }

// Change is one difference.
type Change struct {
	Key     string
	List    string // of the store file; "" for its settings
	ID      string // of the entry
	Subject string // what the entry is called

	says func() string // what follows the subject: behind ": " where it is said of all of it
	back func(*store.File) error
}

// Text says what is different, without the subject: "Finland, up to and including 2 kg: 6.90 → 7.20", or
// "switched off".
func (c *Change) Text() string { return strings.TrimPrefix(c.says(), ": ") }

// String is the whole sentence.
func (c *Change) String() string {
	text := c.says()
	if strings.HasPrefix(text, ": ") {
		return c.Subject + text
	}
	return c.Subject + ", " + text
}

// ErrGone is the error of putting back a change of something that is not there any more.
var ErrGone = errors.New("what it belongs to is not there any more")

// PutBack makes a file as the before of the change was in this one respect. The file is to be checked afterwards.
// Methods follow the store's defaults, and have of their own what differs from them then.
func (c *Change) PutBack(f *store.File) error {
	if err := c.back(f); err != nil {
		return err
	}
	if strings.HasPrefix(c.Key, defaultKey) {
		f.GiveDefaults()
	}
	f.SettleInherits()
	return nil
}

// Touches says whether two changes are of the same thing, or one of a part of the other.
func (c *Change) Touches(o *Change) bool {
	return c.Key == o.Key || strings.HasPrefix(c.Key, o.Key+"/") || strings.HasPrefix(o.Key, c.Key+"/")
}

// Between lists what is different in after, in the order of the store file.
func Between(before, after Side) []Change {
	d := &differ{before: before, after: after}
	d.settings()
	compare(d, locations)
	compare(d, classes)
	compare(d, boxes)
	compare(d, products)
	compare(d, zones)
	compare(d, carriers)
	compare(d, methods)
	compare(d, surcharges)
	compare(d, agreed)
	compare(d, costs)
	return d.list
}

// Sentences writes changes out.
func Sentences(list []Change) []string {
	out := make([]string, len(list))
	for i := range list {
		out[i] = list[i].String()
	}
	return out
}

// Summary says all changes in one line: the first of them, and how many more there are.
func Summary(list []Change) string {
	switch len(list) {
	case 0:
		return "nothing"
	case 1:
		return list[0].String()
	}
	return fmt.Sprintf("%s, and %d more", list[0].String(), len(list)-1)
}

type differ struct {
	before, after Side
	list          []Change
}

// add notes a change of an entry, or of the settings.
func (d *differ) add(list, id, subject, key string, says func() string, back func(*store.File) error) {
	d.list = append(d.list, Change{Key: key, List: list, ID: id, Subject: subject, says: says, back: back})
}

// kind is what is known of the entries of a list.
type kind[T any] struct {
	list   string
	noun   string // for the order of many
	of     func(*store.File) *[]T
	id     func(*T) string
	name   func(*T) string
	fields []field[T]
	about  func(*store.File, *T) string // what a new one is, may be ""
	within func(*entry[T], *T, *T)      // compares what fields do not
}

// entry is an entry that both states have.
type entry[T any] struct {
	*differ
	kind    *kind[T]
	key, id string
	subject string
}

func (e *entry[T]) add(key string, says func() string, back func(*store.File, *T) error) {
	e.differ.add(e.kind.list, e.id, e.subject, e.key+"/"+key, says, func(f *store.File) error {
		if x := e.kind.find(f, e.id); x != nil {
			return back(f, x)
		}
		return ErrGone
	})
}

func (k *kind[T]) find(f *store.File, id string) *T {
	list := *k.of(f)
	for i := range list {
		if k.id(&list[i]) == id {
			return &list[i]
		}
	}
	return nil
}

// index says where the entries of a side stand.
func (k *kind[T]) index(s Side) func(id string, near int) (int, bool) {
	if s.Parts != nil {
		return func(id string, near int) (int, bool) { return s.Parts.Near(k.list, id, near) }
	}
	list := *k.of(s.File)
	at := make(map[string]int, len(list))
	for i := range list {
		at[k.id(&list[i])] = i
	}
	return func(id string, _ int) (int, bool) { i, ok := at[id]; return i, ok }
}

// same says whether an entry of both sides is written alike.
func (k *kind[T]) same(d *differ, j int, old *T, i int, x *T) bool {
	if d.before.Parts != nil && d.after.Parts != nil {
		return bytes.Equal(d.before.Parts.Lists[k.list][j].Body, d.after.Parts.Lists[k.list][i].Body)
	}
	return store.Alike(old, x)
}

func compare[T any](d *differ, k kind[T]) {
	if d.before.Parts != nil && d.after.Parts != nil && d.after.Parts.Same(k.list, d.before.Parts) {
		return
	}
	was, is := *k.of(d.before.File), *k.of(d.after.File)
	at, now := k.index(d.before), k.index(d.after)
	last, ordered := -1, true // whether those that both have stand in the same order
	for i := range is {
		x := &is[i]
		j, ok := at(k.id(x), i)
		if !ok {
			added(d, &k, x)
			continue
		}
		ordered, last = ordered && j > last, j
		if old := &was[j]; !k.same(d, j, old, i, x) {
			changed(d, &k, old, x)
		}
	}
	for j := range was {
		if _, there := now(k.id(&was[j]), j); !there {
			removed(d, &k, &was[j], j)
		}
	}
	if !ordered {
		d.add(
			k.list,
			"",
			k.noun,
			k.list+"/order",
			func() string { return ": in another order: " + inOrder(is, k.called) },
			func(f *store.File) error {
				place := func(x T) int {
					if j, ok := at(k.id(&x), 0); ok {
						return j
					}
					return len(was)
				}
				slices.SortStableFunc(*k.of(f), func(a, b T) int { return place(a) - place(b) })
				return nil
			},
		)
	}
}

// added says that an entry is new.
func added[T any](d *differ, k *kind[T], x *T) {
	id := k.id(x)
	says := func() string { return ": new" + because(k.about(d.after.File, x)) }
	d.add(k.list, id, k.called(x), k.list+"/"+id, says, func(f *store.File) error {
		if k.find(f, id) == nil {
			return ErrGone
		}
		list := k.of(f)
		*list = slices.DeleteFunc(*list, func(x T) bool { return k.id(&x) == id })
		return nil
	})
}

// removed says that an entry, which stood at a place, is gone.
func removed[T any](d *differ, k *kind[T], x *T, at int) {
	id := k.id(x)
	says := func() string { return ": removed" + because(k.about(d.before.File, x)) }
	d.add(k.list, id, k.called(x), k.list+"/"+id, says, func(f *store.File) error {
		if k.find(f, id) != nil {
			return errors.New("there is one of this name again")
		}
		list := k.of(f)
		*list = slices.Insert(*list, min(at, len(*list)), *x)
		return nil
	})
}

// changed says what of an entry is different.
func changed[T any](d *differ, k *kind[T], old, x *T) {
	id := k.id(x)
	e := &entry[T]{d, k, k.list + "/" + id, id, k.called(x)}
	n := len(d.list)
	for i := range k.fields {
		k.fields[i].compare(e, old, x)
	}
	if k.within != nil {
		k.within(e, old, x)
	}
	if len(d.list) == n { // no words for it
		says := func() string { return ": changed" }
		e.add("all", says, func(_ *store.File, now *T) error { *now = *old; return nil })
	}
}

func (k *kind[T]) called(x *T) string {
	if name := k.name(x); name != "" {
		return name
	}
	return k.id(x)
}

func because(about string) string {
	if about == "" {
		return ""
	}
	return ", " + about
}

// inOrder names the first of a list.
func inOrder[T any](list []T, called func(*T) string) string {
	var names []string
	for i := range list {
		if i == 6 {
			names = append(names, "…")
			break
		}
		names = append(names, called(&list[i]))
	}
	return strings.Join(names, ", ")
}

// field is a part of an entry that is changed as a whole.
type field[T any] struct {
	key  string
	same func(a, b *T) bool
	tell func(before, after *store.File, a, b *T) string
	put  func(to, from *T)
}

func (l *field[T]) compare(e *entry[T], was, is *T) {
	if l.same(was, is) {
		return
	}
	e.add(
		l.key,
		func() string { return l.tell(e.before.File, e.after.File, was, is) },
		func(_ *store.File, now *T) error { l.put(now, was); return nil },
	)
}

// value is a field that is said as what it was and what it is.
func value[T, V any](key, name string, at func(*T) *V, say func(*store.File, V) string) field[T] {
	return field[T]{key,
		func(a, b *T) bool { return store.Alike(*at(a), *at(b)) },
		func(before, after *store.File, a, b *T) string {
			return name + ": " + arrow(say(before, *at(a)), say(after, *at(b)))
		},
		func(to, from *T) { *at(to) = *at(from) }}
}

// flag is a field that is on or off, each with its own words.
func flag[T any](key, on, off string, at func(*T) *bool) field[T] {
	return field[T]{key,
		func(a, b *T) bool { return *at(a) == *at(b) },
		func(_, _ *store.File, _, b *T) string {
			if *at(b) {
				return ": " + on
			}
			return ": " + off
		},
		func(to, from *T) { *at(to) = *at(from) }}
}

func arrow(was, is string) string { return nothing(was) + " → " + nothing(is) }

func nothing(text string) string {
	if text == "" {
		return "nothing"
	}
	return text
}
