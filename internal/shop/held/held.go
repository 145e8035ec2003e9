// Package held signs the quotes that a shop holds, so that it can verify later, with the public key alone, that these
// options were quoted for this request and are still held.
//
// A token is a JWS in compact form (RFC 7515), signed with Ed25519 (EdDSA, RFC 8037). Its keys are replaced every 90
// days; one that signs no more is published until the last quote that it signed has expired.
package held

import (
	"context"
	"crypto/ed25519"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"sync/atomic"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/quote"
	"diadrom/internal/shop/secrets"
	"diadrom/internal/sqlite"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-json-experiment/json/jsontext"
)

// Type is the typ of a token's header, which tells it from other tokens.
const Type = "diadrom-quote+jwt"

const (
	// KeyLife is how long a key signs.
	KeyLife = 90 * 24 * time.Hour
	// Purpose is what private keys are sealed for, with their id behind it.
	Purpose = "signing of held quotes "
	// slack is how long after its retirement a key may still sign a quote that was under way.
	slack = time.Minute
	// maxToken is the longest token that is read, in bytes.
	maxToken = 64 << 10
)

// Claims is what a token says.
type Claims struct {
	ID      string `json:"jti"`
	Issued  int64  `json:"iat"` // seconds since 1970, as Expires
	Expires int64  `json:"exp"`
	Edition int64  `json:"edition"`
	Store   string `json:"store_sha256"` // of the edition's store file, in hexadecimal
	// Request is the SHA-256 of the canonical request, in hexadecimal: see [RequestHash].
	Request  string   `json:"request_sha256"`
	Currency string   `json:"currency"`
	Options  []Option `json:"options"`
}

// Option is an option that is held: decimals as strings.
type Option struct {
	Method  string `json:"method"`
	Service string `json:"service,omitempty"`
	Charge  string `json:"charge"`
	Tax     string `json:"tax"`
	Total   string `json:"total"`
}

// RequestHash is the SHA-256, in hexadecimal, of a request in its canonical form: the JSON as it was sent without its
// member hold, by the JSON Canonicalization Scheme (RFC 8785). Nothing else is left out, since what is empty may mean
// something beside a sku.
func RequestHash(request []byte) (string, error) {
	var members map[string]json.RawMessage
	if err := json.Unmarshal(request, &members); err != nil {
		return "", err
	}
	delete(members, "hold")
	body, err := json.Marshal(members)
	if err != nil {
		return "", err
	}
	canonical := jsontext.Value(body)
	if err := canonical.Canonicalize(); err != nil {
		return "", err
	}
	sum := sha256.Sum256(canonical)
	return hex.EncodeToString(sum[:]), nil
}

// key is a pair of keys; private is nil where it signs no more.
type key struct {
	id      string
	public  ed25519.PublicKey
	signer  jose.Signer
	made    time.Time
	retired time.Time
}

// Keys are the keys of a shop with which its quotes are held. They are safe for many goroutines.
type Keys struct {
	db    *sqlite.DB
	vault *secrets.Vault
	log   *slog.Logger
	list  atomic.Pointer[[]key] // the one that signs first
	jwks  atomic.Pointer[[]byte]
	now   func() time.Time
}

// Open reads the keys of a shop and makes a first one where none can sign. Keys turn and expire by now, which is
// time.Now outside of tests.
func Open(
	ctx context.Context, db *sqlite.DB, dir string, log *slog.Logger, now func() time.Time,
) (*Keys, error) {
	k := &Keys{db: db, vault: secrets.New(dir), log: log, now: now}
	return k, k.Turn(ctx)
}

// Of are the keys of a shop elsewhere, the one that signs first, with the vault that they were sealed with. They are not
// turned here.
func Of(list []sqlite.SigningKey, vault *secrets.Vault, log *slog.Logger) (*Keys, error) {
	k := &Keys{vault: vault, log: log, now: time.Now}
	return k, k.use(list)
}

