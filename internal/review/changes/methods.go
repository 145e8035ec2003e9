package changes

import (
	"errors"
	"maps"
	"slices"
	"strings"

	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
)

// combined are the ways in which price lists of several classes combine.
var combined = map[store.Combine]string{store.Together: "one for all", store.Add: "added up",
	store.Dearest: "the dearest"}

var methods kind[store.Method]

func init() { // its words name methods, which would be a circle
	methods = kind[store.Method]{list: "methods", noun: "Methods",
		of: func(f *store.File) *[]store.Method { return &f.Methods },
		id: func(m *store.Method) string { return m.ID },
		name: func(m *store.Method) string {
			if m.Name != "" {
				return m.Name
			}
			return m.Label
		},
		about: func(f *store.File, m *store.Method) string {
			var served []string
			for _, z := range m.ServedZones() {
				served = append(served, f.ZoneName(z))
			}
			if len(served) == 0 {
				return "a method without prices"
			}
			return "a method to " + few(served)
		},
		within: method,
		fields: methodFields(),
	}
}

// methodFields are what of a method is a value.
func methodFields() []field[store.Method] {
	return []field[store.Method]{
		value("name", "name", func(m *store.Method) *string { return &m.Name }, quoted),
		value("label", "what buyers read", func(m *store.Method) *string { return &m.Label }, quoted),
		value("kind", "kind", func(m *store.Method) *store.Kind { return &m.Kind }, plain),
		flag("enabled", "switched on", "switched off", func(m *store.Method) *bool { return &m.Enabled }),
		taxable(),
		value(
			"classes",
			"price lists of several classes",
			func(m *store.Method) *store.Combine { return &m.Classes },
			choices(combined),
		),
		flag(
			"preselected",
			"chosen already when the buyer comes",
			"not chosen already any more",
			func(m *store.Method) *bool { return &m.Preselected },
		),
		value(
			"when_refused",
			"where it is not offered",
			func(m *store.Method) *store.WhenRefused { return &m.WhenRefused },
			choices(map[store.WhenRefused]string{
				store.Hide: "hidden", store.Tell: "the buyer is told why", "": "hidden",
			}),
		),
		value("carrier", "asks", func(m *store.Method) **store.Asks { return &m.Carrier }, asksText),
		value(
			"refused_text",
			"what the buyer is told",
			func(m *store.Method) *string { return &m.RefusedText },
			quoted,
		),
		value("labels", "what buyers read in other languages", func(m *store.Method) *store.Texts { return &m.Labels },
			inLanguages),
		value("refused_texts", "what the buyer is told in other languages",
			func(m *store.Method) *store.Texts { return &m.RefusedTexts }, inLanguages),
	}
}

// asksText says whom a method asks, and what it makes of the prices.
func asksText(f *store.File, a *store.Asks) string {
	if a == nil {
		return ""
	}
	var parts, services []string
	for _, s := range a.Services {
		text := s.Code
		if s.Label != "" {
			text += " “" + s.Label + "”"
		}
		if len(s.Labels) > 0 {
			text += " (" + inLanguages(f, s.Labels) + ")"
		}
		if days := terms.FormatDays(s.Days); days != "" {
			text += " in " + days
		}
		if !s.Enabled {
			text += " (off)"
		}
		services = append(services, text)
	}
	name := a.ID
	if c := f.Carrier(a.ID); c != nil && c.Name != "" {
		name = c.Name
	}
	parts = append(parts, strings.TrimSuffix(name+": "+strings.Join(services, ", "), ": "))
	if a.Percent != nil {
		parts = append(parts, a.Percent.String()+" %")
	}
	if a.Amount != nil {
		parts = append(parts, amount(f, *a.Amount))
	}
	if a.Fallback {
		parts = append(parts, "its own price list where the carrier fails")
	}
	return strings.Join(parts, "; ")
}

// taxable is whether a method is taxed, of its own or as the shop's default.
func taxable() field[store.Method] {
	f := flag("taxable", "taxed", "not taxed", func(m *store.Method) *bool { return &m.Taxable })
	f.put = func(to, from *store.Method) {
		to.Taxable = from.Taxable
		to.Inherit(store.InheritTaxable, from.Inheriting(store.InheritTaxable))
	}
	return f
}

