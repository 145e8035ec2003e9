package edit

import (
	"cmp"
	"slices"
	"strings"

	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/core/world"
)

// TaxedField is whether methods are taxed, as a term that is set for several of them.
const TaxedField terms.Field = "taxable"

// Several is a term that is set for several methods at once, as it is typed.
type Several struct {
	Field   terms.Field // one of [SeveralFields]
	Text    string
	Default bool     // it becomes the store's default, and the methods are those that inherit it
	Methods []string // ids
	Zones   []string // ids, of terms for zones; none means everywhere
}

// SeveralFields lists the terms that can be set for several methods.
var SeveralFields = slices.Concat(
	slices.DeleteFunc(slices.Clone(terms.Fields), func(f terms.Field) bool {
		return f == terms.From ||
			f == terms.Points
	}),
	[]terms.Field{TaxedField},
)

// CanDefault says whether a term can be the store's default.
func CanDefault(field terms.Field) bool { return inheritedOf(field) != "" }

func inheritedOf(field terms.Field) store.Inherited {
	if field == TaxedField {
		return store.InheritTaxable
	}
	return field.Inherited()
}

// SetSeveral sets a term for several methods. On an error nothing is to be kept of the file.
func SetSeveral(f *store.File, s Several) error {
	if !slices.Contains(SeveralFields, s.Field) {
		return Problemf("choose what is set")
	}
	for _, id := range s.Methods {
		if f.Method(id) == nil {
			return Problemf("one of these methods was removed meanwhile; reload to see those that are there")
		}
	}
	if s.Default {
		return setDefault(f, s)
	}
	if len(s.Methods) == 0 {
		return Problemf("choose at least one method")
	}
	zones, left := s.Zones, s.LeftOut(f)
	if len(zones) == 0 {
		zones = []string{""}
	} else if len(left) == len(s.Methods)*len(zones) {
		return Problemf("none of these methods has a price for %s, so there are no terms to set",
			FirstFew(zoneNames(f, zones)))
	}
	for _, id := range s.Methods {
		m := f.Method(id)
		for _, zone := range zones {
			if zone != "" && !slices.Contains(m.TermZones(), zone) {
				continue
			}
			if err := setOne(f, m, Term{Zone: zone, Field: s.Field}, s.Text); err != nil {
				return Problemf("%s: %s", cmp.Or(m.Name, m.ID), err.Error())
			}
		}
	}
	return nil
}

// LeftOut names the pairs of methods and zones for which a term is not set, because the method has no prices there.
func (s Several) LeftOut(f *store.File) (list []string) {
	if s.Default {
		return nil
	}
	for _, id := range s.Methods {
		m := f.Method(id)
		for _, zone := range s.Zones {
			if m != nil && !slices.Contains(m.TermZones(), zone) {
				list = append(list, cmp.Or(m.Name, m.ID)+" to "+f.ZoneName(zone))
			}
		}
	}
	return list
}

func zoneNames(f *store.File, ids []string) (names []string) {
	for _, id := range ids {
		names = append(names, f.ZoneName(id))
	}
	return names
}

// setOne sets a term of one method.
func setOne(f *store.File, m *store.Method, t Term, text string) error {
	switch {
	case t.Field == TaxedField && t.Zone != "":
		return Problemf("a method is taxed everywhere or nowhere: set it everywhere")
	case t.Field == TaxedField:
		taxed, err := yes(text)
		if err != nil {
			return err
		}
		SetSwitch(f, m, Taxable, taxed)
		return nil
	case t.Field == terms.Offered && t.Zone == "":
		return Problemf("choose the zones to which it is offered or not; to offer a method nowhere, switch it off")
	}
	return setTerm(f, m, t, text)
}

func yes(text string) (bool, error) {
	switch world.Fold(text) {
	case "yes", "taxed":
		return true, nil
	case "no", "not taxed":
		return false, nil
	}
	return false, Problemf("write yes or no")
}

// setDefault sets one of the store's defaults, and which methods inherit it.
func setDefault(f *store.File, s Several) error {
	term, d := inheritedOf(s.Field), &f.Store.Defaults
	switch {
	case term == "":
		return Problemf("this has no default: choose the methods that it is set for")
	case len(s.Zones) > 0:
		return Problemf("a default is for everywhere: what differs by zone is set for methods")
	}
	text := strings.TrimSpace(s.Text)
	m := d.Method()
	switch {
	case term == store.InheritTaxable && text == "":
		d.Taxable = nil
	case term == store.InheritTaxable:
		taxed, err := yes(text)
		if err != nil {
			return err
		}
		d.Taxable = &taxed
	default:
		if strings.EqualFold(text, None) {
			text = ""
		}
		if err := terms.Set(f, m, "", s.Field, text); err != nil {
			return Problemf("%s", err.Error())
		}
		d.Copy(&store.Defaults{Days: m.Days, Free: m.Free, Handling: m.Handling, Minimum: m.Minimum, Maximum: m.Maximum,
			Needs: m.Needs}, term)
	}
	for i := range f.Methods {
		f.Methods[i].Inherit(term, slices.Contains(s.Methods, f.Methods[i].ID))
	}
	f.GiveDefaults()
	if !d.Has(term) { // there is nothing to inherit any more
		for i := range f.Methods {
			f.Methods[i].Inherit(term, false)
		}
	}
	return nil
}

// DefaultText is one of the store's defaults as it is typed; "" where it is not set.
func DefaultText(f *store.File, field terms.Field) string {
	d, term := &f.Store.Defaults, inheritedOf(field)
	switch {
	case term == "" || !d.Has(term):
		return ""
	case term == store.InheritTaxable && *d.Taxable:
		return "yes"
	case term == store.InheritTaxable:
		return "no"
	}
	text, _ := terms.Text(f, d.Method(), "", field)
	return text
}

// Follows says whether a method has a term from the store's defaults, or would where one is set that has none yet.
func Follows(f *store.File, m *store.Method, field terms.Field) bool {
	term := inheritedOf(field)
	if term == "" {
		return false
	}
	if f.Store.Defaults.Has(term) || term == store.InheritTaxable {
		return m.Inheriting(term)
	}
	return m.SameTerm(&store.Method{Taxable: true}, term)
}

// SeveralText is a term of a method as it stands for everywhere.
func SeveralText(f *store.File, m *store.Method, field terms.Field) string {
	switch {
	case field == TaxedField && m.Taxable:
		return "yes"
	case field == TaxedField:
		return "no"
	case field == terms.Offered:
		return ""
	}
	text, _ := terms.Text(f, m, "", field)
	return text
}
