package edit

import (
	"cmp"
	"slices"
	"strings"

	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
)

// maxTold is the longest text that buyers are told where a method does not fit, in letters.
const maxTold = 300

func newMethodID(f *store.File, name string) string {
	return store.NewID(name, "method", func(id string) bool { return f.Method(id) != nil })
}

// AddMethod adds a method by its name as it is typed, with a price list over all zones in which nothing is
// offered yet. It inherits the store's defaults. Kind is that of deliveries unless it is that of pickups.
func AddMethod(f *store.File, typed string, by rate.By, kind store.Kind) error {
	name, err := Name(typed)
	switch {
	case err != nil:
		return err
	case len(f.Zones) == 0:
		return Problemf("make a zone first, so that there is somewhere to deliver to")
	case !slices.Contains(rate.Measures, by):
		return Problemf("choose what the price goes by")
	}
	if kind != store.Pickup {
		kind = store.Delivery
	}
	t := EmptyTable("list", "Price list", by)
	if by == rate.ByOrder { // one price for every order, however many parcels it makes
		t.Per = rate.PerOrder
	}
	for i := range f.Zones {
		t.Zones = append(t.Zones, f.Zones[i].ID)
	}
	t.Rows[0].Charges = make([]*rate.Charge, len(t.Zones))
	m := store.Method{
		ID: newMethodID(f, name), Name: name, Label: name, Kind: kind, Enabled: true, Taxable: true,
		Classes: store.Together, WhenRefused: store.Hide, Tables: []rate.Table{t},
	}
	for _, term := range store.InheritedTerms {
		if f.Store.Defaults.Has(term) {
			m.Inherit(term, true)
		}
	}
	f.Methods = append(f.Methods, m)
	f.GiveDefaults()
	return nil
}

// CopyMethod makes a whole copy of a method behind it, switched off until it is wanted.
func CopyMethod(f *store.File, m *store.Method) {
	name := cmp.Or(m.Name, m.ID) + ", copy"
	if len([]rune(name)) > MaxName {
		name = "Copy"
	}
	whole := store.File{Methods: []store.Method{*m}}
	made := whole.Clone().Methods[0]
	made.ID, made.Name, made.Enabled, made.Preselected = newMethodID(f, name), name, false, false
	f.Methods = slices.Insert(f.Methods, methodAt(f, m.ID)+1, made)
}

func methodAt(f *store.File, id string) int {
	return slices.IndexFunc(f.Methods, func(m store.Method) bool { return m.ID == id })
}

// RemoveMethod removes a method, unless a surcharge or an agreed charge names it. What it costs is not said any more.
func RemoveMethod(f *store.File, id string) error {
	const first = "the %s %s names this method: remove it there first, or switch the method off"
	for i := range f.Surcharges {
		if s := &f.Surcharges[i]; slices.Contains(s.Methods, id) {
			return Problemf(first, "surcharge", cmp.Or(s.Name, s.ID))
		}
	}
	for i := range f.Agreed {
		if a := &f.Agreed[i]; slices.Contains(a.Methods, id) {
			return Problemf(first, "agreed charge", cmp.Or(a.Name, a.ID))
		}
	}
	for i := range f.Costs {
		f.Costs[i].Methods = slices.DeleteFunc(slices.Clone(f.Costs[i].Methods), func(m string) bool { return m == id })
	}
	f.Methods = slices.DeleteFunc(f.Methods, func(m store.Method) bool { return m.ID == id })
	return nil
}

// Switch is what of a method is yes or no.
type Switch string

// Switches of a method.
const (
	Enabled     Switch = "enabled"
	Taxable     Switch = "taxable"
	Preselected Switch = "preselected" // no other method is then
	Tells       Switch = "tells"       // buyers are told why it is unavailable
)

// SetSwitch sets what of a method is yes or no.
func SetSwitch(f *store.File, m *store.Method, which Switch, on bool) {
	switch which {
	case Enabled:
		m.Enabled = on
	case Taxable:
		m.Taxable = on
		f.SettleInherits()
	case Preselected:
		for i := range f.Methods {
			f.Methods[i].Preselected = false
		}
		m.Preselected = on
	case Tells:
		m.WhenRefused = store.Hide
		if on {
			m.WhenRefused = store.Tell
		}
	}
}

