package screen

import (
	"strings"

	"diadrom/internal/quote"

	"github.com/gin-gonic/gin"
)

// quotesCell is what a method costs to a destination; an empty charge is not offered, for the reason.
type quotesCell struct{ Charge, Reason, Full string }

type quotesRow struct {
	Line, Zone, Message string
	Cells               []quotesCell
	Here                bool
}

type quotesView struct {
	Methods []string
	Rows    []quotesRow
	Goods   string
	Empty   bool
}

// quotes shows what the Till's cart costs to each of the shop's typical destinations.
func (s *Server) quotes(c *gin.Context) {
	state, ctx := s.draft.State(), c.Request.Context()
	f := state.File
	_, destinations, err := s.db.Samples(ctx)
	if err != nil {
		s.internal(c, err)
		return
	}
	t, err := s.loadTill(ctx, f)
	if err != nil {
		s.internal(c, err)
		return
	}
	v := quotesView{}
	column := map[string]int{}
	for i := range f.Methods {
		if m := &f.Methods[i]; m.Enabled {
			column[m.ID] = len(v.Methods)
			v.Methods = append(v.Methods, nameOr(m.Name, m.ID))
		}
	}
	lines := destinations
	if len(lines) == 0 {
		lines = []string{t.Destination}
	}
	q, _, _ := s.request(state, t)
	reader := state.Engine.Reader()
	for _, line := range lines {
		to, err := reader.Address(line)
		if err != nil {
			continue
		}
		q.To = to
		a := state.Engine.Quote(&q)
		row := quotesRow{Line: line, Cells: make([]quotesCell, len(v.Methods)), Message: a.Message, Here: line == t.Destination}
		if len(a.Zones) > 0 {
			z, _ := zoneByID(f, a.Zones[0].Zone)
			row.Zone = nameOr(z.Name, z.ID)
		}
		for _, o := range a.Options {
			row.Cells[column[o.Method]].Charge = o.Charge
		}
		for _, r := range a.Refused {
			row.Cells[column[r.Method]].Reason, row.Cells[column[r.Method]].Full = short(r), r.Reason
		}
		v.Rows = append(v.Rows, row)
	}
	v.Empty = len(v.Methods) == 0
	s.page(c, "/quotes", "Quotes", "quotes", v)
}

// short says in a word or two why a method is not offered.
func short(r quote.Refused) string {
	switch r.Code {
	case quote.OutsideZones:
		return "not there"
	case quote.ZoneOnly:
		return "zone keeps it"
	case quote.NoDistance:
		return "distance unknown"
	case quote.NoRate:
		return "no price"
	case quote.Carrier:
		return "no carrier"
	}
	said, _, _ := strings.Cut(r.Reason, ", ")
	return said
}
