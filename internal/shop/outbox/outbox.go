// Package outbox sends what a shop's nodes quote from to its brokers, whenever it changes: what is live, the keys of
// the API and of held quotes, lists of places, services.
//
// It looks at the database and not at who changed it, so that nothing is lost where the program is killed between a
// change and its sending, or where another process made it.
package outbox

import (
	"cmp"
	"context"
	"crypto/ed25519"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"diadrom/internal/core/quote"
	"diadrom/internal/shop/broker"
	"diadrom/internal/shop/manifest"
	"diadrom/internal/shop/secrets"
	"diadrom/internal/sqlite"
)

// Pinned is how long after it gave way a checkout may be pinned to an edition.
const Pinned = time.Hour

// MaxFormer is how many editions that gave way a checkout may be pinned to.
const MaxFormer = 20

// Broker takes what is sent.
type Broker interface {
	Prepare(ctx context.Context) error
	Put(ctx context.Context, name string, body []byte) error
	Publish(ctx context.Context, signed string) error
	Live(ctx context.Context) (string, error)
	Sweep(ctx context.Context, keep []string) error
	Tell(ctx context.Context, s broker.Source, changed <-chan struct{}) error
}

// Services are the services that quotes of the shop ask.
type Services interface {
	Elsewhere() map[string]string
}

// Outbox is that of a shop.
type Outbox struct {
	shop     string
	db       *sqlite.DB
	broker   Broker
	services Services
	private  ed25519.PrivateKey
	log      *slog.Logger

	packed  map[int64]packed // objects of editions, by their numbers
	places  places
	kept    map[string]bool // objects that the brokers keep
	changed chan struct{}
	order   int64        // of the last manifest; 0 before the first
	seen    atomic.Int64 // an order that the next manifest comes after
	again   atomic.Bool  // another manifest is made whether something has changed or not

	mu      sync.Mutex
	sent    Sent
	unread  string // why what has changed cannot be read
	signed  string
	issued  int64
	objects map[string][]byte // that the manifest names
}

type packed struct {
	hash, object string
	body         []byte
}

type places struct {
	version, object string
	body            []byte
}

// Now is the signed manifest, and when it was issued.
func (o *Outbox) Now() (signed string, issued int64) {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.signed, o.issued
}

// Object is an object that the manifest names; nil for none.
func (o *Outbox) Object(name string) []byte {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.objects[name]
}

// Sent is what was sent last.
type Sent struct {
	Edition int64
	At      time.Time // zero for never
	Problem string    // why what has changed since is not sent yet; "" where nothing has
}

// keySetting keeps the key that signs manifests, sealed.
const keySetting = "nodes_key"

// purpose is what that key is sealed for.
const purpose = "manifests of nodes"

// ErrKey is returned for a key that signs for nodes and cannot be opened.
var ErrKey = errors.New("the key that signs for nodes cannot be opened: put the file " + sqlite.KeyName +
	" back and start again, or make a new key with diadrom nodes renew-key and give nodes a new join file")

// RenewKey makes a new key that signs for the nodes of a shop. Nodes take nothing that it signs before they are started
// with a new join file.
func RenewKey(ctx context.Context, db *sqlite.DB, vault *secrets.Vault) error {
	_, err := newKey(ctx, db, vault)
	return err
}

// Key is the key of a shop that signs manifests; it is made when it is first asked for.
func Key(ctx context.Context, db *sqlite.DB, vault *secrets.Vault) (ed25519.PrivateKey, error) {
	set, err := db.Settings(ctx)
	if err != nil {
		return nil, err
	}
	if kept := set[keySetting]; kept != "" {
		return openKey(kept, vault)
	}
	return newKey(ctx, db, vault)
}

// CheckKey says whether the key of a shop can be opened, [ErrKey] where it cannot. A shop that has none is sound.
func CheckKey(ctx context.Context, db *sqlite.DB, vault *secrets.Vault) error {
	set, err := db.Settings(ctx)
	if err != nil || set[keySetting] == "" {
		return err
	}
	_, err = openKey(set[keySetting], vault)
	return err
}

func openKey(sealed string, vault *secrets.Vault) (ed25519.PrivateKey, error) {
	text, err := vault.Open(sealed, purpose)
	if err != nil {
		return nil, fmt.Errorf("%w (%w)", ErrKey, err)
	}
	seed, err := base64.StdEncoding.DecodeString(text)
	if err != nil || len(seed) != ed25519.SeedSize {
		return nil, ErrKey
	}
	return ed25519.NewKeyFromSeed(seed), nil
}

