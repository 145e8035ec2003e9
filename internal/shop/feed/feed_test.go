package feed

import (
	"fmt"
	"testing"

	"diadrom/internal/auth"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/demo"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func opened(t *testing.T) (*Feed, *draft.Draft) {
	db, err := sqlite.Open(t.Context(), t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	f, err := demo.Store()
	require.NoError(t, err)
	d, err := draft.Open(t.Context(), db, nil, f)
	require.NoError(t, err)
	return New(d), d
}

var by = auth.Person{ID: -1, Name: "the key Stock"}

func change(t require.TestingT, body string) edit.ProductChange {
	c, faults := edit.ReadProductChange([]byte(body), "", false)
	require.Empty(t, faults, body)
	return c
}

func TestNothingGoesLiveWhereNothingIs(t *testing.T) {
	f, d := opened(t)
	_, err := f.Do(
		t.Context(),
		Change{By: by, Live: true, List: []edit.ProductChange{change(t, `{"sku":"A","price":"1"}`)}},
	)
	require.ErrorIs(t, err, draft.ErrNotLive)
	assert.Nil(t, d.State().File.Product("A"))
	r, err := f.Do(t.Context(), Change{By: by, List: []edit.ProductChange{change(t, `{"sku":"A","price":"1"}`)}})
	require.NoError(t, err)
	assert.Equal(t, 1, r.Created)
	assert.Equal(t, int64(2), r.Revision)
}

// Whatever is sent, and whatever else the draft has, what was changed is the same in the draft and live, and nothing
// else of the draft is.
func TestLiveGetsTheProductsAndNothingElse(t *testing.T) {
	f, d := opened(t)
	_, err := d.Publish(t.Context(), sqlite.Stamp{Revision: d.State().Revision}, "")
	require.NoError(t, err)
	_, err = d.Edit(t.Context(), func(s *store.File) error {
		s.Classes = append(s.Classes, store.Class{ID: "new", Name: "New"}) // which what is live does not have
		s.Product("LADLE-B").Name = "Changed in the draft alone"
		return nil
	})
	require.NoError(t, err)
	skus := []string{"TOWEL-70", "STONE-20", "A", "B", "C"}
	rapid.Check(t, func(t *rapid.T) {
		var jobs []*job
		for range rapid.IntRange(1, 3).Draw(t, "jobs") {
			j := &job{Change: Change{By: by, Live: true}, done: make(chan struct{})}
			for i := range rapid.IntRange(1, 4).Draw(t, "changes") {
				sku := rapid.SampledFrom(skus).Draw(t, "sku")
				c := edit.ProductChange{SKU: sku, Remove: true}
				if !rapid.Bool().Draw(t, "removed") {
					class := rapid.SampledFrom([]string{"", "bulky", "new", "nowhere"}).Draw(t, "class")
					c = change(
						t,
						fmt.Sprintf(
							`{"sku":%q,"price":"%d","class":%q}`,
							sku,
							rapid.IntRange(1, 99).Draw(t, "price"),
							class,
						),
					)
				}
				c.Line = i + 1
				j.List = append(j.List, c)
			}
			jobs = append(jobs, j)
		}
		before := d.Live().Number
		f.make(t.Context(), jobs)
		for _, j := range jobs {
			require.NoError(t, j.err)
			for _, r := range j.result.Refused {
				require.NotEmpty(t, r.Faults)
			}
			sum := j.result.Created + j.result.Changed + j.result.Removed + j.result.Unchanged + len(j.result.Refused)
			require.Equal(t, len(j.List), sum, "each change is told of once: %+v", j.result)
		}
		require.LessOrEqual(t, d.Live().Number, before+1, "together they are one edition")
		draftFile, live := d.State().File, d.Live().File
		for _, sku := range skus {
			a, b := draftFile.Product(sku), live.Product(sku)
			require.Equal(t, a == nil, b == nil, sku)
			if a != nil {
				require.Equal(t, *a, *b)
				require.NotContains(t, []string{"new", "nowhere"}, a.Class)
			}
		}
		require.Equal(t, "Changed in the draft alone", draftFile.Product("LADLE-B").Name)
		require.NotEqual(t, "Changed in the draft alone", live.Product("LADLE-B").Name)
		require.Nil(t, live.Class("new"))
	})
}