// Turn makes the key of now sign no longer where it has done so for [KeyLife], and forgets keys whose last quotes have
// expired.
func (k *Keys) Turn(ctx context.Context) error {
	if err := k.load(ctx); err != nil {
		return err
	}
	list := *k.list.Load()
	if len(list) == 0 || list[0].signer == nil || k.now().Sub(list[0].made) >= KeyLife {
		return k.Roll(ctx)
	}
	return nil
}

// Roll has a new key sign from now on. What the others signed is verified until it expires.
func (k *Keys) Roll(ctx context.Context) error {
	public, private, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		return err
	}
	thumbprint := sha256.Sum256(public)
	id := base64.RawURLEncoding.EncodeToString(thumbprint[:12])
	sealed, err := k.vault.Seal(base64.StdEncoding.EncodeToString(private.Seed()), Purpose+id)
	if err != nil {
		return err
	}
	if err := k.db.AddSigningKey(ctx, sqlite.SigningKey{
		ID: id, Public: base64.StdEncoding.EncodeToString(public), Sealed: sealed, Made: k.now(),
	}); err != nil {
		return err
	}
	return k.load(ctx)
}

// Keep turns keys until the context ends.
func (k *Keys) Keep(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Hour):
		}
		if err := k.Turn(ctx); err != nil && ctx.Err() == nil {
			k.log.Error("the keys of held quotes could not be turned; it is tried again in an hour", "error", err)
		}
	}
}

func (k *Keys) load(ctx context.Context) error {
	kept, err := k.db.SigningKeys(ctx, k.now().Add(-quote.MaxHold-slack))
	if err != nil {
		return err
	}
	return k.use(kept)
}

func (k *Keys) use(kept []sqlite.SigningKey) error {
	list, set := make([]key, 0, len(kept)), jose.JSONWebKeySet{Keys: []jose.JSONWebKey{}}
	for _, s := range kept {
		public, err := base64.StdEncoding.DecodeString(s.Public)
		if err != nil || len(public) != ed25519.PublicKeySize {
			return fmt.Errorf("the signing key %s in the database is damaged: restore a backup", s.ID)
		}
		next := key{id: s.ID, public: public, made: s.Made, retired: s.Retired}
		if s.Retired.IsZero() {
			if next.signer, err = k.signer(s); err != nil {
				k.log.Warn("a signing key cannot be opened: a new one is made", "key", s.ID, "error", err)
			}
		}
		list = append(list, next)
		set.Keys = append(set.Keys, jose.JSONWebKey{Key: next.public, KeyID: next.id, Algorithm: "EdDSA", Use: "sig"})
	}
	body, err := json.Marshal(set)
	if err != nil {
		return err
	}
	k.list.Store(&list)
	k.jwks.Store(&body)
	return nil
}

func (k *Keys) signer(s sqlite.SigningKey) (jose.Signer, error) {
	seed, err := k.vault.Open(s.Sealed, Purpose+s.ID)
	if err != nil {
		return nil, err
	}
	raw, err := base64.StdEncoding.DecodeString(seed)
	if err != nil || len(raw) != ed25519.SeedSize {
		return nil, secrets.ErrUnreadable
	}
	return jose.NewSigner(
		jose.SigningKey{Algorithm: jose.EdDSA, Key: jose.JSONWebKey{Key: ed25519.NewKeyFromSeed(raw), KeyID: s.ID}},
		(&jose.SignerOptions{}).WithType(Type),
	)
}

// Info says of a key when it was made, and when it was retired, the zero time where it signs.
type Info struct {
	ID            string
	Made, Retired time.Time
}

// List lists the keys that are published, the one that signs first.
func (k *Keys) List() (list []Info) {
	for _, key := range *k.list.Load() {
		list = append(list, Info{key.id, key.made, key.retired})
	}
	return list
}

// JWKS is the set of public keys (RFC 7517), as JSON.
func (k *Keys) JWKS() []byte { return *k.jwks.Load() }

// ErrNoKey is returned where no key can sign.
var ErrNoKey = errors.New("no key can sign quotes: the file " + sqlite.KeyName + " is missing or cannot be read")

// Edition is the edition that a quote is held of, with the SHA-256 of its store file in hexadecimal.
type Edition struct {
	Number int64
	Hash   string
}

