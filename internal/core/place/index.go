package place

import (
	"cmp"
	"math"
	"slices"
	"sync"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/geodesic"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"

	"github.com/paulmach/orb"
	"github.com/tidwall/rtree"
)

// Owner is what an index finds: a zone, a surcharge, a tax rate. It takes an address when one of its places
// does and none of its exceptions does.
type Owner struct {
	Places, Except []Rule
}

// Match is an owner that takes an address, with the narrowest of its rules that did.
type Match struct {
	Owner  int // its index
	Rule   *Rule
	Entry  int // the postcode entry that matched, where the rule has such
	Narrow Narrowness
}

// Because names the rule that matched.
func (m Match) Because() string { return m.Rule.Because(m.Entry) }

// Index finds the owners that take an address. It is not changed once made, and is safe for many goroutines.
type Index struct {
	owners    int
	world     []ref
	countries map[string][]ref // groups and countries
	regions   map[string][]ref
	cities    map[[2]string][]ref
	postcodes map[string]*tree // by country
	shapes    rtree.RTreeG[ref]
	hasSpots  bool
	scratch   sync.Pool
}

// ref is a rule, or one of its postcode entries, in the index.
type ref struct {
	rule   *Rule
	narrow Narrowness
	owner  int32
	entry  int32
	except bool
	more   bool // the rule names more than its level and the country, which must hold too
}

// tree finds the postcode entries that may take a code. Its spans are sorted by lo and make an implicit
// balanced tree: the middle of each stretch is the root of that stretch, and its reach is the greatest hi in
// it. What the spans stand for lies apart, so that sorting moves little and no pointers.
type tree struct {
	spans []span
	refs  []ref
}

type span struct {
	lo, hi, reach postcode.Key
	at            int32 // in refs
}

// NewIndex compiles the rules of the owners, which must not change afterwards.
func NewIndex(owners []Owner) *Index {
	x := &Index{
		owners:    len(owners),
		countries: map[string][]ref{},
		regions:   map[string][]ref{},
		cities:    map[[2]string][]ref{},
		postcodes: map[string]*tree{},
	}
	x.reserve(owners)
	for i, o := range owners {
		for j := range o.Places {
			x.add(&o.Places[j], int32(i), false)
		}
		for j := range o.Except {
			x.add(&o.Except[j], int32(i), true)
		}
	}
	for _, t := range x.postcodes {
		slices.SortFunc(t.spans, func(a, b span) int { return cmp.Compare(a.lo, b.lo) })
		setReach(t.spans)
	}
	x.scratch.New = func() any { return &scratch{best: make([]Match, x.owners), state: make([]uint8, x.owners)} }
	return x
}

func (x *Index) add(r *Rule, owner int32, except bool) {
	base := ref{rule: r, owner: owner, except: except, more: r.namesMore()}
	if r.Level() != Postcode {
		base.narrow = r.narrowness(0)
	}
	switch r.Level() {
	case World:
		x.world = append(x.world, base)
	case Group:
		g, _ := world.GroupByCode(r.Group)
		for _, c := range g.Countries {
			x.countries[c] = append(x.countries[c], base)
		}
	case Country:
		x.countries[r.Country] = append(x.countries[r.Country], base)
	case Region:
		x.regions[r.Region] = append(x.regions[r.Region], base)
	case City:
		key := [2]string{r.Country, world.Fold(r.City)}
		x.cities[key] = append(x.cities[key], base)
	case Postcode:
		t := x.postcodes[r.Country]
		for i := range r.Postcodes {
			lo, hi := r.Postcodes[i].Span()
			t.spans = append(t.spans, span{lo: lo, hi: hi, at: int32(len(t.refs))})
			entry := base
			entry.entry, entry.narrow = int32(i), r.narrowness(i)
			t.refs = append(t.refs, entry)
		}
	case Shape:
		if r.Within != nil && !r.Within.Located {
			return // around a location whose point nobody knows
		}
		x.hasSpots = true
		low, high := r.box()
		x.shapes.Insert(low, high, base)
	}
}

// reserve makes room for all postcode entries at once.
func (x *Index) reserve(owners []Owner) {
	entries := map[string]int{}
	for _, o := range owners {
		for _, rules := range [][]Rule{o.Places, o.Except} {
			for j := range rules {
				if rules[j].Level() == Postcode {
					entries[rules[j].Country] += len(rules[j].Postcodes)
				}
			}
		}
	}
	for country, n := range entries {
		x.postcodes[country] = &tree{make([]span, 0, n), make([]ref, 0, n)}
	}
}

