package draft

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/demo"
	"diadrom/internal/sqlite"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// lauha is the demo shop's draft, with which two people work.
func lauha(t require.TestingT, dir string) *Draft {
	db, err := sqlite.Open(context.Background(), dir)
	require.NoError(t, err)
	f, err := demo.Store()
	require.NoError(t, err)
	d, err := Open(context.Background(), db, nil, f)
	require.NoError(t, err)
	return d
}

func price(f *store.File, text string) error {
	d := decimal.MustParse(text)
	row := &f.Methods[1].Tables[0].Rows[0]
	charge := *row.Charges[0]
	charge.Base = &d
	row.Charges[0] = &charge
	return nil
}

func TestEachTakesBackTheirOwnEdits(t *testing.T) {
	dir := t.TempDir()
	d := lauha(t, dir)
	before := string(d.State().File.Write())
	owner, helper := By(context.Background(), 1), By(context.Background(), 2)
	edit := func(who context.Context, change func(*store.File) error) {
		t.Helper()
		_, err := d.Edit(who, change)
		require.NoError(t, err)
	}
	edit(owner, func(f *store.File) error { return price(f, "7.20") })
	edit(helper, func(f *store.File) error { f.Methods[1].Name = "Box"; return nil }) // of the same method
	edit(helper, func(f *store.File) error { f.Products[0].Name = "Linen"; return nil })

	_, what, err := d.Undo(owner)
	require.NoError(t, err)
	assert.Equal(t, "Parcel to the door, Finland, up to and including 2 kg: 6.90 → 7.20", what)
	f := d.State().File
	assert.Equal(
		t,
		"6.90",
		f.Methods[1].Tables[0].Rows[0].Charges[0].Base.Fixed(2),
		"the owner's price is as it was",
	)
	assert.Equal(t, "Box", f.Methods[1].Name, "the helper's name stays")
	assert.Equal(t, "Linen", f.Products[0].Name)
	_, _, err = d.Undo(owner)
	assert.ErrorIs(t, err, ErrNothing, "the helper's edits are the helper's to undo")
	_, what, err = d.Redo(owner)
	require.NoError(t, err)
	assert.Equal(t, "Parcel to the door, Finland, up to and including 2 kg: 6.90 → 7.20", what)
	assert.Equal(t, "7.20", d.State().File.Methods[1].Tables[0].Rows[0].Charges[0].Base.Fixed(2))

	edit(helper, func(f *store.File) error { return price(f, "8.00") }) // on top of the owner's
	_, _, err = d.Undo(owner)
	var conflict *Conflict
	require.ErrorAs(t, err, &conflict)
	assert.ErrorContains(t, err, "7.20 → 8.00", "what rests on it is named")
	assert.Equal(
		t,
		"8.00",
		d.State().File.Methods[1].Tables[0].Rows[0].Charges[0].Base.Fixed(2),
		"and nothing has changed",
	)
	for range 3 {
		_, _, err = d.Undo(helper)
		require.NoError(t, err)
	}
	_, _, err = d.Undo(owner)
	require.NoError(t, err)
	assert.Equal(t, before, string(d.State().File.Write()))
}

// Whatever two people edit and undo in whatever order, across restarts: undoing all of it gives the
// shop as it was, or says what it rests on and changes nothing. Of products that each of them removed
// in turns only the order is not known: which of two that are both away stood first.
func TestTakingAllBackGivesTheShopAsItWas(t *testing.T) {
	people := []context.Context{By(context.Background(), 1), By(context.Background(), 2)}
	root := t.TempDir()
	n := 0
	rapid.Check(t, func(t *rapid.T) {
		n++
		dir := fmt.Sprint(root, "/", n)
		d := lauha(t, dir)
		before := string(d.State().File.Write())
		removed := map[context.Context]bool{}
		for range rapid.IntRange(1, 12).Draw(t, "steps") {
			who := rapid.SampledFrom(people).Draw(t, "who")
			was := string(d.State().File.Write())
			var err error
			switch rapid.IntRange(0, 9).Draw(t, "step") {
			case 0, 1:
				_, _, err = d.Undo(who)
			case 2:
				_, _, err = d.Redo(who)
			case 3:
				again := lauha(t, dir)
				require.Equal(t, was, string(again.State().File.Write()), "after a restart")
				d.db.Close()
				d = again
			case 4:
				_, err = d.Edit(who, func(f *store.File) error {
					return price(f, fmt.Sprintf("%d.50", rapid.IntRange(1, 9).Draw(t, "price")))
				})
			case 5:
				_, err = d.Edit(who, func(f *store.File) error {
					f.Zones = append(f.Zones, store.Zone{ID: fmt.Sprint("new-", len(f.Zones)), Enabled: true})
					return nil
				})
			case 6:
				_, err = d.Edit(
					who,
					func(f *store.File) error { f.Methods = append(f.Methods[1:], f.Methods[0]); return nil },
				)
			case 7:
				removed[who] = true
				_, err = d.Edit(
					who,
					func(f *store.File) error { f.Products = f.Products[:len(f.Products)-1]; return nil },
				)
			case 8:
				_, err = d.Edit(who, func(f *store.File) error { f.Products[1].Name += "!"; return nil })
			case 9:
				_, err = d.Edit(who, func(f *store.File) error { f.Store.Name += "!"; return nil })
			}
			if err != nil {
				require.Equal(t, was, string(d.State().File.Write()), "what fails changes nothing: %v", err)
			}
		}
		for range 40 { // in turns, until neither has anything left
			left := 0
			for _, who := range people {
				if _, _, err := d.Undo(who); err == nil {
					left++
				}
			}
			if left == 0 {
				break
			}
		}
		after := d.State().File.Clone()
		if len(removed) == len(people) {
			was, faults := store.Read([]byte(before))
			require.Empty(t, faults)
			for _, f := range []*store.File{was, after} {
				slices.SortFunc(f.Products, func(a, b store.Product) int { return strings.Compare(a.SKU, b.SKU) })
			}
			before = string(was.Write())
		}
		require.Equal(t, before, string(after.Write()))
		d.db.Close()
	})
}