// Hold signs the options of an answer to a request, as it was sent, for so long.
func (k *Keys) Hold(of Edition, request []byte, answer *quote.Answer, length time.Duration) (*quote.Held, error) {
	list := *k.list.Load()
	if len(list) == 0 || list[0].signer == nil {
		return nil, ErrNoKey
	}
	hash, err := RequestHash(request)
	if err != nil {
		return nil, err
	}
	now := k.now().UTC()
	expires := now.Add(length).Truncate(time.Second)
	claims := Claims{
		ID: rand.Text(), Issued: now.Unix(), Expires: expires.Unix(), Edition: of.Number, Store: of.Hash,
		Request: hash, Currency: answer.Currency, Options: make([]Option, len(answer.Options)),
	}
	for i := range answer.Options {
		o := &answer.Options[i]
		claims.Options[i] = Option{o.Method, o.Service, o.Charge, o.Tax, o.Total}
	}
	body, err := json.Marshal(claims)
	if err != nil {
		return nil, err
	}
	signed, err := list[0].signer.Sign(body)
	if err != nil {
		return nil, err
	}
	token, err := signed.CompactSerialize()
	if err != nil {
		return nil, err
	}
	return &quote.Held{ID: claims.ID, Expires: expires.Format(time.RFC3339), Token: token}, nil
}

// Reason is why a quote that somebody shows is not held.
type Reason string

// Reasons, in the order in which the first that applies is given.
const (
	Forged     Reason = "forged"      // no key of this shop has signed it
	Expired    Reason = "expired"     // it was held until then
	Changed    Reason = "changed"     // the request, or the total, is another
	NotOffered Reason = "not_offered" // the answer did not have this method
	Differs    Reason = "differs"     // the request is not for the order: see [Differences]
)

// Claim is what somebody says was quoted.
type Claim struct {
	Token           string
	Request         []byte // JSON
	Method, Service string
	Total           string
	Order           Order // what the shop knows of the order, nil where it compares by itself
}

// Verify says whether what somebody says was quoted is held: the claims of the token with the option, or why not.
func (k *Keys) Verify(c Claim) (*Claims, *Option, Reason) {
	claims, ok := k.open(c.Token)
	switch {
	case !ok:
		return nil, nil, Forged
	case k.now().Unix() >= claims.Expires:
		return claims, nil, Expired
	}
	if hash, err := RequestHash(c.Request); err != nil || hash != claims.Request {
		return claims, nil, Changed
	}
	for i := range claims.Options {
		o := &claims.Options[i]
		if o.Method != c.Method || o.Service != c.Service {
			continue
		}
		said, err := decimal.Parse(c.Total)
		if held, heldErr := decimal.Parse(o.Total); err != nil || heldErr != nil || said.Cmp(held) != 0 {
			return claims, nil, Changed
		}
		return claims, o, ""
	}
	return claims, nil, NotOffered
}

// canonical says whether the parts of a token are spelt as RFC 7515 has them: base64url without padding, line ends or
// bits that mean nothing. A token that could be spelt in several ways would be several to whoever compares texts.
func canonical(token string) bool {
	strict := base64.RawURLEncoding.Strict()
	for part := range strings.SplitSeq(token, ".") {
		if _, err := strict.DecodeString(part); err != nil || strings.ContainsAny(part, "\r\n") {
			return false
		}
	}
	return true
}

// open reads a token that a key of this shop has signed.
func (k *Keys) open(token string) (*Claims, bool) {
	if len(token) > maxToken || !canonical(token) {
		return nil, false
	}
	signed, err := jose.ParseSignedCompact(token, []jose.SignatureAlgorithm{jose.EdDSA})
	if err != nil {
		return nil, false
	}
	header := signed.Signatures[0].Protected
	if header.ExtraHeaders[jose.HeaderType] != Type {
		return nil, false
	}
	for _, key := range *k.list.Load() {
		if key.id != header.KeyID {
			continue
		}
		body, err := signed.Verify(key.public)
		if err != nil {
			return nil, false
		}
		var claims Claims
		if err := json.Unmarshal(body, &claims); err != nil {
			return nil, false
		}
		return &claims, true
	}
	return nil, false
}
