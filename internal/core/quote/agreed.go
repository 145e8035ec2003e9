package quote

import (
	"slices"
	"strings"
	"unicode"

	"diadrom/internal/core/postcode"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
)

// agreement is an agreed charge with its place in the form in which it is compared.
type agreement struct {
	*store.Agreed
	postcode postcode.Code
	street   string
}

// agreements lists a store's, those for a customer before those for a group before those for a place.
func agreements(f *store.File) []agreement {
	list := make([]agreement, len(f.Agreed))
	for i := range f.Agreed {
		list[i].Agreed = &f.Agreed[i]
		if p := f.Agreed[i].Place; p != nil {
			list[i].postcode, list[i].street = postcode.Read(p.Country, p.Postcode), foldStreet(p.Street)
		}
	}
	kind := func(a agreement) int {
		switch {
		case a.Customer != "":
			return 0
		case a.Group != "":
			return 1
		}
		return 2
	}
	slices.SortStableFunc(list, func(x, y agreement) int { return kind(x) - kind(y) })
	return list
}

// Agreement is a charge of a store's that was agreed, as it looks to a request.
type Agreement struct {
	*store.Agreed
	Holds bool // everything that it names is so
}

// Agreements lists the agreed charges of a store in the order in which they are looked at: customers', then groups',
// then places', each in the order of the file. The first that holds for a method is its charge.
func (e *Engine) Agreements(q *Request) []Agreement {
	a := asked{e: e, q: q, to: e.Resolve(q.To)}
	list := make([]Agreement, len(e.agreed))
	for i := range e.agreed {
		list[i] = Agreement{e.agreed[i].Agreed, e.agreed[i].holds(&a)}
	}
	return list
}

// foldStreet drops case, accents and punctuation.
func foldStreet(s string) string {
	bare := strings.Map(func(r rune) rune {
		if unicode.IsPunct(r) || unicode.IsSymbol(r) {
			return ' '
		}
		return r
	}, s)
	return world.Fold(bare)
}

// holds says whether everything that the agreement names is so.
func (g *agreement) holds(a *asked) bool {
	if g.Customer != "" && g.Customer != a.q.Customer || g.Group != "" && g.Group != a.q.Group {
		return false
	}
	if p := g.Place; p != nil {
		return p.Country == a.to.Country &&
			(p.Postcode == "" || g.postcode.Text == a.to.Postcode.Text) &&
			(p.Street == "" || g.street == foldStreet(a.q.To.Street))
	}
	return true
}

func (g *agreement) covers(m *method) bool {
	return len(g.Methods) == 0 || slices.Contains(g.Methods, m.ID)
}
