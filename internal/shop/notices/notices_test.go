package notices

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"testing"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// failing are the carriers that fail.
type failing map[string]string

func (f failing) Failing(*store.File) map[string]string { return f }

// kept is a shop with what its programs were told.
type kept struct {
	t   *testing.T
	db  *sqlite.DB
	d   *draft.Draft
	w   *Watcher
	seq int64
}

func watched(t *testing.T, dir string, c Carriers) *kept {
	t.Helper()
	ctx := context.Background()
	db, err := sqlite.Open(ctx, dir)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	d, err := draft.Open(ctx, db, nil, storetest.Lauha(t))
	require.NoError(t, err)
	k := &kept{t: t, db: db, d: d, w: New(db, d, c, nil, slog.New(slog.DiscardHandler))}
	_, k.seq, err = db.NoticeNumbers(ctx)
	require.NoError(t, err)
	return k
}

// told looks, and gives what is told since the last time, each as its type and its data.
func (k *kept) told() (list []string) {
	k.t.Helper()
	require.NoError(k.t, k.w.Look(context.Background(), time.Now()))
	notices, err := k.db.Notices(context.Background(), k.seq, 1000)
	require.NoError(k.t, err)
	for _, n := range notices {
		list = append(list, n.Type+" "+string(n.Data))
		k.seq = n.ID
	}
	return list
}

func (k *kept) publish(note string) *draft.Live {
	k.t.Helper()
	turn := int64(0)
	if live := k.d.Live(); live != nil {
		turn = live.Turn
	}
	l, err := k.d.Publish(context.Background(), sqlite.Stamp{Revision: k.d.State().Revision, Turn: turn}, note)
	require.NoError(k.t, err)
	return l
}

func (k *kept) edit(change func(f *store.File)) {
	k.t.Helper()
	_, err := k.d.Edit(context.Background(), func(f *store.File) error { change(f); return nil })
	require.NoError(k.t, err)
}

func product(n int) store.Product {
	return store.Product{SKU: fmt.Sprintf("NEW-%d", n), Name: "New", NeedsShipping: true}
}

func TestEditionsAndProductsAreToldOfOnce(t *testing.T) {
	dir := t.TempDir()
	k := watched(t, dir, nil)
	first := k.told()
	require.Len(t, first, 1, "the first draft has products")
	assert.Contains(t, first[0], `products.changed {"of":"draft"`)
	assert.Empty(t, k.told(), "nothing has changed")
	k.edit(func(f *store.File) { f.Products = append(f.Products, product(1)) })
	assert.Equal(t, []string{`products.changed {"of":"draft","revision":2,"count":1,"skus":["NEW-1"]}`}, k.told())
	k.edit(func(f *store.File) { f.Store.Name = "Another" })
	assert.Empty(t, k.told(), "a name is no product")

	l := k.publish("to begin with")
	told := k.told()
	require.Len(t, told, 2)
	assert.Equal(t, fmt.Sprintf(`edition.live {"edition":1,"sha256":"%s","note":"to begin with"}`, l.Hash), told[0])
	assert.Contains(t, told[1], `products.changed {"of":"live","edition":1`)
	k.edit(func(f *store.File) { f.Products[len(f.Products)-1].Name = "Newer" })
	second := k.publish("newer")
	told = k.told()
	assert.Equal(t, []string{
		fmt.Sprintf(`edition.live {"edition":2,"sha256":"%s","note":"newer","before":1}`, second.Hash),
		`products.changed {"of":"live","edition":2,"count":1,"skus":["NEW-1"]}`,
		fmt.Sprintf(`products.changed {"of":"draft","revision":%d,"count":1,"skus":["NEW-1"]}`, k.d.State().Revision),
	}, told)

	// Another process publishes an earlier edition again while this one is not there to look.
	other := watched(t, dir, nil)
	_, err := other.d.PublishAgain(context.Background(), 1, sqlite.Stamp{Turn: second.Turn})
	require.NoError(t, err)
	again := watched(t, dir, nil)
	assert.Equal(t, []string{
		fmt.Sprintf(`edition.live {"edition":1,"sha256":"%s","note":"to begin with","before":2}`, l.Hash),
		`products.changed {"of":"live","edition":1,"count":1,"skus":["NEW-1"]}`,
	}, again.told())
	assert.Empty(t, watched(t, dir, nil).told(), "it was told once")
}