// said are terms as they are called in a sentence.
var said = map[terms.Field]string{
	terms.Days:         "days",
	terms.FreeFrom:     "free",
	terms.Minimum:      "at least",
	terms.Maximum:      "at most",
	terms.Handling:     "handling",
	terms.Weight:       "weight",
	terms.BilledWeight: "billed weight",
	terms.Subtotal:     "goods for",
	terms.Quantity:     "items",
	terms.Distance:     "distance",
	terms.LongestSide:  "longest side",
	terms.OnlyClasses:  "only classes",
	terms.Without:      "without classes",
	terms.Coupons:      "coupons",
	terms.Groups:       "groups",
	terms.Available:    "available",
	terms.LeavesOn:     "leaves on",
	terms.CutOff:       "cut-off",
	terms.LeadDays:     "lead days",
	terms.From:         "leaves from",
	terms.Points:       "collected at",
	terms.Divisor:      "volumetric divisor",
	terms.Boxes:        "packed into",
	terms.MaxParcel:    "heaviest parcel",
	terms.ParcelWeight: "weight of each parcel",
	terms.Girth:        "length plus girth",
}

func method(e *entry[store.Method], was, is *store.Method) {
	for _, field := range terms.Fields {
		if field != terms.Offered && !terms.Same(was, is, "", field) {
			e.add("terms/"+string(field), func() string {
				return said[field] + ": " + arrow(
					termText(e.before.File, was, "", field),
					termText(e.after.File, is, "", field),
				)
			}, func(_ *store.File, now *store.Method) error {
				terms.Copy(now, was, "", field)
				if term := field.Inherited(); term != "" {
					now.Inherit(term, was.Inheriting(term))
				}
				return nil
			})
		}
	}
	inherits(e, was, is)
	zoneTerms(e, was, is)
	tables(tablesIn(e, func(m *store.Method) *[]rate.Table { return &m.Tables }), was.Tables, is.Tables)
}

// inherits says which terms a method has from the store's defaults by now, or no more.
func inherits(e *entry[store.Method], was, is *store.Method) {
	for _, term := range store.InheritedTerms {
		if was.Inheriting(term) == is.Inheriting(term) || !was.SameTerm(is, term) {
			continue
		}
		e.add("inherits/"+string(term), func() string {
			if is.Inheriting(term) {
				return DefaultNames[term] + ": as the shop's default"
			}
			return DefaultNames[term] + ": its own, whatever the shop's default is"
		}, func(f *store.File, now *store.Method) error {
			if was.Inheriting(term) && !was.SameTerm(f.Store.Defaults.Method(), term) {
				return errors.New("the shop's default is another by now")
			}
			now.CopyTerm(was, term)
			now.Inherit(term, was.Inheriting(term))
			return nil
		})
	}
}

// zoneTerms says which of a method's terms are different in a zone.
func zoneTerms(e *entry[store.Method], was, is *store.Method) {
	for _, zone := range zonesOf(was, is) {
		name := e.after.File.ZoneName(zone)
		if name == zone {
			name = e.before.File.ZoneName(zone)
		}
		for _, field := range terms.Fields {
			if field.IsNeed() || terms.Same(was, is, zone, field) {
				continue
			}
			e.add("terms/"+zone+"/"+string(field), func() string {
				if field == terms.Offered {
					if is.Terms[zone].Enabled || !hasTerms(is, zone) {
						return name + ": offered again"
					}
					return name + ": not offered any more"
				}
				return name + ", " + said[field] + ": " + arrow(
					ownText(e.before.File, was, zone, field),
					ownText(e.after.File, is, zone, field),
				)
			}, func(_ *store.File, now *store.Method) error { terms.Copy(now, was, zone, field); return nil })
		}
		if !store.Alike(was.Terms[zone].Needs, is.Terms[zone].Needs) {
			e.add("terms/"+zone+"/needs", func() string {
				return name + ", conditions: " + arrow(
					needsText(e.before.File, was, zone),
					needsText(e.after.File, is, zone),
				)
			}, func(_ *store.File, now *store.Method) error { terms.CopyNeeds(now, was, zone); return nil })
		}
	}
}

func hasTerms(m *store.Method, zone string) bool { _, ok := m.Terms[zone]; return ok }

func zonesOf(a, b *store.Method) []string {
	all := map[string]bool{}
	for z := range a.Terms {
		all[z] = true
	}
	for z := range b.Terms {
		all[z] = true
	}
	return slices.Sorted(maps.Keys(all))
}

func termText(f *store.File, m *store.Method, zone string, field terms.Field) string {
	text, _ := terms.Text(f, m, zone, field)
	return text
}

func ownText(f *store.File, m *store.Method, zone string, field terms.Field) string {
	text, own := terms.Text(f, m, zone, field)
	if !own {
		return "as everywhere"
	}
	return text
}

func needsText(f *store.File, m *store.Method, zone string) string {
	if zone != "" && m.Terms[zone].Needs == nil {
		return "as everywhere"
	}
	var parts []string
	for _, field := range terms.Fields {
		if text := termText(f, m, zone, field); field.IsNeed() && text != "" {
			parts = append(parts, said[field]+" "+text)
		}
	}
	return strings.Join(parts, ", ")
}
