package store

import (
	"cmp"
	"slices"

	"diadrom/internal/core/fault"

	"golang.org/x/text/language"
)

// Texts is what buyers read by language (BCP 47). It is never changed in place: whoever changes it makes another.
type Texts map[string]string

// In gives the text for a language: its own, or that of the language that it is a kind of (sv for sv-FI); false where
// there is none.
func (t Texts) In(tag language.Tag) (string, bool) {
	for ; tag != language.Und; tag = tag.Parent() {
		if text, ok := t[tag.String()]; ok {
			return text, true
		}
	}
	return "", false
}

// With is the texts with another one for a language; "" removes it.
func (t Texts) With(tag, text string) Texts {
	next := Texts{}
	for k, v := range t {
		next[k] = v
	}
	if next[tag] = text; text == "" {
		delete(next, tag)
	}
	if len(next) == 0 {
		return nil
	}
	return next
}

// MaxLanguages is in how many languages a text is at most.
const MaxLanguages = 40

// Language reads a language as BCP 47 has it and writes it in its usual form; false where it is none.
func Language(text string) (string, bool) {
	tag, err := language.Parse(text)
	if err != nil || tag == language.Und || len(text) > 35 {
		return "", false
	}
	return tag.String(), true
}

// texts reads texts by language.
func (r *reader) texts() (t Texts) {
	r.Object(func(name []byte) bool {
		typed := string(name)
		text := r.Text()
		tag, ok := Language(typed)
		switch {
		case !ok:
			r.Fault(fault.Choice, "%.40q is not a language such as fi or pt-BR (BCP 47)", typed)
		case t[tag] != "":
			r.Fault(fault.Duplicate, "%s stands twice", tag)
		case len(t) >= MaxLanguages:
			r.Fault(fault.TooLarge, "a text is in at most %d languages", MaxLanguages)
		case text != "":
			if t == nil {
				t = Texts{}
			}
			t[tag] = text
		}
		return true
	})
	return t
}

// Text is something that buyers read, in the shop's own words and in other languages.
type Text struct {
	Of    TextOf
	ID    string // of what it belongs to; of a service its method's
	Code  string // of a service
	Whose string // as the owner calls it
	Base  string // the shop's own words
	In    Texts
}

// TextOf is a kind of text.
type TextOf string

// Kinds of texts.
const (
	LabelText   TextOf = "label"   // of a method
	RefusedText TextOf = "refused" // of a method: why it is not offered
	ServiceText TextOf = "service" // of a carrier's service
	PlaceText   TextOf = "place"   // name of a location at which goods are collected
	HoursText   TextOf = "hours"   // when it is open
	BoxText     TextOf = "box"     // name of a box
)

// Texts lists what buyers read: of enabled methods, places where goods are collected, and boxes.
func (f *File) Texts() (list []Text) {
	for i := range f.Methods {
		m := &f.Methods[i]
		whose := cmp.Or(m.Name, m.Label, m.ID)
		list = append(list, Text{Of: LabelText, ID: m.ID, Whose: whose, Base: m.BuyersLabel(), In: m.Labels})
		if m.RefusedText != "" || len(m.RefusedTexts) > 0 {
			list = append(list, Text{Of: RefusedText, ID: m.ID, Whose: whose, Base: m.RefusedText, In: m.RefusedTexts})
		}
		if m.Carrier == nil {
			continue
		}
		for _, s := range m.Carrier.Services {
			if s.Label != "" || len(s.Labels) > 0 {
				list = append(list, Text{ServiceText, m.ID, s.Code, whose + ", " + s.Code, s.Label, s.Labels})
			}
		}
	}
	for i := range f.Locations {
		l := &f.Locations[i]
		if !l.Pickup {
			continue
		}
		whose := cmp.Or(l.Name, l.ID)
		list = append(list, Text{Of: PlaceText, ID: l.ID, Whose: whose, Base: whose, In: l.Names})
		if l.Hours != "" || len(l.HoursTexts) > 0 {
			list = append(list, Text{Of: HoursText, ID: l.ID, Whose: whose, Base: l.Hours, In: l.HoursTexts})
		}
	}
	for i := range f.Boxes {
		b := &f.Boxes[i]
		list = append(list, Text{Of: BoxText, ID: b.ID, Whose: cmp.Or(b.Name, b.ID), Base: cmp.Or(b.Name, b.ID), In: b.Names})
	}
	return list
}

// Languages lists the languages that any text of the store is in, sorted.
func (f *File) Languages() (list []string) {
	seen := map[string]bool{}
	for _, t := range f.Texts() {
		for tag := range t.In {
			seen[tag] = true
		}
	}
	for tag := range seen {
		list = append(list, tag)
	}
	slices.Sort(list)
	return list
}
