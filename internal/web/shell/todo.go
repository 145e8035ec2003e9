package shell

import (
	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/review/checklist"
)

// todo is what is left to do in a new shop; it goes once all is done.
type todo struct {
	Items []checklist.Item
	Done  string // how many of them are done
	Next  checklist.Item
}

// todoOf is nil where nothing is left to do.
func todoOf(f *store.File, v *historyView) *todo {
	t := &todo{Items: checklist.Of(f, checklist.Facts{Promises: v.Promises != "", Published: v.Published})}
	done := 0
	for i := len(t.Items) - 1; i >= 0; i-- {
		if t.Items[i].Done {
			done++
			continue
		}
		t.Next = t.Items[i]
	}
	if done == len(t.Items) {
		return nil
	}
	t.Done = plural.Number(done) + " of " + plural.Number(len(t.Items)) + " done"
	return t
}