func newKey(ctx context.Context, db *sqlite.DB, vault *secrets.Vault) (ed25519.PrivateKey, error) {
	_, private, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		return nil, err
	}
	sealed, err := vault.Seal(base64.StdEncoding.EncodeToString(private.Seed()), purpose)
	if err != nil {
		return nil, err
	}
	return private, db.SaveSetting(ctx, keySetting, sealed)
}

// New makes the outbox of a shop, under its name at the brokers.
func New(ctx context.Context, shop string, db *sqlite.DB, b Broker, s Services, log *slog.Logger) (*Outbox, error) {
	private, err := Key(ctx, db, secrets.New(db.Dir()))
	if err != nil {
		return nil, err
	}
	return &Outbox{shop: shop, db: db, broker: b, services: s, private: private, log: log, packed: map[int64]packed{},
		kept: map[string]bool{}, changed: make(chan struct{}, 1)}, nil
}

func (o *Outbox) public() ed25519.PublicKey { return o.private.Public().(ed25519.PublicKey) }

// Sent says what was sent last.
func (o *Outbox) Sent() Sent {
	o.mu.Lock()
	defer o.mu.Unlock()
	s := o.sent
	s.Problem = cmp.Or(o.unread, s.Problem)
	return s
}

// Times of sending: how often the shop is looked at, how long after a failure it is tried again, and how long sending
// may take: at first, since what was sent when a broker went is not answered any more, and then twice as long each
// time.
const (
	lookEvery     = 150 * time.Millisecond
	againAfter    = 300 * time.Millisecond
	sendWithin    = 2 * time.Second
	maxSendWithin = 60 * time.Second
)

// Run sends what changes until the context ends: nodes that run are told at once, whether or not the brokers keep it
// yet. What fails is logged once, and tried again.
func (o *Outbox) Run(ctx context.Context) {
	var working sync.WaitGroup
	defer working.Wait()
	working.Go(func() {
		if err := o.broker.Tell(ctx, o, o.changed); err != nil {
			o.log.Error("the nodes are told by what the brokers keep alone", "error", err)
		}
	})
	waits := make(chan *made, 1) // the last one that is not kept yet
	working.Go(func() { o.keep(ctx, waits) })
	stamp := ""
	for every := time.NewTicker(lookEvery); ; {
		is, err := o.db.Outgoing(ctx)
		if err == nil && (is != stamp || o.again.Swap(false)) {
			var m *made
			if m, err = o.make(ctx); err == nil {
				stamp = is
				select {
				case <-waits:
				default:
				}
				waits <- m
			}
		}
		if ctx.Err() == nil {
			o.read(err)
		}
		select {
		case <-ctx.Done():
			every.Stop()
			return
		case <-every.C:
		}
	}
}

// keep has the brokers keep the last manifest that was made, and tries again until they do or another one has been
// made.
func (o *Outbox) keep(ctx context.Context, waits <-chan *made) {
	prepared, patience := false, sendWithin
	var m *made
	for {
		if m == nil {
			select {
			case <-ctx.Done():
				return
			case m = <-waits:
			}
		}
		within, stop := context.WithTimeout(ctx, patience)
		var err error
		if !prepared { // the brokers may have lost what they kept
			o.kept = map[string]bool{}
			err = o.broker.Prepare(within)
			if prepared = err == nil; prepared {
				o.behind(within)
			}
		}
		if err == nil {
			err = o.send(within, m)
		}
		stop()
		if ctx.Err() != nil {
			return
		}
		o.told(err)
		if err == nil {
			m, patience = nil, sendWithin
			continue
		}
		prepared, patience = false, min(2*patience, maxSendWithin)
		select {
		case <-ctx.Done():
			return
		case m = <-waits:
		case <-time.After(againAfter):
		}
	}
}

// made is a manifest as it is sent, with its objects.
type made struct {
	manifest *manifest.Manifest
	signed   string
	objects  map[string][]byte
}

// make says what is so now, and has the nodes that can be reached told of it at once.
func (o *Outbox) make(ctx context.Context) (*made, error) {
	m, objects, err := o.manifest(ctx)
	if err != nil {
		return nil, err
	}
	if m.Issued, err = o.next(ctx); err != nil {
		return nil, err
	}
	signed, err := manifest.Sign(m, o.private)
	if err != nil {
		return nil, err
	}
	o.mu.Lock()
	o.signed, o.issued, o.objects = signed, m.Issued, objects
	o.mu.Unlock()
	select {
	case o.changed <- struct{}{}:
	default:
	}
	return &made{m, signed, objects}, nil
}

// read keeps whether what has changed could be read.
func (o *Outbox) read(err error) {
	o.mu.Lock()
	defer o.mu.Unlock()
	switch {
	case err == nil:
		o.unread = ""
	case o.unread == "":
		o.log.Error("what has changed cannot be told to nodes, and is tried again", "error", err)
		o.unread = err.Error()
	}
}

