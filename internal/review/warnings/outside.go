package warnings

import (
	"cmp"
	"slices"
	"sort"
	"strings"
	"time"

	"diadrom/internal/core/plural"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/review/promise"
)

// Outside is what a store file does not say of a shop.
type Outside struct {
	Now      time.Time
	Promises []promise.Promise
	Failing  map[string]string // carriers that give no prices at present, by id, with the reason
	// Served is a shop with editions; what follows is not known of others.
	Served    bool
	Live      *quote.Engine // nil: nothing is live
	Published time.Time     // of the edition that is live
	Ahead     int           // changes of the draft that are not live
}

// Waits is how long a draft may be ahead of what is live before it looks forgotten.
const Waits = 30 * 24 * time.Hour

// With are the warnings of a reading with those that rest on what lies outside of the store file, the worst first.
func (r *Reading) With(o Outside) []Warning {
	into := remembered{}
	here := *r.reader
	here.into, here.positions, here.near, here.zoneOf, here.names = &into, nil, nil, nil, nil // of this call
	here.promises(o.Promises)
	here.failing(o.Failing)
	if o.Served {
		here.published(&o)
	}
	for i := range into.list {
		into.list[i].Path = here.path(into.list[i].About)
	}
	Worst(into.list)
	list := make([]Warning, 0, len(r.Warnings)+len(into.list))
	rest := r.Warnings
	for i := range into.list { // they are few: each is put where it belongs
		w := &into.list[i]
		n := sort.Search(len(rest), func(i int) bool { return compareWorst(&rest[i], w) > 0 })
		list, rest = append(append(list, rest[:n]...), *w), rest[n:]
	}
	return append(list, rest...)
}

// published reads what is live beside the draft.
func (r *reader) published(o *Outside) {
	if len(o.Promises) == 0 {
		r.say(Warning{Code: NoPromises, Severity: Untidy, About: "store",
			Text: "no promise is kept: a price that must stay as it is tells when a change breaks it"}, always)
	}
	if o.Live == nil {
		r.say(Warning{Code: Unpublished, Severity: Blocks, About: "store",
			Text: "nothing is published yet, so buyers get no quotes"}, always)
		return
	}
	if waited := o.Now.Sub(o.Published); o.Ahead > 0 && waited > Waits {
		r.say(Warning{Code: NotUpToDate, Severity: Deters, About: "store",
			Text: plural.Count(o.Ahead, "change") + " of the draft " + haveHas(o.Ahead) + " waited for " +
				plural.Count(int(waited.Hours()/24), "day") + ": publish " + themIt(o.Ahead) + ", or undo " +
				themIt(o.Ahead)}, always)
	}
	r.columnsGone(o.Live.Store())
}

func haveHas(n int) string {
	if n == 1 {
		return "has"
	}
	return "have"
}

func themIt(n int) string {
	if n == 1 {
		return "it"
	}
	return "them"
}

// columnsGone finds zones that a method has prices for in what is live and none in the draft, and whose buyers get
// those of a broader zone.
func (r *reader) columnsGone(live *store.File) {
	for _, m := range r.methods {
		was := live.Method(m.m.ID)
		if was == nil || !was.Enabled || sameTables(was.Tables, m.m.Tables) {
			continue
		}
		is := m.m.ServedZones()
		for _, id := range was.ServedZones() {
			if slices.Contains(is, id) {
				continue
			}
			if at := r.f.ZoneIndex(id); at >= 0 && was.Priced(id) {
				r.columnGone(m, int32(at))
			}
		}
	}
}

// sameTables says whether two states share a method's tables, because they are the same.
func sameTables(a, b []rate.Table) bool { return len(a) == len(b) && len(a) > 0 && &a[0] == &b[0] }

func (r *reader) columnGone(m *methodFacts, zone int32) {
	id := r.f.Zones[zone].ID
	for i := range r.ground.spots {
		s := &r.ground.spots[i]
		if s.Bare || len(s.Zones) == 0 || s.Zones[0] != zone || m.spots[i] < 0 {
			continue
		}
		by := r.f.Zones[m.spots[i]].ID
		q := r.order(m.m, m.spots[i], goods{to: &s.At})
		shows := through(m.m.ID, id, by)
		if r.shown(q, shows) {
			r.say(Warning{Code: ColumnGone, Severity: Loses, About: "methods/" + m.m.ID + "/tables", thing: id,
				Method: m.m.ID, Zone: id, Row: -1, Witness: q,
				Text: "its own prices were removed, so buyers there pay those of " + r.f.ZoneName(by)}, shows)
		}
		return
	}
}

// promises finds free delivery that was promised and is not so.
func (r *reader) promises(list []promise.Promise) {
	for i := range list {
		p := &list[i]
		m := r.f.Method(p.Method)
		if m == nil || asks(m) || p.Amount == nil || !p.Amount.IsZero() ||
			p.Holds != promise.Price && p.Holds != promise.AtMost {
			continue
		}
		requests, _, faults := r.e.ReadRequest(p.Request)
		if len(faults) > 0 || p.Check(r.e).Holds {
			continue
		}
		kept := *p
		is := p.Check(r.e).Is
		r.say(Warning{Code: FreeUntrue, Severity: Deters, About: "methods/" + m.ID, thing: p.ID, Method: m.ID,
			Witness: &requests[0], Text: "“" + cmp.Or(p.Name, p.ID) + "” is promised to be free and is " +
				r.charged(is)},
			func(a, _ *quote.Answer) bool {
				o := option(a, kept.Method)
				return o == nil || o.Amounts.Charge.Sign() > 0
			})
	}
}

// charged writes what became of a promise: a sum as people read it, or why it is not offered.
func (r *reader) charged(is string) string {
	if digits(strings.Replace(is, ".", "", 1)) {
		return is + " " + r.f.Store.Currency
	}
	return is
}

// failing finds methods whose carrier gives no prices at present.
func (r *reader) failing(carriers map[string]string) {
	for _, m := range r.methods {
		if !asks(m.m) || m.m.Carrier == nil {
			continue
		}
		why, fails := carriers[m.m.Carrier.ID]
		if !fails {
			continue
		}
		name := r.f.CarrierName(m.m.Carrier.ID)
		w := Warning{Code: CarrierFails, Severity: Deters, About: "methods/" + m.m.ID + "/carrier", Method: m.m.ID,
			Text: name + " gives no prices at present (" + why + "), so buyers are not offered this method"}
		if m.m.Carrier.Fallback {
			w.Severity = Untidy
			w.Text = name + " gives no prices at present (" + why + "): the price lists stand in"
		}
		shows := always
		for _, z := range m.served() { // the engine that is asked has no carriers: they all fail
			q := r.order(m.m, z, goods{})
			if is := refuses(m.m.ID); !m.m.Carrier.Fallback && r.shown(q, is) {
				w.Witness, shows = q, is
				break
			}
		}
		r.say(w, shows)
	}
}
