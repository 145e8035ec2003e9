// Package outbox sends what a shop's nodes quote from to its brokers, whenever it changes: what is live, the keys of the
// API and of held quotes, lists of places, services.
//
// It looks at the database and not at who changed it, so that nothing is lost where the program is killed between a
// change and its sending, or where another process made it.
package outbox

import (
	"context"
	"crypto/ed25519"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/quote"
	"diadrom/internal/shop/manifest"
	"diadrom/internal/shop/secrets"
	"diadrom/internal/sqlite"
)

// Pinned is how long after it gave way a checkout may be pinned to an edition.
const Pinned = time.Hour

// MaxFormer is how many editions that gave way a checkout may be pinned to.
const MaxFormer = 4

// Broker takes what is sent.
type Broker interface {
	Prepare(ctx context.Context) error
	Put(ctx context.Context, name string, body []byte) error
	Publish(ctx context.Context, signed string) error
	Sweep(ctx context.Context, keep []string) error
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

	packed map[int64]packed // objects of editions, by their numbers
	places struct{ version, object string }

	mu   sync.Mutex
	sent Sent
}

type packed struct{ hash, object string }

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

// Key is the key of a shop that signs manifests; it is made when it is first asked for.
func Key(ctx context.Context, db *sqlite.DB, vault *secrets.Vault) (ed25519.PrivateKey, error) {
	set, err := db.Settings(ctx)
	if err != nil {
		return nil, err
	}
	if kept := set[keySetting]; kept != "" {
		text, err := vault.Open(kept, purpose)
		if err != nil {
			return nil, fmt.Errorf("the key that signs for nodes cannot be opened: put back the file %s, or remove the setting "+
				"%s and make new join files: %w", sqlite.KeyName, keySetting, err)
		}
		seed, err := base64.StdEncoding.DecodeString(text)
		if err != nil || len(seed) != ed25519.SeedSize {
			return nil, secrets.ErrUnreadable
		}
		return ed25519.NewKeyFromSeed(seed), nil
	}
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
	return &Outbox{shop: shop, db: db, broker: b, services: s, private: private, log: log, packed: map[int64]packed{}}, nil
}

// Sent says what was sent last.
func (o *Outbox) Sent() Sent {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.sent
}

// Times of sending: how often the shop is looked at, how long after a failure it is tried again, and how long sending
// may take.
const (
	lookEvery  = 150 * time.Millisecond
	againAfter = 700 * time.Millisecond
	sendWithin = 20 * time.Second
)

// Run sends what changes until the context ends. What fails is told once, and tried again.
func (o *Outbox) Run(ctx context.Context) {
	sent, prepared := "", false
	wait := time.Duration(0)
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(wait):
		}
		wait = lookEvery
		stamp, err := o.db.Outgoing(ctx)
		if err == nil && stamp == sent {
			continue
		}
		if err == nil {
			within, stop := context.WithTimeout(ctx, sendWithin)
			if !prepared { // the brokers may have lost what was sent
				o.packed, o.places.version = map[int64]packed{}, ""
				err = o.broker.Prepare(within)
				prepared = err == nil
			}
			if err == nil {
				err = o.send(within)
			}
			stop()
		}
		if ctx.Err() != nil {
			return
		}
		o.told(err)
		if err != nil {
			wait, prepared = againAfter, false
			continue
		}
		sent = stamp
	}
}

// told keeps what became of sending.
func (o *Outbox) told(err error) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if err != nil {
		if o.sent.Problem == "" {
			o.log.Error("the nodes could not be told what has changed; it is tried again", "error", err)
		}
		o.sent.Problem = err.Error()
		return
	}
	if o.sent.Problem != "" {
		o.log.Info("the nodes are told again what changes")
	}
	o.sent.Problem = ""
}