func TestMoreProductsThanAreNamedAreToldAsAll(t *testing.T) {
	k := watched(t, t.TempDir(), nil)
	k.told()
	k.edit(func(f *store.File) {
		for n := range MaxSKUs + 1 {
			f.Products = append(f.Products, product(n))
		}
	})
	told := k.told()
	require.Len(t, told, 1)
	var p Products
	require.NoError(t, json.Unmarshal([]byte(told[0][len("products.changed "):]), &p))
	assert.Equal(t, MaxSKUs+1, p.Count)
	assert.Len(t, p.SKUs, MaxSKUs)
	assert.True(t, p.All)
}

func TestACarrierThatFailsIsToldOfWhenItBeginsAndWhenItEnds(t *testing.T) {
	fails := failing{}
	k := watched(t, t.TempDir(), fails)
	k.edit(func(f *store.File) {
		f.Carriers = append(f.Carriers, store.Carrier{ID: "new", Name: "New", URL: "https://new.example"})
	})
	k.publish("")
	k.told()
	fails["new"] = "did not answer within 1 s"
	assert.Equal(t, []string{`carrier.failing {"carrier":"new","name":"New","why":"did not answer within 1 s"}`}, k.told())
	assert.Empty(t, k.told(), "it still fails")
	delete(fails, "new")
	assert.Equal(t, []string{`carrier.answering {"carrier":"new","name":"New"}`}, k.told())
}

func TestAKeyThatEndsIsToldOfOnce(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	k := watched(t, dir, nil)
	ends := time.Now().Add(Ahead - time.Hour).UTC().Truncate(time.Second)
	require.NoError(t, k.db.AddAPIKey(ctx, auth.Key{Name: "Web", Expires: ends}, "one", 0))
	require.NoError(t, k.db.AddAPIKey(ctx, auth.Key{Name: "Later", Expires: ends.Add(24 * time.Hour)}, "two", 0))
	require.NoError(t, k.db.AddAPIKey(ctx, auth.Key{Name: "Never"}, "three", 0))
	require.NoError(t, k.db.AddAPIKey(ctx, auth.Key{Name: "Gone", Expires: ends}, "four", 0))
	require.NoError(t, k.db.RevokeAPIKey(ctx, 4))
	require.NoError(t, k.db.AddAPIKey(ctx, auth.Key{Name: "Over", Expires: time.Now().Add(-time.Hour)}, "five", 0))
	want := `key.ending {"name":"Web","ends":"` + ends.Format(time.RFC3339) + `"}`
	assert.Contains(t, k.told(), want)
	again := watched(t, dir, nil) // a program that was started again
	assert.Empty(t, again.told())
	require.NoError(t, again.w.Look(ctx, time.Now().Add(25*time.Hour)), "and looks at the keys once an hour")
	told := again.told()
	require.Len(t, told, 1)
	assert.Contains(t, told[0], "Later")
}

// A program that listens for news of a shop that was turned back learns what is live now, and no number comes again.
func TestARestoredBackupIsToldOf(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	k := watched(t, dir, nil)
	k.publish("one")
	k.told()
	require.NoError(t, k.db.Backup(ctx, "kept"))
	k.edit(func(f *store.File) { f.Store.Name = "Another" })
	k.publish("two")
	k.told()
	seen := k.seq
	require.NoError(t, k.db.Close())
	list, err := sqlite.Backups(dir)
	require.NoError(t, err)
	kept := list[len(list)-1]
	for _, name := range list {
		if len(name) > 12 && name[len(name)-len("kept.db.zst"):] == "kept.db.zst" {
			kept = name
		}
	}
	r, err := sqlite.Restore(ctx, dir, kept, sqlite.RestoreOptions{})
	require.NoError(t, err)
	assert.EqualValues(t, 3, r.Next)
	back := watched(t, dir, nil)
	assert.Equal(t, seen, back.seq, "what was told stays told")
	told := back.told()
	require.NotEmpty(t, told)
	assert.Contains(t, told[0], `edition.live {"edition":1,`)
	assert.Contains(t, told[0], `"restored":true`)
	assert.Greater(t, back.seq, seen)
	back.edit(func(f *store.File) { f.Store.Name = "Third" })
	assert.EqualValues(t, 3, back.publish("three").Number, "2 was another edition")
}
