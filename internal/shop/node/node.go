// Package node quotes for a shop from what the shop has published to its brokers, without a database of its own.
//
// What it takes is signed by the shop and named by its hashes; it is verified before anything is quoted from it, kept
// on the disk, and put in place of what was before in one step. Where neither the shop nor a broker can be reached a
// node goes on with what it has, after a start too.
package node

import (
	"context"
	"crypto/ed25519"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/files"
	"diadrom/internal/shop/held"
	"diadrom/internal/shop/manifest"
	"diadrom/internal/shop/secrets"
	"diadrom/internal/shop/services"
)

// Broker has what the shop has published.
type Broker interface {
	Watch(ctx context.Context, do func(ctx context.Context, signed string) error)
	Get(ctx context.Context, name string) ([]byte, error)
	Connected() bool
	Trouble() string // why not; "" where that is not known
	Heard() (at time.Time, issued int64)
}

// Edition is an edition that quotes are made from.
type Edition struct {
	Number int64
	Hash   string
	Engine *quote.Engine
}

// State is what a node quotes from at a moment; it does not change.
type State struct {
	Manifest *manifest.Manifest
	Live     *Edition // nil where nothing is live
	Keys     map[string]*manifest.Key
	Holds    *held.Keys
	At       time.Time // when it was put in place

	former  []*former
	places  *gazetteer.Gazetteer
	objects map[string]*Edition // that are ready, by the names of their objects
}

// former is an edition that gave way: it is made ready when a checkout is pinned to it.
type former struct {
	manifest.Former
	once    sync.Once
	edition *Edition
	load    func() (*Edition, error)
	log     *slog.Logger
}

func (f *former) ready() *Edition {
	f.once.Do(func() {
		e, err := f.load()
		if err != nil {
			f.log.Error("a former edition cannot be quoted from", "edition", f.Edition, "error", err)
			return
		}
		f.edition = e
	})
	return f.edition
}

// Pinned is the edition of a number: the live one, or one that gave way so short a time ago that a checkout may still
// be pinned to it.
func (s *State) Pinned(number int64, now time.Time) *Edition {
	if s.Live != nil && s.Live.Number == number {
		return s.Live
	}
	for _, f := range s.former {
		if f.Edition == number && now.Unix() < f.Until {
			return f.ready()
		}
	}
	return nil
}

// Node is a node of a shop.
type Node struct {
	dir    string
	shop   string
	public ed25519.PublicKey
	vault  *secrets.Vault
	local  bool
	files  *files.Reader
	log    *slog.Logger

	mu       sync.Mutex // held while something is put in place
	settings string     // with which the services are asked
	asks     *services.Services
	state    atomic.Pointer[State]
	broker   Broker
	passed   atomic.Int64 // manifests that were passed over
	late     late
}

// Options say how a node runs.
type Options struct {
	Dir   string        // where it keeps what it quotes from
	Join  []byte        // the join file
	Local bool          // whether services at addresses that are not public may be asked
	Files *files.Reader // reads tariff files; nil where this process does
	Log   *slog.Logger
}

// Open makes a node, which quotes from what it has on its disk, if that is whole.
func Open(o Options) (*Node, manifest.Join, error) {
	join, public, vault, err := manifest.ParseJoin(o.Join)
	if err != nil {
		return nil, join, err
	}
	n := &Node{dir: o.Dir, shop: join.Shop, public: public, vault: secrets.Of(vault), local: o.Local,
		files: o.Files, log: o.Log}
	if err := os.MkdirAll(n.objectDir(), 0o700); err != nil {
		return nil, join, err
	}
	signed, err := os.ReadFile(n.livePath())
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return n, join, nil
	case err != nil:
		return nil, join, err
	}
	if err := n.take(context.Background(), string(signed), false); err != nil {
		o.Log.Error("what was kept on the disk cannot be quoted from; it is fetched anew", "error", err)
	}
	return n, join, nil
}

func (n *Node) livePath() string  { return filepath.Join(n.dir, "live.jws") }
func (n *Node) objectDir() string { return filepath.Join(n.dir, "objects") }

// State is what the node quotes from at the moment; nil for nothing.
func (n *Node) State() *State { return n.state.Load() }

