package store

import (
	"bytes"
	"encoding/json"
	"reflect"
	"runtime"
	"slices"
	"strconv"
	"sync"

	"diadrom/internal/core/fault"
	"diadrom/internal/core/jsonread"
	"diadrom/internal/core/place"
	"diadrom/internal/core/rate"
)

// Parts is a store file taken apart: its settings, and the entries of each of its lists, each as it is written
// on one line. It does not change once made.
type Parts struct {
	Settings []byte
	Lists    map[string][]Entry
	index    map[string]map[string]int // list to id to position
}

// Entry is an entry of a list.
type Entry struct {
	ID   string // or sku
	Body []byte // JSON
}

// Lists are the names of the lists of a store file, in its order.
var Lists = []string{"locations", "classes", "boxes", "products", "zones", "carriers", "methods", "surcharges",
	"agreed", "costs"}

// listOf is a list of a file with what can be done with its entries.
type listOf interface {
	len() int
	id(i int) string
	same(i int, other *File, j int) bool  // as an entry of the same list of another file
	share(i int, other *File, j int) bool // takes over what is the same in another file, if it does not change there
	shareAll(other *File)                 // the list of another file
	write(i int) []byte
	read(i int, r *reader)      // what was written, in the entry's place
	grow(r *reader)             // an entry more, as it is read
	keep(order []int)           // those that stand there, in that order, and no other
	arrange(places, from []int) // what stands at each of from comes to the place beside it
}

type entries[T any] struct {
	list   *[]T
	of     func(*File) *[]T
	name   func(*T) string
	equal  func(a, b *T) bool
	make   func(*reader) T
	shares func(*T) bool // nil: every entry
}

func (e entries[T]) len() int        { return len(*e.list) }
func (e entries[T]) id(i int) string { return e.name(&(*e.list)[i]) }
func (e entries[T]) same(i int, other *File, j int) bool {
	return e.equal(&(*e.list)[i], &(*e.of(other))[j])
}
func (e entries[T]) share(i int, other *File, j int) bool {
	x := &(*e.of(other))[j]
	if e.shares != nil && !e.shares(x) {
		return false
	}
	(*e.list)[i] = *x
	return true
}
func (e entries[T]) shareAll(other *File)  { *e.list = *e.of(other) }
func (e entries[T]) read(i int, r *reader) { (*e.list)[i] = e.make(r) }
func (e entries[T]) grow(r *reader)        { *e.list = append(*e.list, e.make(r)) }
func (e entries[T]) keep(order []int) {
	kept := make([]T, len(order))
	for i, at := range order {
		kept[i] = (*e.list)[at]
	}
	*e.list = kept
}
func (e entries[T]) arrange(places, from []int) {
	old := slices.Clone(*e.list)
	for i, at := range places {
		(*e.list)[at] = old[from[i]]
	}
}
func (e entries[T]) write(i int) []byte {
	out, err := json.Marshal((*e.list)[i])
	if err != nil {
		panic(err) // every type of the file marshals
	}
	return out
}

func listed[T any](
	f *File,
	of func(*File) *[]T,
	name func(*T) string,
	equal func(a, b *T) bool,
	make func(*reader) T,
) listOf {
	return entries[T]{of(f), of, name, equal, make, nil}
}

// Alike compares values of a store as they are written.
func Alike(a, b any) bool {
	if reflect.DeepEqual(a, b) {
		return true
	}
	x, err := json.Marshal(a)
	y, err2 := json.Marshal(b)
	return err == nil && err2 == nil && bytes.Equal(x, y)
}

// deeply compares entries that are few.
func deeply[T any](a, b *T) bool { return reflect.DeepEqual(a, b) }