// told keeps what became of sending.
func (o *Outbox) told(err error) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if err != nil {
		if o.sent.Problem == "" {
			o.log.Error("the brokers do not keep what has changed yet: nodes that run are told, and it is tried again",
				"error", err)
		}
		o.sent.Problem = err.Error()
		return
	}
	if o.sent.Problem != "" {
		o.log.Info("the brokers keep again what changes")
	}
	o.sent.Problem = ""
}

// send has the brokers keep a manifest with its objects.
func (o *Outbox) send(ctx context.Context, m *made) error {
	names := m.manifest.Objects()
	for _, name := range names {
		if o.kept[name] {
			continue
		}
		if err := o.broker.Put(ctx, name, m.objects[name]); err != nil {
			return err
		}
		o.kept[name] = true
	}
	if err := o.broker.Publish(ctx, m.signed); err != nil {
		return err
	}
	o.mu.Lock()
	o.sent = Sent{Edition: m.manifest.Edition, At: time.Now(), Problem: o.sent.Problem}
	o.mu.Unlock()
	o.log.Info("the brokers keep what nodes quote from", "edition", m.manifest.Edition)
	for name := range o.kept {
		if !slices.Contains(names, name) {
			delete(o.kept, name)
		}
	}
	if err := o.broker.Sweep(ctx, names); err != nil {
		o.log.Warn("old objects stay at the brokers", "error", err)
	}
	return nil
}

// manifest says what is so now, with its objects.
func (o *Outbox) manifest(ctx context.Context) (_ *manifest.Manifest, objects map[string][]byte, err error) {
	objects = map[string][]byte{}
	used := map[int64]packed{}
	m := &manifest.Manifest{Shop: o.shop, Settings: o.services.Elsewhere()}
	live, err := o.db.Live(ctx)
	if err != nil {
		return nil, nil, err
	}
	if live.Edition != 0 {
		p, err := o.pack(ctx, live.Edition)
		if err != nil {
			return nil, nil, err
		}
		m.Edition, m.Hash, m.Store = live.Edition, p.hash, p.object
		objects[p.object], used[live.Edition] = p.body, p
	}
	formers, err := o.db.Formers(ctx, time.Now().Add(-Pinned), MaxFormer)
	if err != nil {
		return nil, nil, err
	}
	for _, f := range formers {
		p, err := o.pack(ctx, f.Edition)
		if err != nil {
			o.log.Warn("checkouts cannot be pinned to a former edition", "edition", f.Edition, "error", err)
			continue
		}
		objects[p.object], used[f.Edition] = p.body, p
		m.Former = append(m.Former, manifest.Former{Edition: f.Edition, Hash: p.hash, Store: p.object,
			Until: f.Until.Add(Pinned).Unix()})
	}
	o.packed = used
	keys, err := o.db.APIKeys(ctx)
	if err != nil {
		return nil, nil, err
	}
	for _, k := range keys {
		if k.Revoked.IsZero() {
			m.Keys = append(m.Keys, manifest.Key{Key: k.Key, Kept: k.Kept})
		}
	}
	if m.Signing, err = o.db.SigningKeys(ctx, time.Now().Add(-quote.MaxHold-time.Minute)); err != nil {
		return nil, nil, err
	}
	if err := o.packPlaces(ctx); err != nil {
		return nil, nil, err
	}
	if m.Places = o.places.object; m.Places != "" {
		objects[m.Places] = o.places.body
	}
	return m, objects, nil
}

// pack makes an object of the store file of an edition.
func (o *Outbox) pack(ctx context.Context, edition int64) (packed, error) {
	p, known := o.packed[edition]
	if known {
		return p, nil
	}
	body, hash, err := o.db.EditionFile(ctx, edition)
	if err != nil {
		return p, err
	}
	if sum := sha256.Sum256(body); hex.EncodeToString(sum[:]) != hash {
		return p, fmt.Errorf("edition %d is not sent: %w", edition, sqlite.ErrDamaged)
	}
	name, object := manifest.Pack("store", body)
	return packed{hash, name, object}, nil
}

// packPlaces makes an object of the lists of places, where they have changed.
func (o *Outbox) packPlaces(ctx context.Context) error {
	version, err := o.db.PlacesVersion(ctx)
	if err != nil || version == o.places.version {
		return err
	}
	g, err := o.db.LoadPlaces(ctx)
	if err != nil {
		return err
	}
	name, body, err := manifest.PackPlaces(g)
	if err == nil {
		o.places = places{version, name, body}
	}
	return err
}
