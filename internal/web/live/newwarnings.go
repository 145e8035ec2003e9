package live

import (
	"cmp"

	"diadrom/internal/core/store"
	"diadrom/internal/review/warnings"
)

// warningRow is a warning that the draft has and the live edition has not.
type warningRow struct{ Method, Path, Text string }

// newWarnings lists the warnings about a store that it did not have before.
func newWarnings(before, after *store.File) (rows []warningRow) {
	was := map[string]bool{}
	if before != nil {
		for i := range before.Methods {
			for _, o := range warnings.Method(before, &before.Methods[i]) {
				was[before.Methods[i].ID+" "+o.Text] = true
			}
		}
	}
	for i := range after.Methods {
		m := &after.Methods[i]
		for _, o := range warnings.Method(after, m) {
			if !was[m.ID+" "+o.Text] {
				rows = append(rows, warningRow{cmp.Or(m.Name, m.ID), "/rates/" + m.ID, o.Text})
			}
		}
	}
	return rows
}