// list gives a list of the file by its name.
func (f *File) list(name string) listOf {
	switch name {
	case "locations":
		id := func(l *Location) string { return l.ID }
		return listed(f, func(f *File) *[]Location { return &f.Locations }, id, deeply[Location], (*reader).location)
	case "classes":
		id := func(c *Class) string { return c.ID }
		return listed(f, func(f *File) *[]Class { return &f.Classes }, id, deeply[Class], (*reader).class)
	case "boxes":
		id := func(b *Box) string { return b.ID }
		return listed(f, func(f *File) *[]Box { return &f.Boxes }, id, deeply[Box], (*reader).box)
	case "products":
		id := func(p *Product) string { return p.SKU }
		same := func(a, b *Product) bool { return *a == *b }
		return listed(f, func(f *File) *[]Product { return &f.Products }, id, same, (*reader).product)
	case "zones":
		id := func(z *Zone) string { return z.ID }
		return entries[Zone]{&f.Zones, func(f *File) *[]Zone { return &f.Zones }, id, sameZone, (*reader).zone,
			func(z *Zone) bool { return !circles(z.Places) && !circles(z.Except) }}
	case "carriers":
		id := func(c *Carrier) string { return c.ID }
		return listed(f, func(f *File) *[]Carrier { return &f.Carriers }, id, deeply[Carrier], (*reader).carrier)
	case "methods":
		id := func(m *Method) string { return m.ID }
		return listed(f, func(f *File) *[]Method { return &f.Methods }, id, sameMethod, (*reader).method)
	case "surcharges":
		id := func(s *Surcharge) string { return s.ID }
		return entries[Surcharge]{&f.Surcharges, func(f *File) *[]Surcharge { return &f.Surcharges }, id,
			deeply[Surcharge], (*reader).surcharge,
			func(s *Surcharge) bool { return !circles(s.Places) && !circles(s.Except) }}
	case "agreed":
		id := func(a *Agreed) string { return a.ID }
		return listed(f, func(f *File) *[]Agreed { return &f.Agreed }, id, deeply[Agreed], (*reader).agreed)
	case "costs":
		id := func(c *Cost) string { return c.ID }
		return listed(f, func(f *File) *[]Cost { return &f.Costs }, id, sameCost, (*reader).cost)
	}
	panic("there is no list " + name)
}

// circles says whether some rule is a circle: where its middle lies is written into it each time that a file is checked.
func circles(rules []place.Rule) bool {
	return slices.ContainsFunc(rules, func(r place.Rule) bool { return r.Within != nil })
}

func sameZone(a, b *Zone) bool {
	return a.ID == b.ID && a.Name == b.Name && a.Enabled == b.Enabled && a.Only == b.Only &&
		(a.Rank == nil) == (b.Rank == nil) &&
		(a.Rank == nil || *a.Rank == *b.Rank) &&
		place.Owner{Places: a.Places, Except: a.Except}.Equal(place.Owner{Places: b.Places, Except: b.Except})
}

// sameMethod compares methods, and looks into their tables only where these do not share what stands in them.
func sameMethod(a, b *Method) bool {
	if !sameTables(a.Tables, b.Tables) {
		return false
	}
	x, y := *a, *b
	x.Tables, y.Tables = nil, nil
	return reflect.DeepEqual(&x, &y)
}

func sameCost(a, b *Cost) bool {
	if !sameTables(a.Tables, b.Tables) {
		return false
	}
	x, y := *a, *b
	x.Tables, y.Tables = nil, nil
	return reflect.DeepEqual(&x, &y)
}

// sameTables compares tables as reflect.DeepEqual does, cells that are the same charge without a look into them: of some
// ten thousand nearly all are.
func sameTables(a, b []rate.Table) bool {
	if len(a) != len(b) || (a == nil) != (b == nil) {
		return false
	}
	for i := range a {
		x, y := a[i], b[i]
		if !sameRows(x.Rows, y.Rows) {
			return false
		}
		x.Rows, y.Rows = nil, nil
		if !reflect.DeepEqual(&x, &y) {
			return false
		}
	}
	return true
}

func sameRows(a, b []rate.Row) bool {
	if len(a) != len(b) || (a == nil) != (b == nil) {
		return false
	}
	for i := range a {
		x, y := &a[i], &b[i]
		if x.At != y.At && !reflect.DeepEqual(x.At, y.At) || len(x.Charges) != len(y.Charges) ||
			(x.Charges == nil) != (y.Charges == nil) {
			return false
		}
		for j, charge := range x.Charges {
			if charge != y.Charges[j] && !reflect.DeepEqual(charge, y.Charges[j]) {
				return false
			}
		}
	}
	return true
}

// Split takes a file that has no faults apart.
func (f *File) Split() *Parts {
	p, faults := f.SplitAgain(nil, nil)
	if len(faults) > 0 {
		panic(faults)
	}
	return p
}

