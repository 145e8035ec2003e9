package past

import (
	"reflect"
	"slices"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// Touched says for which methods, and by which of the zones that these serve, two stores may charge or cost something
// else. Nothing else differs between them for any order.
type Touched struct {
	All     bool                       // anything may differ
	methods map[string]map[string]bool // zones by their ids; nil: all
}

// Differ compares two stores. Where only prices of a method's lists differ, the zones of their columns are touched;
// where anything else of it does, or what it costs, all are; where they share not all that methods share, all differs.
func Differ(a, b *store.File) Touched {
	t := Touched{methods: map[string]map[string]bool{}}
	if !shareAll(a, b) || len(a.Methods) != len(b.Methods) {
		t.All = true
		return t
	}
	for i := range a.Methods {
		m, o := &a.Methods[i], &b.Methods[i]
		switch {
		case m.ID != o.ID: // their order tells which of two is the cheapest
			t.All = true
			return t
		case !reflect.DeepEqual(a.CostOf(m.ID), b.CostOf(m.ID)):
			t.methods[m.ID] = nil
		case !reflect.DeepEqual(m, o):
			t.methods[m.ID] = columns(m, o)
		}
	}
	return t
}

// columns are the zones whose prices differ between two descriptions of a method; nil where more than prices does.
func columns(a, b *store.Method) map[string]bool {
	bare := func(m *store.Method) store.Method {
		c := *m
		c.Tables = nil
		return c
	}
	if !reflect.DeepEqual(bare(a), bare(b)) || len(a.Tables) != len(b.Tables) {
		return nil
	}
	zones := map[string]bool{}
	for i := range a.Tables {
		t, o := a.Tables[i], b.Tables[i]
		if len(t.Rows) != len(o.Rows) || !slices.Equal(t.Zones, o.Zones) {
			return nil
		}
		for row := range t.Rows {
			if !reflect.DeepEqual(t.Rows[row].At, o.Rows[row].At) {
				return nil
			}
			for column, zone := range t.Zones {
				if !reflect.DeepEqual(t.Rows[row].Charges[column], o.Rows[row].Charges[column]) {
					zones[zone] = true
				}
			}
		}
		t.Rows, o.Rows = []rate.Row{}, []rate.Row{}
		if !reflect.DeepEqual(t, o) {
			return nil
		}
	}
	return zones
}

// Method says whether orders that a method charges by a zone may be touched.
func (t *Touched) Method(id, zone string) bool {
	zones, ok := t.methods[id]
	return t.All || ok && (zones == nil || zones[zone])
}

// Place says whether any method may be touched for orders to an address, as one of the stores quotes.
func (t *Touched) Place(e *quote.Engine, at *quote.Place) bool {
	if t.All {
		return true
	}
	for id, zones := range t.methods {
		if zones == nil {
			return true
		}
		if zone, ok := at.Serving(e, id); ok && zones[zone] {
			return true
		}
	}
	return false
}

// Order says whether a result may be another under the other store.
func (t *Touched) Order(e *quote.Engine, at *quote.Place, is *Rated) bool {
	if is.Outcome == ByItsMethod {
		return t.Method(is.Method, is.Zone)
	}
	return is.Outcome != Unrated && t.Place(e, at) || t.All
}