// Connected says whether a broker is connected.
func (n *Node) Connected() bool { return n.broker != nil && n.broker.Connected() }

// Use has a node fetch from a broker. It goes before [Node.Follow].
func (n *Node) Use(b Broker) { n.broker = b }

// Follow takes what is published until the context ends.
func (n *Node) Follow(ctx context.Context) {
	go n.sayWhenStale(ctx)
	n.broker.Watch(ctx, func(ctx context.Context, signed string) error {
		err := n.take(ctx, signed, true)
		switch {
		case errors.Is(err, ErrOlder): // brokers may keep a former one for a while, once the shop has told a newer one
			n.log.Warn("what was published is passed over", "error", err)
			n.passed.Add(1)
			return nil
		case err != nil && ctx.Err() == nil:
			n.log.Error("what was published is not taken", "error", err)
		}
		if errors.Is(err, manifest.ErrForged) {
			return nil // it does not become better
		}
		return err
	})
}

// ErrOlder is returned for a manifest that was issued before the one in place: somebody plays an old one back.
var ErrOlder = errors.New("this manifest is older than the one in place")

// fetchWithin is how long fetching all objects of a manifest may take.
const fetchWithin = 60 * time.Second

// take verifies a manifest with its objects and puts it in place; keep has it kept on the disk first.
func (n *Node) take(ctx context.Context, signed string, keep bool) error {
	n.mu.Lock()
	defer n.mu.Unlock()
	m, err := manifest.Open(signed, n.shop, n.public)
	if err != nil {
		return err
	}
	was := n.state.Load()
	if was != nil && m.Issued <= was.Manifest.Issued {
		if m.Issued == was.Manifest.Issued {
			return nil
		}
		return fmt.Errorf("%w: it is number %d, and %d is in place", ErrOlder, m.Issued, was.Manifest.Issued)
	}
	ctx, stop := context.WithTimeout(ctx, fetchWithin)
	defer stop()
	next, err := n.made(ctx, m, was)
	if err != nil {
		return err
	}
	if keep {
		if err := n.keep(signed, m); err != nil {
			n.log.Error(
				"what was published is not kept on the disk: a start without brokers would quote from what was "+
					"before",
				"error",
				err,
			)
		}
	}
	n.state.Store(next)
	n.log.Info("quoting", "edition", m.Edition, "keys", len(m.Keys))
	return nil
}

// made makes what is quoted from ready. What is the same as before is taken over.
func (n *Node) made(ctx context.Context, m *manifest.Manifest, was *State) (*State, error) {
	next := &State{Manifest: m, Keys: map[string]*manifest.Key{}, At: time.Now(), objects: map[string]*Edition{}}
	for i := range m.Keys {
		next.Keys[m.Keys[i].Kept] = &m.Keys[i]
	}
	var err error
	if next.Holds, err = held.Of(m.Signing, n.vault, n.log); err != nil {
		return nil, err
	}
	changed, err := n.ask(m.Settings)
	if err != nil {
		return nil, err
	}
	samePlaces := was != nil && was.Manifest.Places == m.Places
	if samePlaces {
		next.places = was.places
	} else if m.Places != "" {
		body, err := n.object(ctx, m.Places)
		if err != nil {
			return nil, err
		}
		if next.places, err = manifest.ReadPlaces(m.Places, body); err != nil {
			return nil, err
		}
	}
	asks, places := n.asks, next.places
	edition := func(number int64, hash, object string) (*Edition, error) {
		f, err := n.store(ctx, hash, object)
		if err != nil {
			return nil, err
		}
		engine := quote.Compile(f, places).Asking(asks.Outside).AskingCarriers(asks.Carriers.Buyers())
		return &Edition{Number: number, Hash: hash, Engine: engine}, nil
	}
	known := func(number int64, hash, object string) *Edition {
		if was == nil || !samePlaces || changed {
			return nil
		}
		if e := was.objects[object]; e != nil && e.Number == number && e.Hash == hash {
			return e
		}
		return nil
	}
	if m.Edition != 0 {
		if next.Live = known(m.Edition, m.Hash, m.Store); next.Live == nil {
			if next.Live, err = edition(m.Edition, m.Hash, m.Store); err != nil {
				return nil, err
			}
		}
		next.objects[m.Store] = next.Live
	}
	for i, f := range m.Former {
		of := &former{Former: f, log: n.log, load: func() (*Edition, error) {
			if e := known(f.Edition, f.Hash, f.Store); e != nil {
				return e, nil
			}
			ctx = context.Background()
			return edition(f.Edition, f.Hash, f.Store)
		}}
		if e := known(f.Edition, f.Hash, f.Store); e != nil && i < maxReady {
			next.objects[f.Store] = e
			of.load = func() (*Edition, error) { return e, nil }
		}
		if _, err := n.object(ctx, f.Store); err != nil {
			n.log.Warn("checkouts cannot be pinned to a former edition", "edition", f.Edition, "error", err)
		}
		next.former = append(next.former, of)
	}
	return next, nil
}