// Apart takes a file apart that [Read] gave, and nothing has changed since. Its entries are written, and not read back.
func (f *File) Apart() *Parts {
	p := &Parts{Lists: map[string][]Entry{}, index: map[string]map[string]int{}}
	settings, err := json.Marshal(f.Store)
	if err != nil {
		panic(err)
	}
	p.Settings = settings
	for _, name := range Lists {
		l := f.list(name)
		entries, index, all := make([]Entry, l.len()), make(map[string]int, l.len()), make([]int, l.len())
		for i := range entries {
			entries[i].ID, all[i] = l.id(i), i
			index[entries[i].ID] = i
		}
		inParts(all, func(list []int) fault.List {
			for _, i := range list {
				entries[i].Body = l.write(i)
			}
			return nil
		})
		p.Lists[name], p.index[name] = entries, index
	}
	f.index = p.index
	return p
}

// SplitAgain takes a file apart that was changed from before, whose parts are was: entries that are the same
// are taken over, others are written and read back, as a file of them would be, and what may be at fault since is
// checked. With faults there are no parts. What the file has in common with before it shares with it afterwards, so
// neither must be changed any more.
func (f *File) SplitAgain(before *File, was *Parts) (*Parts, fault.List) {
	p := &Parts{Lists: map[string][]Entry{}, index: map[string]map[string]int{}}
	var faults fault.List
	settings, err := json.Marshal(f.Store)
	if err != nil {
		panic(err)
	}
	p.Settings = settings
	c := checker{file: f}
	if was != nil {
		c.known = &known{entries: map[string][]bool{}, ids: map[string]bool{}, index: was.index}
		if c.known.settings = bytes.Equal(settings, was.Settings); c.known.settings {
			p.Settings = was.Settings
		}
	}
	r := &reader{jsonread.New(settings, "/store")}
	f.Store = Settings{}
	r.settings(&f.Store)
	faults = append(faults, r.Faults...)
	for _, name := range Lists {
		faults = append(faults, p.split(name, f.list(name), before, was, c.known)...)
	}
	c.faults, c.faulty = faults, make(map[string]bool, len(faults))
	for i := range faults {
		c.faulty[faults[i].Path] = true
	}
	c.check()
	if len(c.faults) > 0 {
		return nil, c.faults
	}
	f.index = p.index
	return p, nil
}

// split takes a list apart, and notes in known what of it is as it was.
func (p *Parts) split(name string, l listOf, before *File, was *Parts, known *known) fault.List {
	n := l.len()
	same := make([]bool, n) // as it was
	var old []Entry
	ordered := false // the same ids in the same order
	if was != nil {
		old = was.Lists[name]
		ordered = len(old) == n
		for i := 0; ordered && i < n; i++ {
			ordered = old[i].ID == l.id(i)
		}
		known.entries[name], known.ids[name] = same, ordered
	}
	index := map[string]int(nil)
	if ordered {
		index = was.index[name]
	} else {
		index = make(map[string]int, n)
		for i := range n {
			index[l.id(i)] = i
		}
	}
	p.index[name] = index
	var changed []int
	all := ordered // is shared
	entries := make([]Entry, n)
	for i := range entries {
		j, there := i, ordered
		if !ordered && was != nil {
			j, there = was.index[name][l.id(i)]
		}
		if !there || !l.same(i, before, j) {
			entries[i].ID = l.id(i)
			changed = append(changed, i)
			continue
		}
		entries[i], same[i] = old[j], true
		all = l.share(i, before, j) && all
	}
	if ordered && len(changed) == 0 {
		entries = old
		if all {
			l.shareAll(before)
		}
	}
	p.Lists[name] = entries
	return inParts(changed, func(list []int) (faults fault.List) {
		for _, i := range list {
			entries[i].Body = l.write(i)
			r := &reader{jsonread.New(entries[i].Body, "/"+name+"/"+strconv.Itoa(i))}
			l.read(i, r)
			faults = append(faults, r.Faults...)
		}
		return faults
	})
}

// fewEntries is up to how many entries are not worth parting.
const fewEntries = 1000

// inParts has the parts of a long list be worked on at the same time, and gives their faults in its order.
func inParts(list []int, work func([]int) fault.List) (faults fault.List) {
	if len(list) <= fewEntries {
		return work(list)
	}
	n := runtime.GOMAXPROCS(0)
	found := make([]fault.List, n)
	var all sync.WaitGroup
	for i := range n {
		all.Go(func() { found[i] = work(list[len(list)*i/n : len(list)*(i+1)/n]) })
	}
	all.Wait()
	return slices.Concat(found...)
}