func setReach(s []span) postcode.Key {
	if len(s) == 0 {
		return 0
	}
	m := len(s) / 2
	s[m].reach = max(s[m].hi, setReach(s[:m]), setReach(s[m+1:]))
	return s[m].reach
}

// stab calls found for each span that holds k.
func stab(s []span, k postcode.Key, found func(*span)) {
	for len(s) > 0 {
		m := len(s) / 2
		if s[m].reach < k {
			return
		}
		stab(s[:m], k, found)
		if s[m].lo > k {
			return
		}
		if s[m].hi >= k {
			found(&s[m])
		}
		s = s[m+1:]
	}
}

// box is a rectangle of longitude and latitude that holds all of an area or a circle.
func (r *Rule) box() (low, high [2]float64) {
	if r.Area != nil {
		return [2]float64(r.Area.bound.Min), [2]float64(r.Area.bound.Max)
	}
	w := r.Within
	lat, lon := w.Lat.Float64(), w.Lon.Float64()
	// A degree of latitude is at least 110.57 km; with a hundredth to spare for the ellipsoid and the rounding.
	reach := (w.Distance.Float64()*w.Metres+1)/110_570*1.01 + 1e-6
	low, high = [2]float64{-180, lat - reach}, [2]float64{180, lat + reach}
	if widest := math.Max(math.Abs(low[1]), math.Abs(high[1])); widest < 89 {
		across := reach / math.Cos(widest*math.Pi/180)
		if lon-across > -180 && lon+across < 180 {
			low[0], high[0] = lon-across, lon+across
		}
	}
	return low, high
}

// contains says whether an area or circle takes a point.
func (r *Rule) contains(p orb.Point) bool {
	if r.Area != nil {
		return r.Area.Contains(p)
	}
	return r.Within.contains(p)
}

// Distance is the straight-line distance between two points on WGS 84 in a unit of so many metres, rounded half
// up to three decimals of that unit, as the contract compares and multiplies it.
func Distance(a, b orb.Point, metres float64) decimal.Decimal {
	return decimal.FromFloat(geodesic.Distance(a.Lat(), a.Lon(), b.Lat(), b.Lon())/metres, 3)
}

// scratch is what one matching needs, kept for the next.
type scratch struct {
	best    []Match
	state   []uint8 // per owner: 0 untouched, taken, refused
	touched []int32
}

const (
	taken   = 1
	refused = 2
)

func (s *scratch) offer(a *Resolved, r *ref) {
	if r.more && !r.rule.holds(a) {
		return
	}
	i := r.owner
	if s.state[i] == 0 {
		s.touched = append(s.touched, i)
	}
	switch {
	case r.except:
		s.state[i] |= refused
	case s.state[i]&taken == 0 || r.narrow.Compare(s.best[i].Narrow) < 0:
		s.state[i] |= taken
		s.best[i] = Match{Owner: int(i), Rule: r.rule, Entry: int(r.entry), Narrow: r.narrow}
	}
}

func (s *scratch) offerAll(a *Resolved, refs []ref) {
	for i := range refs {
		s.offer(a, &refs[i])
	}
}

// Match appends the owners that take the address to into, narrowest first, ties in the owners' order.
func (x *Index) Match(a *Resolved, into []Match) []Match {
	s := x.scratch.Get().(*scratch)
	s.offerAll(a, x.world)
	s.offerAll(a, x.countries[a.Country])
	if len(x.regions) > 0 {
		for _, r := range a.Regions {
			s.offerAll(a, x.regions[r])
		}
	}
	if len(x.cities) > 0 {
		for _, c := range a.Cities {
			s.offerAll(a, x.cities[[2]string{a.Country, c}])
		}
	}
	if t := x.postcodes[a.Country]; t != nil && a.Postcode.Key != 0 {
		stab(t.spans, a.Postcode.Key, func(n *span) {
			if r := &t.refs[n.at]; r.rule.Postcodes[r.entry].Takes(a.Postcode) {
				s.offer(a, r)
			}
		})
	}
	if x.hasSpots && a.Point != nil {
		p := *a.Point
		x.shapes.Search([2]float64(p), [2]float64(p), func(_, _ [2]float64, r ref) bool {
			if r.rule.contains(p) {
				s.offer(a, &r)
			}
			return true
		})
	}
	start := len(into)
	for _, i := range s.touched {
		if s.state[i] == taken {
			into = append(into, s.best[i])
		}
		s.state[i] = 0
	}
	s.touched = s.touched[:0]
	x.scratch.Put(s)
	slices.SortFunc(into[start:], func(a, b Match) int {
		if c := a.Narrow.Compare(b.Narrow); c != 0 {
			return c
		}
		return a.Owner - b.Owner
	})
	return into
}