// SetKind sets how a method's goods come to the buyer: delivered or collected.
func SetKind(f *store.File, m *store.Method, kind store.Kind) error {
	switch {
	case kind == store.CarrierKind && len(f.Carriers) == 0:
		return Problemf("connect a carrier first")
	case kind == store.CarrierKind && m.Carrier == nil:
		m.Carrier = &store.Asks{ID: f.Carriers[0].ID, Fallback: true}
	case kind != store.CarrierKind && kind != store.Delivery && kind != store.Pickup:
		return Problemf("choose whether the goods are delivered or collected")
	}
	m.Kind = kind
	return nil
}

// NameMethod gives a method the name by which owners know it. Buyers read it too until they are given another.
func NameMethod(m *store.Method, typed string) error {
	name, err := Name(typed)
	if err != nil {
		return err
	}
	if m.Label == m.Name {
		m.Label = name
	}
	m.Name = name
	return nil
}

// LabelMethod gives a method the name that buyers read.
func LabelMethod(m *store.Method, typed string) (err error) {
	m.Label, err = Name(typed)
	return err
}

// SetRefusedText sets what buyers are told where a method does not fit, as it is typed; "" for the reason.
func SetRefusedText(m *store.Method, typed string) error {
	text, err := Line(typed)
	if err != nil {
		return err
	}
	if n := len([]rune(text)); n > maxTold {
		return Problemf("what buyers are told has at most %d letters; this has %d", maxTold, n)
	}
	m.RefusedText = text
	return nil
}

// StepMethod moves a method by one place up or down in the order that buyers see; at the ends it stays.
func StepMethod(f *store.File, id string, up bool) {
	from := methodAt(f, id)
	to := min(from+1, len(f.Methods)-1)
	if up {
		to = max(from-1, 0)
	}
	moveMethod(f, from, to)
}

// MoveMethod moves a method before another one in the order that buyers see; "" for the end.
func MoveMethod(f *store.File, id, before string) error {
	from := methodAt(f, id)
	switch to := methodAt(f, before); {
	case before == id:
	case before == "":
		moveMethod(f, from, len(f.Methods)-1)
	case to < 0:
		return Problemf("the order was changed meanwhile; reload to see it")
	case to > from:
		moveMethod(f, from, to-1)
	default:
		moveMethod(f, from, to)
	}
	return nil
}

func moveMethod(f *store.File, from, to int) {
	moved := f.Methods[from]
	f.Methods = slices.Insert(slices.Delete(f.Methods, from, from+1), to, moved)
}

// Term is one of a method's terms: its zone, "" for everywhere, and its field.
type Term struct {
	Zone  string
	Field terms.Field
}

// TermText is a term as its own cell has it; "" where it holds as elsewhere.
func TermText(f *store.File, m *store.Method, t Term) string {
	text, own := terms.Text(f, m, t.Zone, t.Field)
	if term := t.Field.Inherited(); t.Zone == "" && term != "" {
		switch {
		case m.Inheriting(term):
			return ""
		case text == "" && term != store.InheritNeeds && f.Store.Defaults.Has(term):
			return None
		}
	}
	if t.Zone == "" || own {
		return text
	}
	return ""
}

// None is how a method says that it has none of what the store's defaults have.
const None = "none"

// SetTerm sets one of a method's terms as it is typed. was is what the owner saw there; where it is something
// else by now, and not what is typed, the error is a [*Conflict].
func SetTerm(f *store.File, m *store.Method, t Term, was, typed string) error {
	if t.Zone != "" && !slices.Contains(m.TermZones(), t.Zone) {
		return Problemf("this zone's column was removed meanwhile; reload to see the terms as they are now")
	}
	if now := TermText(f, m, t); now != was {
		whole := f.Clone()
		same := whole.Method(m.ID)
		if setTerm(whole, same, t, typed) == nil && TermText(whole, same, t) == now {
			return nil // it is so already
		}
		return &Conflict{now}
	}
	return setTerm(f, m, t, typed)
}

// setTerm sets a term. Everywhere, "" has a method inherit what the defaults have, and None has it have nothing.
func setTerm(f *store.File, m *store.Method, t Term, typed string) error {
	term, text := t.Field.Inherited(), strings.TrimSpace(typed)
	if t.Zone == "" && term != "" && term != store.InheritNeeds {
		if text == "" && f.Store.Defaults.Has(term) {
			m.CopyTerm(f.Store.Defaults.Method(), term)
			m.Inherit(term, true)
			return nil
		}
		if strings.EqualFold(text, None) {
			typed = ""
		}
		m.Inherit(term, false)
	}
	if err := terms.Set(f, m, t.Zone, t.Field, typed); err != nil {
		return Problemf("%s", err.Error())
	}
	f.SettleInherits()
	return nil
}
