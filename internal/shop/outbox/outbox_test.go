package outbox

import (
	"context"
	"crypto/ed25519"
	"encoding/base64"
	"encoding/json"
	"log/slog"
	"strings"
	"testing"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/broker"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/manifest"
	"diadrom/internal/shop/node"
	"diadrom/internal/shop/secrets"
	"diadrom/internal/sqlite"
	"diadrom/internal/test/storetest"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// nothing is asked of services.
type nothing struct{}

func (nothing) Elsewhere() map[string]string { return nil }

// startBroker starts one in this process, which keeps things or does not.
func startBroker(t *testing.T, keeps bool) string {
	b, err := server.NewServer(
		&server.Options{Host: "127.0.0.1", Port: server.RANDOM_PORT, JetStream: keeps, StoreDir: t.TempDir(),
			NoSigs: true, NoLog: true},
	)
	require.NoError(t, err)
	b.Start()
	require.True(t, b.ReadyForConnections(10*time.Second))
	t.Cleanup(func() { b.Shutdown(); b.WaitForShutdown() })
	return b.ClientURL()
}

// sender is a shop with its outbox, and a node of it.
type sender struct {
	stop func()
	db   *sqlite.DB
	d    *draft.Draft
	box  *Outbox
	node *node.Node
}

func startSender(t *testing.T, url string) *sender {
	ctx, stop := context.WithCancel(context.Background())
	t.Cleanup(stop)
	log := slog.New(slog.DiscardHandler)
	s := &sender{stop: stop}
	var err error
	s.db, err = sqlite.Open(ctx, t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { s.db.Close() })
	s.d, err = draft.Open(ctx, s.db, nil, storetest.Small.Store())
	require.NoError(t, err)
	conn, err := broker.Open(broker.Options{URLs: []string{url}, Shop: "lauha", Log: log})
	require.NoError(t, err)
	t.Cleanup(conn.Close)
	s.box, err = New(ctx, "lauha", s.db, conn, nothing{}, log)
	require.NoError(t, err)
	done := make(chan struct{})
	go func() { defer close(done); s.box.Run(ctx) }()
	t.Cleanup(func() { stop(); <-done })

	private, err := Key(ctx, s.db, secrets.New(s.db.Dir()))
	require.NoError(t, err)
	join, err := json.Marshal(manifest.Join{Format: manifest.Format, Shop: "lauha", Brokers: []string{url},
		Trust: base64.StdEncoding.EncodeToString(private.Public().(ed25519.PublicKey)),
		Vault: base64.StdEncoding.EncodeToString(make([]byte, 32))})
	require.NoError(t, err)
	s.node, _, err = node.Open(node.Options{Dir: t.TempDir(), Join: join, Log: log})
	require.NoError(t, err)
	theirs, err := broker.Open(broker.Options{URLs: []string{url}, Shop: "lauha", Log: log})
	require.NoError(t, err)
	t.Cleanup(theirs.Close)
	s.node.Use(theirs)
	followed := make(chan struct{})
	go func() { defer close(followed); s.node.Follow(ctx) }()
	t.Cleanup(func() { stop(); <-followed })
	return s
}

func (s *sender) publish(t *testing.T) int64 {
	seen := sqlite.Stamp{Revision: s.d.State().Revision}
	if live := s.d.Live(); live != nil {
		seen.Turn = live.Turn
	}
	live, err := s.d.Publish(context.Background(), seen, "")
	require.NoError(t, err)
	return live.Number
}

func (s *sender) reaches(t *testing.T, what string, is func(*node.State) bool) {
	t.Helper()
	require.Eventually(
		t,
		func() bool { state := s.node.State(); return state != nil && is(state) },
		10*time.Second,
		10*time.Millisecond,
		what,
	)
}

// Editions and keys reach a node at once, and keys leave it as they are revoked; that holds too where the brokers keep
// nothing, which the shop is told.
func TestWhatAShopPublishesReachesItsNodes(t *testing.T) {
	ctx := context.Background()
	for name, keeps := range map[string]bool{"kept": true, "told alone": false} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := startSender(t, startBroker(t, keeps))
			edition := s.publish(t)
			s.reaches(
				t,
				"the first edition",
				func(n *node.State) bool { return n.Live != nil && n.Live.Number == edition },
			)
			_, err := s.d.Edit(ctx, func(f *store.File) error { f.Methods[0].Name = "Another"; return nil })
			require.NoError(t, err)
			next := s.publish(t)
			s.reaches(t, "the second", func(n *node.State) bool { return n.Live.Number == next })
			assert.NotNil(t, s.node.State().Pinned(edition, time.Now()), "a checkout goes on with the first")

			kept := auth.Kept("secret")
			require.NoError(t, s.db.AddAPIKey(ctx, auth.Key{Name: "till"}, kept, 0))
			s.reaches(t, "a key", func(n *node.State) bool { return n.Keys[kept] != nil })
			keys, err := s.db.APIKeys(ctx)
			require.NoError(t, err)
			require.NoError(t, s.db.RevokeAPIKey(ctx, keys[0].ID))
			s.reaches(t, "that it was revoked", func(n *node.State) bool { return n.Keys[kept] == nil })
			if keeps {
				require.Eventually(
					t,
					func() bool { return s.box.Sent().Edition == next },
					10*time.Second,
					10*time.Millisecond,
				)
				assert.Empty(t, s.box.Sent().Problem)
				return
			}
			require.Eventually(
				t,
				func() bool { return s.box.Sent().Problem != "" },
				10*time.Second,
				10*time.Millisecond,
			)
			assert.Zero(t, s.box.Sent().Edition)
		})
	}
}

// The order of manifests is a counter: a clock that was ahead, or a backup that is restored, has no node pass over what
// comes after.
func TestManifestsAreCountedWhateverTheClockSays(t *testing.T) {
	s := startSender(t, startBroker(t, true))
	first := s.publish(t)
	s.reaches(t, "the first edition", func(n *node.State) bool { return n.Live != nil && n.Live.Number == first })
	before := s.node.State().Manifest.Issued
	_, err := s.d.Edit(t.Context(), func(f *store.File) error { f.Methods[0].Name = "Another"; return nil })
	require.NoError(t, err)
	next := s.publish(t)
	s.reaches(t, "the second", func(n *node.State) bool { return n.Live.Number == next })
	assert.Less(t, s.node.State().Manifest.Issued, before+100, "it counts")

	// What the brokers keep is far ahead, as by an earlier version whose clock was.
	ahead := *s.node.State().Manifest
	ahead.Issued += int64(400 * 24 * time.Hour)
	signed, err := manifest.Sign(&ahead, s.box.private)
	require.NoError(t, err)
	require.NoError(t, s.box.broker.Publish(t.Context(), signed))
	s.reaches(t, "what is ahead", func(n *node.State) bool { return n.Manifest.Issued == ahead.Issued })
	s.box.behind(t.Context())
	s.reaches(t, "a manifest that comes after it", func(n *node.State) bool { return n.Manifest.Issued > ahead.Issued })
	require.Eventually(t, func() bool { return s.node.Stale() == "" }, time.Minute, 10*time.Millisecond)

	// A node says that it is stale where it does not hear of the shop.
	s.stop()
	require.Eventually(t, func() bool { return strings.Contains(s.node.Stale(), "the shop was heard of") }, time.Minute,
		50*time.Millisecond)
}
