package node

import (
	"context"
	"crypto/ed25519"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"log/slog"
	"os"
	"path/filepath"
	"testing"
	"time"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/manifest"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// shelf has objects, as brokers do.
type shelf map[string][]byte

func (s shelf) Get(_ context.Context, name string) ([]byte, error) {
	if body := s[name]; body != nil {
		return body, nil
	}
	return nil, errors.New("it is not there")
}
func (s shelf) Connected() bool           { return true }
func (s shelf) Trouble() string           { return "" }
func (s shelf) Heard() (time.Time, int64) { return time.Now(), 0 }
func (s shelf) Watch(context.Context, func(context.Context, string) error) {
	panic("nothing is watched here")
}

// shopOf signs manifests.
type shopOf struct {
	t       testing.TB
	private ed25519.PrivateKey
	join    []byte
	shelf   shelf
	issued  int64
}

func newShop(t testing.TB) *shopOf {
	public, private, err := ed25519.GenerateKey(nil)
	require.NoError(t, err)
	join, err := json.Marshal(manifest.Join{Format: manifest.Format, Shop: "lauha", Brokers: []string{"nats://nowhere"},
		Trust: base64.StdEncoding.EncodeToString(public), Vault: base64.StdEncoding.EncodeToString(make([]byte, 32))})
	require.NoError(t, err)
	return &shopOf{t, private, join, shelf{}, 0}
}

func (s *shopOf) sign(edition int64, f *store.File, former ...manifest.Former) (string, manifest.Former) {
	text := f.Write()
	name, body := manifest.Pack("store", text)
	s.shelf[name] = body
	sum := sha256.Sum256(text)
	s.issued++
	m := &manifest.Manifest{Shop: "lauha", Issued: s.issued, Edition: edition, Hash: hex.EncodeToString(sum[:]),
		Store:  name,
		Former: former}
	signed, err := manifest.Sign(m, s.private)
	require.NoError(s.t, err)
	return signed, manifest.Former{Edition: edition, Hash: m.Hash, Store: name, Until: time.Now().Add(time.Hour).Unix()}
}

func (s *shopOf) node(dir string) *Node {
	n, _, err := Open(Options{Dir: dir, Join: s.join, Log: slog.New(slog.DiscardHandler)})
	require.NoError(s.t, err)
	n.Use(s.shelf)
	return n
}

func named(name string) *store.File {
	f := storetest.Small.Store()
	f.Store.Name = name
	return f
}

func TestANodeTakesVerifiesAndKeeps(t *testing.T) {
	s, dir, ctx := newShop(t), t.TempDir(), context.Background()
	n := s.node(dir)
	assert.Nil(t, n.State(), "nothing has come yet")
	first, former := s.sign(1, named("first"))
	require.NoError(t, n.take(ctx, first, true))
	assert.EqualValues(t, 1, n.State().Live.Number)
	engine := n.State().Live.Engine
	second, _ := s.sign(2, named("second"), former)
	require.NoError(t, n.take(ctx, second, true))
	assert.EqualValues(t, 2, n.State().Live.Number)
	now := time.Now()
	assert.Same(t, engine, n.State().Pinned(1, now).Engine, "what was ready stays so")
	assert.Nil(t, n.State().Pinned(1, now.Add(2*time.Hour)), "for an hour")
	assert.Nil(t, n.State().Pinned(3, now))
	assert.ErrorIs(t, n.take(ctx, first, true), ErrOlder, "an old manifest is not taken again")

	other := newShop(t)
	other.issued = 100
	forged, _ := other.sign(9, named("forged"))
	assert.ErrorIs(t, n.take(ctx, forged, true), manifest.ErrForged)
	assert.EqualValues(t, 2, n.State().Live.Number)

	third, of := s.sign(3, named("third"))
	s.shelf[of.Store] = []byte("something else")
	assert.ErrorContains(t, n.take(ctx, third, true), "not what its name says")
	delete(s.shelf, of.Store)
	assert.ErrorContains(t, n.take(ctx, third, true), "it is not there")
	assert.EqualValues(t, 2, n.State().Live.Number, "nothing is quoted from that is not whole")

	again, _, err := Open(Options{Dir: dir, Join: s.join, Log: slog.New(slog.DiscardHandler)}) // without a broker
	require.NoError(t, err)
	require.NotNil(t, again.State())
	assert.EqualValues(t, 2, again.State().Live.Number)
	assert.Equal(t, "first", again.State().Pinned(1, now).Engine.Store().Store.Name,
		"former editions are made ready when they are asked for")

	path := filepath.Join(dir, "objects", n.State().Manifest.Store)
	body, err := os.ReadFile(path)
	require.NoError(t, err)
	body[len(body)/2]++
	require.NoError(t, os.WriteFile(path, body, 0o600))
	damaged, _, err := Open(Options{Dir: dir, Join: s.join, Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	assert.Nil(t, damaged.State(), "what is damaged on the disk is not quoted from")
	damaged.Use(s.shelf)
	require.NoError(t, damaged.take(ctx, second, true))
	assert.EqualValues(t, 2, damaged.State().Live.Number, "but fetched anew")
}

func TestANodeKeepsNoObjectThatNothingNames(t *testing.T) {
	s, dir, ctx := newShop(t), t.TempDir(), context.Background()
	n := s.node(dir)
	for i := range 5 {
		signed, _ := s.sign(int64(i+1), named(string(rune('a'+i))))
		require.NoError(t, n.take(ctx, signed, true))
	}
	entries, err := os.ReadDir(filepath.Join(dir, "objects"))
	require.NoError(t, err)
	assert.Len(t, entries, 1)
}

// A node that starts from its disk, beside loading the store file: wanted is less than twice that.
func BenchmarkStart(b *testing.B) {
	s, dir := newShop(b), b.TempDir()
	f := storetest.Large.Store()
	signed, _ := s.sign(1, f)
	require.NoError(b, s.node(dir).take(context.Background(), signed, true))
	text := f.Write()
	b.Run("load the store file", func(b *testing.B) {
		for b.Loop() {
			f, faults := store.Read(text)
			require.Empty(b, faults)
			quote.Compile(f, nil)
		}
	})
	b.Run("start from disk", func(b *testing.B) {
		for b.Loop() {
			require.NotNil(b, s.node(dir).State())
		}
	})
}