// Join puts a file together.
func (p *Parts) Join() (*File, fault.List) {
	var b bytes.Buffer
	b.WriteString(`{"format":"` + Format + `","store":`)
	b.Write(p.Settings)
	for _, name := range Lists {
		b.WriteString(`,"` + name + `":[`)
		for i, e := range p.Lists[name] {
			if i > 0 {
				b.WriteByte(',')
			}
			b.Write(e.Body)
		}
		b.WriteByte(']')
	}
	b.WriteByte('}')
	return Read(b.Bytes())
}

// Body is an entry, or with "" the settings, as it is written; nil where there is none.
func (p *Parts) Body(list, id string) []byte {
	if list == "" {
		return p.Settings
	}
	if i, ok := p.index[list][id]; ok {
		return p.Lists[list][i].Body
	}
	return nil
}

// Same says whether a list, or with "" the settings, is that of other parts, from which it was taken over.
func (p *Parts) Same(list string, o *Parts) bool {
	if o == nil {
		return false
	}
	if list == "" {
		return bytes.Equal(p.Settings, o.Settings)
	}
	a, b := p.Lists[list], o.Lists[list]
	return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0])
}

// Mark tells a list, or with "" the settings, apart from those of other parts: lists with the same mark are the same. It
// keeps the list from being forgotten.
func (p *Parts) Mark(list string) any {
	if list == "" {
		return mark(p.Settings)
	}
	return mark(p.Lists[list])
}

// MarkOf is [Parts.Mark] of an entry.
func (p *Parts) MarkOf(list string, at int) any { return mark(p.Lists[list][at].Body) }

// mark is the address of the first of a list.
func mark[T any](list []T) any {
	if len(list) == 0 {
		return nil
	}
	return &list[0]
}

// SameEntry says whether an entry, by its place in its list, was taken over from other parts.
func (p *Parts) SameEntry(list string, at int, o *Parts) bool {
	if o == nil {
		return false
	}
	e := &p.Lists[list][at]
	j, ok := o.Near(list, e.ID, at)
	return ok && bytes.Equal(e.Body, o.Lists[list][j].Body)
}

// SameIDs says whether a list has the same ids in the same order as that of other parts, from which they were taken
// over.
func (p *Parts) SameIDs(list string, o *Parts) bool {
	if o == nil || len(p.Lists[list]) != len(o.Lists[list]) {
		return false
	}
	for i, e := range p.Lists[list] {
		if e.ID != o.Lists[list][i].ID {
			return false
		}
	}
	return true
}

// Index is where the entries of a list stand, by their ids. It must not be changed.
func (p *Parts) Index(list string) map[string]int { return p.index[list] }

// Near is Position for an entry that probably stands where it does in another list.
func (p *Parts) Near(list, id string, at int) (int, bool) {
	if l := p.Lists[list]; at < len(l) && l[at].ID == id {
		return at, true
	}
	return p.Position(list, id)
}

// Position is where an entry stands in its list.
func (p *Parts) Position(list, id string) (int, bool) {
	i, ok := p.index[list][id]
	return i, ok
}

// ReadEntry reads one entry of a list, or with "" the settings, as a file that has nothing else. It is not
// checked: what it refers to is not there.
func ReadEntry(list string, body []byte) (*File, fault.List) {
	f := &File{Format: Format}
	r := &reader{jsonread.New(body, "")}
	if list == "" {
		r.settings(&f.Store)
	} else {
		f.list(list).grow(r)
	}
	return f, r.Faults
}

// Arrange puts entries of a list into the order of their ids; others keep their places.
func (f *File) Arrange(list string, ids []string) {
	l := f.list(list)
	at := make(map[string]int, l.len())
	for i := range l.len() {
		at[l.id(i)] = i
	}
	var places, from []int
	for _, id := range ids {
		if i, ok := at[id]; ok {
			places, from = append(places, i), append(from, i)
		}
	}
	slices.Sort(places)
	l.arrange(places, from)
}

// Place moves an entry of a list to a position, or as near as the list goes.
func (f *File) Place(list, id string, position int) {
	l := f.list(list)
	order := make([]int, 0, l.len())
	at := -1
	for i := range l.len() {
		if l.id(i) == id {
			at = i
			continue
		}
		order = append(order, i)
	}
	if at < 0 {
		return
	}
	order = slices.Insert(order, min(max(position, 0), len(order)), at)
	places := make([]int, len(order))
	for i := range places {
		places[i] = i
	}
	l.arrange(places, order)
}