// send sends what is so now.
func (o *Outbox) send(ctx context.Context) error {
	m, err := o.manifest(ctx)
	if err != nil {
		return err
	}
	signed, err := manifest.Sign(m, o.private)
	if err != nil {
		return err
	}
	if err := o.broker.Publish(ctx, signed); err != nil {
		return err
	}
	o.mu.Lock()
	o.sent = Sent{Edition: m.Edition, At: time.Now(), Problem: o.sent.Problem}
	o.mu.Unlock()
	o.log.Info("the nodes are told", "edition", m.Edition)
	keep := m.Objects()
	for edition, p := range o.packed {
		if !slices.Contains(keep, p.object) {
			delete(o.packed, edition)
		}
	}
	if err := o.broker.Sweep(ctx, keep); err != nil {
		o.log.Warn("old objects stay at the brokers", "error", err)
	}
	return nil
}

// manifest says what is so now, with its objects at the brokers.
func (o *Outbox) manifest(ctx context.Context) (*manifest.Manifest, error) {
	m := &manifest.Manifest{Shop: o.shop, Issued: time.Now().UnixNano(), Settings: o.services.Elsewhere()}
	live, err := o.db.Live(ctx)
	if err != nil {
		return nil, err
	}
	if live.Edition != 0 {
		p, err := o.pack(ctx, live.Edition)
		if err != nil {
			return nil, err
		}
		m.Edition, m.Hash, m.Store = live.Edition, p.hash, p.object
	}
	formers, err := o.db.Formers(ctx, time.Now().Add(-Pinned), MaxFormer)
	if err != nil {
		return nil, err
	}
	for _, f := range formers {
		p, err := o.pack(ctx, f.Edition)
		if err != nil {
			o.log.Warn("checkouts cannot be pinned to a former edition", "edition", f.Edition, "error", err)
			continue
		}
		m.Former = append(m.Former, manifest.Former{Edition: f.Edition, Hash: p.hash, Store: p.object,
			Until: f.Until.Add(Pinned).Unix()})
	}
	keys, err := o.db.APIKeys(ctx)
	if err != nil {
		return nil, err
	}
	for _, k := range keys {
		if k.Revoked.IsZero() {
			m.Keys = append(m.Keys, manifest.Key{Key: k.Key, Kept: k.Kept})
		}
	}
	if m.Signing, err = o.db.SigningKeys(ctx, time.Now().Add(-quote.MaxHold-time.Minute)); err != nil {
		return nil, err
	}
	m.Places, err = o.packPlaces(ctx)
	return m, err
}

// pack puts the store file of an edition at the brokers.
func (o *Outbox) pack(ctx context.Context, edition int64) (packed, error) {
	p, known := o.packed[edition]
	if known {
		return p, nil
	}
	body, hash, err := o.db.EditionFile(ctx, edition)
	if err != nil {
		return p, err
	}
	name, object := manifest.Pack("store", body)
	if sum := sha256.Sum256(body); hex.EncodeToString(sum[:]) != hash {
		return p, fmt.Errorf("edition %d is not sent: %w", edition, sqlite.ErrDamaged)
	}
	if err := o.broker.Put(ctx, name, object); err != nil {
		return p, err
	}
	p = packed{hash, name}
	o.packed[edition] = p
	return p, nil
}

// packPlaces puts the lists of places at the brokers, where they have changed.
func (o *Outbox) packPlaces(ctx context.Context) (object string, err error) {
	version, err := o.db.PlacesVersion(ctx)
	if err != nil || version == o.places.version && version != "" {
		return o.places.object, err
	}
	var g *gazetteer.Gazetteer
	if g, err = o.db.LoadPlaces(ctx); err != nil {
		return "", err
	}
	name, body, err := manifest.PackPlaces(g)
	if err != nil {
		return "", err
	}
	if name != "" {
		if err := o.broker.Put(ctx, name, body); err != nil {
			return "", err
		}
	}
	o.places.version, o.places.object = version, name
	return name, nil
}