// maxReady is how many former editions are kept ready; others are made so when they are asked for.
const maxReady = 3

// store reads the store file of an edition.
func (n *Node) store(ctx context.Context, hash, object string) (*store.File, error) {
	body, err := n.object(ctx, object)
	if err != nil {
		return nil, err
	}
	return manifest.ReadStore(object, hash, body)
}

// settingsOf keeps settings in memory.
type settingsOf map[string]string

func (s settingsOf) Settings(context.Context) (map[string]string, error) { return maps.Clone(s), nil }
func (s settingsOf) SaveSetting(context.Context, string, string) error {
	return errors.New("a node has no settings of its own")
}

// ask has services be asked as the shop asks them, and says whether that is otherwise than before.
func (n *Node) ask(set map[string]string) (changed bool, err error) {
	var text strings.Builder
	for _, name := range slices.Sorted(maps.Keys(set)) {
		fmt.Fprintf(&text, "%q=%q\n", name, set[name])
	}
	if n.asks != nil && text.String() == n.settings {
		return false, nil
	}
	asks, err := services.Open(context.Background(), settingsOf(set), services.Options{Vault: n.vault, Local: n.local,
		Standins: map[string]*services.Standin{}, Files: n.files})
	if err != nil {
		return false, err
	}
	n.asks, n.settings = asks, text.String()
	return true, nil
}

// object gives an object: from the disk, or else from a broker, and then it is kept. What is not what its name says is
// fetched anew.
func (n *Node) object(ctx context.Context, name string) ([]byte, error) {
	path := filepath.Join(n.objectDir(), name)
	if filepath.Base(path) != name {
		return nil, fmt.Errorf("the object %.40q has no name of an object", name)
	}
	if body, err := os.ReadFile(path); err == nil {
		if _, err := manifest.Unpack(name, body); err == nil {
			return body, nil
		}
		n.log.Warn("an object on the disk is damaged, and is fetched anew", "object", name)
	}
	if n.broker == nil {
		return nil, fmt.Errorf("the object %.40s is not on the disk", name)
	}
	body, err := n.broker.Get(ctx, name)
	if err != nil {
		return nil, fmt.Errorf("the object %.40s: %w", name, err)
	}
	if _, err := manifest.Unpack(name, body); err != nil {
		return nil, err
	}
	if err := write(path, body); err != nil {
		n.log.Warn("an object is not kept on the disk", "object", name, "error", err)
	}
	return body, nil
}

// keep has a manifest be what the node starts with, and removes objects that it does not name.
func (n *Node) keep(signed string, m *manifest.Manifest) error {
	if err := write(n.livePath(), []byte(signed)); err != nil {
		return err
	}
	entries, err := os.ReadDir(n.objectDir())
	if err != nil {
		return err
	}
	names := m.Objects()
	for _, e := range entries {
		if !slices.Contains(names, e.Name()) {
			if err := os.Remove(filepath.Join(n.objectDir(), e.Name())); err != nil {
				return err
			}
		}
	}
	return nil
}

// write writes a file that is there whole, or not at all, after the power goes too.
func write(path string, body []byte) error {
	f, err := os.CreateTemp(filepath.Dir(path), ".part-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name()) // where it was not renamed
	_, err = f.Write(body)
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return err
	}
	if err := os.Rename(f.Name(), path); err != nil {
		return err
	}
	dir, err := os.Open(filepath.Dir(path))
	if err != nil {
		return err
	}
	return errors.Join(dir.Sync(), dir.Close())
}
