package warnings

import (
	"maps"
	"slices"
	"strings"
	"unicode"

	"diadrom/internal/core/store"

	"github.com/agnivade/levenshtein"
)

// spelling is a coupon as it is written in some methods.
type spelling struct {
	text    string
	methods []string // ids
}

// coupons finds coupons that two methods spell in two ways, so that a buyer who types one of them gets only half of
// what was promised.
func (r *reader) coupons() {
	list := r.spellings()
	for i, a := range list {
		for _, b := range list[i+1:] {
			if !slices.ContainsFunc(a.methods, func(id string) bool { return !slices.Contains(b.methods, id) }) ||
				!alike(a.text, b.text) {
				continue
			}
			r.sayCoupon(a, b)
		}
	}
}

// spellings lists the coupons of the methods that are on, as they are written, without case.
func (r *reader) spellings() (list []spelling) {
	note := func(m *store.Method, coupons []string) {
		for _, c := range coupons {
			text := strings.TrimSpace(c)
			at := slices.IndexFunc(list, func(s spelling) bool { return strings.EqualFold(s.text, text) })
			if at < 0 {
				at = len(list)
				list = append(list, spelling{text: text})
			}
			if !slices.Contains(list[at].methods, m.ID) {
				list[at].methods = append(list[at].methods, m.ID)
			}
		}
	}
	for _, m := range r.methods {
		every := []store.Terms{m.m.Everywhere()}
		for _, zone := range slices.Sorted(maps.Keys(m.m.Terms)) {
			every = append(every, m.m.Terms[zone])
		}
		for _, t := range every {
			if t.Free != nil {
				note(m.m, t.Free.Coupons)
			}
			if t.Needs != nil {
				note(m.m, t.Needs.Coupons)
			}
		}
	}
	return list
}

// alike says whether two coupons look like one: the same but for what is neither a letter nor a digit, or but for one
// letter of at least six. Numbers tell coupons apart: SAVE10 is not SAVE20.
func alike(a, b string) bool {
	x, y := bare(a), bare(b)
	if x == y {
		return true
	}
	if min(len([]rune(x)), len([]rune(y))) < 6 || levenshtein.ComputeDistance(x, y) > 1 {
		return false
	}
	digits := func(s string) string {
		return strings.Map(func(c rune) rune {
			if unicode.IsDigit(c) {
				return c
			}
			return -1
		}, s)
	}
	return digits(x) == digits(y)
}

func bare(s string) string {
	return strings.Map(func(c rune) rune {
		if unicode.IsLetter(c) || unicode.IsDigit(c) {
			return unicode.ToUpper(c)
		}
		return -1
	}, s)
}

// sayCoupon says that two spellings look like one, with an order that types the first.
func (r *reader) sayCoupon(a, b spelling) {
	if len(b.methods) > len(a.methods) {
		a, b = b, a
	}
	m := r.f.Method(b.methods[0])
	w := Warning{
		Code:     CouponSpelling,
		Severity: Deters,
		About:    "methods/" + m.ID,
		Method:   m.ID,
		thing:    a.text + " " + b.text,
		Text: "it spells a coupon “" + b.text + "” and " + methodName(r.f.Method(a.methods[0])) + " “" + a.text +
			"”: a buyer who types one of them gets only that",
	}
	if len(a.methods) > len(b.methods) {
		w.Mend = respell(b.methods, b.text, a.text)
	}
	facts := r.byID[m.ID]
	to := r.homeAddress()
	if facts != nil {
		to = r.anyOf(facts)
	}
	q := r.usual(&to)
	q.Coupons = []string{a.text}
	w.Witness = q
	r.say(w, unused(m.ID))
}

// respell is the mend that spells a coupon as most methods do.
func respell(methods []string, from, to string) *Mend {
	return &Mend{"Spell the coupon “" + from + "” as “" + to + "”", func(f *store.File) error {
		done := false
		change := func(list []string) {
			for i := range list {
				if strings.EqualFold(strings.TrimSpace(list[i]), from) {
					list[i], done = to, true
				}
			}
		}
		for _, id := range methods {
			m, err := methodIn(f, id)
			if err != nil {
				return err
			}
			if m.Free != nil {
				change(m.Free.Coupons)
			}
			if m.Needs != nil {
				change(m.Needs.Coupons)
			}
			for _, t := range m.Terms {
				if t.Free != nil {
					change(t.Free.Coupons)
				}
				if t.Needs != nil {
					change(t.Needs.Coupons)
				}
			}
			m.Inherits = slices.DeleteFunc(m.Inherits, func(t store.Inherited) bool {
				return t == store.InheritFree || t == store.InheritNeeds
			})
		}
		if !done {
			return ErrMoved
		}
		return nil
	}}
}
