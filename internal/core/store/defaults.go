package store

import (
	"slices"

	"diadrom/internal/core/decimal"
)

// Inherited is a term that methods may have from the store's defaults.
type Inherited string

// The terms that may be inherited. Conditions are inherited all together.
const (
	InheritDays     Inherited = "days"
	InheritFree     Inherited = "free"
	InheritHandling Inherited = "handling"
	InheritMinimum  Inherited = "minimum"
	InheritMaximum  Inherited = "maximum"
	InheritNeeds    Inherited = "needs"
	InheritTaxable  Inherited = "taxable"
)

// InheritedTerms lists them.
var InheritedTerms = []Inherited{
	InheritDays, InheritFree, InheritHandling, InheritMinimum, InheritMaximum, InheritNeeds, InheritTaxable,
}

// Defaults are terms set once for all methods that inherit them. They are not looked at when a quote is made: a method
// that inherits a term has it written out, and the two are the same.
type Defaults struct {
	Days     *Days            `json:"days,omitempty"`
	Free     *Free            `json:"free,omitempty"`
	Handling *Handling        `json:"handling,omitempty"`
	Minimum  *decimal.Decimal `json:"minimum,omitempty"`
	Maximum  *decimal.Decimal `json:"maximum,omitempty"`
	Needs    *Needs           `json:"needs,omitempty"`
	Taxable  *bool            `json:"taxable,omitempty"` // nil: taxed
}

// Has says whether a term is set.
func (d *Defaults) Has(term Inherited) bool {
	switch term {
	case InheritDays:
		return d.Days != nil
	case InheritFree:
		return d.Free != nil
	case InheritHandling:
		return d.Handling != nil
	case InheritMinimum:
		return d.Minimum != nil
	case InheritMaximum:
		return d.Maximum != nil
	case InheritNeeds:
		return d.Needs != nil
	}
	return d.Taxable != nil
}

// Copy gives the defaults a term as others have it.
func (d *Defaults) Copy(from *Defaults, term Inherited) {
	f := from.clone()
	switch term {
	case InheritDays:
		d.Days = f.Days
	case InheritFree:
		d.Free = f.Free
	case InheritHandling:
		d.Handling = f.Handling
	case InheritMinimum:
		d.Minimum = f.Minimum
	case InheritMaximum:
		d.Maximum = f.Maximum
	case InheritNeeds:
		d.Needs = f.Needs
	case InheritTaxable:
		d.Taxable = f.Taxable
	}
}

// Method is a method that has the defaults and nothing else.
func (d *Defaults) Method() *Method {
	m := Method{Taxable: d.Taxable == nil || *d.Taxable, Days: d.Days, Free: d.Free, Handling: d.Handling,
		Minimum: d.Minimum, Maximum: d.Maximum, Needs: d.Needs}
	cloneMethod(&m)
	return &m
}

// Inheriting says whether a method has a term from the defaults.
func (m *Method) Inheriting(term Inherited) bool { return slices.Contains(m.Inherits, term) }

// Inherit has a method have a term from the defaults, or have it of its own.
func (m *Method) Inherit(term Inherited, inherits bool) {
	m.Inherits = slices.DeleteFunc(m.Inherits, func(t Inherited) bool { return t == term })
	if inherits {
		m.Inherits = append(m.Inherits, term)
		slices.SortFunc(m.Inherits, func(a, b Inherited) int {
			return slices.Index(InheritedTerms, a) - slices.Index(InheritedTerms, b)
		})
	}
}

// CopyTerm gives a method a term as another has it.
func (m *Method) CopyTerm(from *Method, term Inherited) {
	switch term {
	case InheritDays:
		m.Days = clonePointer(from.Days)
	case InheritFree:
		m.Free = cloneFree(from.Free)
	case InheritHandling:
		m.Handling = clonePointer(from.Handling)
	case InheritMinimum:
		m.Minimum = from.Minimum
	case InheritMaximum:
		m.Maximum = from.Maximum
	case InheritNeeds:
		m.Needs = cloneNeeds(from.Needs)
	case InheritTaxable:
		m.Taxable = from.Taxable
	}
}

// SameTerm says whether two methods have a term alike.
func (m *Method) SameTerm(o *Method, term Inherited) bool {
	var a, b Method
	a.CopyTerm(m, term)
	b.CopyTerm(o, term)
	return Alike(a, b)
}

// GiveDefaults writes the defaults out in all methods that inherit them.
func (f *File) GiveDefaults() {
	d := f.Store.Defaults.Method()
	for i := range f.Methods {
		for _, term := range f.Methods[i].Inherits {
			f.Methods[i].CopyTerm(d, term)
		}
	}
}

// SettleInherits has methods whose terms are not the defaults' have them of their own.
func (f *File) SettleInherits() {
	d := f.Store.Defaults.Method()
	for i := range f.Methods {
		m := &f.Methods[i]
		m.Inherits = slices.DeleteFunc(slices.Clone(m.Inherits), func(t Inherited) bool { return !m.SameTerm(d, t) })
	}
}
