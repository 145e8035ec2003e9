// Package manifest says what a node needs to quote for a shop: a manifest, which the shop signs, and the objects that it
// names by their hashes.
//
// A manifest travels as a JWS in compact form (RFC 7515), signed with Ed25519 (EdDSA, RFC 8037). Objects are compressed
// with Zstandard. What is secret in a manifest is sealed with the key of the shop's vault, which a node has from its join
// file and from nowhere else.
package manifest

import (
	"bytes"
	"crypto/ed25519"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/store"
	"diadrom/internal/sqlite"

	"github.com/go-jose/go-jose/v4"
	"github.com/klauspost/compress/zstd"
)

// Format is the format of manifests and of join files that this version writes and reads.
const Format = "diadrom-node/1"

// Type is the typ of a manifest's header, which tells it from other tokens.
const Type = "diadrom-node+jws"

// Limits of what is read, in bytes: a manifest, and an object once it is decompressed.
const (
	MaxManifest = 900 << 10 // below what a broker takes in one message
	MaxObject   = 1 << 30
)

// Manifest is what a node quotes from.
type Manifest struct {
	Format  string `json:"format"`
	Shop    string `json:"shop"`
	Issued  int64  `json:"issued"`  // a counter: a node takes none that is below that of the last
	Edition int64  `json:"edition"` // its number; 0 where nothing is live
	Hash    string `json:"hash"`    // SHA-256 of the store file, in hexadecimal
	Store   string `json:"store"`   // object of the store file
	Places  string `json:"places"`  // object of the lists of places; "" for none
	// Keys are those of the API that hold, by what is kept of their secrets.
	Keys []Key `json:"keys"`
	// Signing are the keys of held quotes, the one that signs first; the private part is sealed.
	Signing []sqlite.SigningKey `json:"signing"`
	// Settings are those of services that quotes ask; secrets in them are sealed.
	Settings map[string]string `json:"settings"`
	// Former are editions that gave way a short time ago: a checkout may be pinned to them.
	Former []Former `json:"former"`
}

// Key is a key of the API.
type Key struct {
	auth.Key
	Kept string // SHA-256 of its secret
}

// Former is an edition that gave way.
type Former struct {
	Edition int64  `json:"edition"`
	Hash    string `json:"hash"`
	Store   string `json:"store"`
	Until   int64  `json:"until"` // seconds since 1970: until then a checkout may be pinned to it
}

// Objects lists the objects that a manifest names.
func (m *Manifest) Objects() (names []string) {
	for _, name := range append([]string{m.Store, m.Places}, formerObjects(m.Former)...) {
		if name != "" {
			names = append(names, name)
		}
	}
	return names
}

func formerObjects(list []Former) (names []string) {
	for _, f := range list {
		names = append(names, f.Store)
	}
	return names
}

// ErrForged is returned for a manifest that the shop has not signed.
var ErrForged = errors.New("the shop has not signed this manifest")

// Sign gives a manifest as it travels.
func Sign(m *Manifest, private ed25519.PrivateKey) (string, error) {
	m.Format = Format
	body, err := json.Marshal(m)
	if err != nil {
		return "", err
	}
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.EdDSA, Key: private},
		(&jose.SignerOptions{}).WithType(Type))
	if err != nil {
		return "", err
	}
	signed, err := signer.Sign(body)
	if err != nil {
		return "", err
	}
	text, err := signed.CompactSerialize()
	if err == nil && len(text) > MaxManifest {
		err = fmt.Errorf("this shop has too many keys for its nodes: the manifest has %d kB, %d are taken; revoke some",
			len(text)>>10, MaxManifest>>10)
	}
	return text, err
}

// Open reads a manifest of a shop that travelled. One that was not signed by the shop's key, or is of another shop, is
// [ErrForged].
func Open(text, shop string, public ed25519.PublicKey) (*Manifest, error) {
	if len(text) > MaxManifest {
		return nil, ErrForged
	}
	signed, err := jose.ParseSignedCompact(text, []jose.SignatureAlgorithm{jose.EdDSA})
	if err != nil || signed.Signatures[0].Protected.ExtraHeaders[jose.HeaderType] != Type {
		return nil, ErrForged
	}
	body, err := signed.Verify(public)
	if err != nil {
		return nil, ErrForged
	}
	var m Manifest
	if err := json.Unmarshal(body, &m); err != nil {
		return nil, fmt.Errorf("the manifest cannot be read: %w", err)
	}
	switch {
	case m.Format != Format:
		return nil, fmt.Errorf(
			"the manifest is of the format %q, and this node reads %q: update the node",
			m.Format,
			Format,
		)
	case m.Shop != shop:
		return nil, ErrForged
	}
	return &m, nil
}

// Encoders and decoders of objects; both are safe for many goroutines.
var (
	encoder, _ = zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1), zstd.WithEncoderCRC(true))
	decoder, _ = zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(MaxObject))
)

// Pack makes an object of a text, and names it by its kind and its hash.
func Pack(kind string, text []byte) (name string, body []byte) {
	body = encoder.EncodeAll(text, nil)
	return kind + "-" + sum(body), body
}

func sum(body []byte) string {
	s := sha256.Sum256(body)
	return hex.EncodeToString(s[:])
}

// Unpack gives the text of an object, which must be what its name says.
func Unpack(name string, body []byte) ([]byte, error) {
	_, want, ok := strings.Cut(name, "-")
	if !ok || sum(body) != want {
		return nil, fmt.Errorf("the object %.40s is not what its name says", name)
	}
	text, err := decoder.DecodeAll(body, nil)
	if err != nil {
		return nil, fmt.Errorf("the object %.40s cannot be read: %w", name, err)
	}
	return text, nil
}

// ReadStore reads the store file of an object, whose hash must be the edition's.
func ReadStore(name, hash string, body []byte) (*store.File, error) {
	text, err := Unpack(name, body)
	if err != nil {
		return nil, err
	}
	if is := sum(text); is != hash {
		return nil, fmt.Errorf("the store file of %.40s has another hash than the edition", name)
	}
	f, faults := store.Read(text)
	if len(faults) > 0 {
		return nil, fmt.Errorf("the store file of %.40s: %w", name, faults)
	}
	return f, nil
}

// PackPlaces makes an object of lists of places; "" where there are none.
func PackPlaces(g *gazetteer.Gazetteer) (name string, body []byte, err error) {
	if g == nil || g.Len() == 0 {
		return "", nil, nil
	}
	var text bytes.Buffer
	out := json.NewEncoder(&text)
	for i := range g.Len() {
		if err := out.Encode(g.At(int32(i))); err != nil {
			return "", nil, err
		}
	}
	name, body = Pack("places", text.Bytes())
	return name, body, nil
}

// ReadPlaces reads lists of places of an object.
func ReadPlaces(name string, body []byte) (*gazetteer.Gazetteer, error) {
	text, err := Unpack(name, body)
	if err != nil {
		return nil, err
	}
	in := json.NewDecoder(bytes.NewReader(text))
	g := gazetteer.New(func(yield func(gazetteer.Place) bool) {
		for in.More() {
			var p gazetteer.Place
			if err = in.Decode(&p); err != nil || !yield(p) {
				return
			}
		}
	})
	if err != nil {
		return nil, fmt.Errorf("the places of %.40s cannot be read: %w", name, err)
	}
	return g, nil
}

// Join is what a node is started with.
type Join struct {
	Format  string    `json:"format"`
	Shop    string    `json:"shop"`  // names the buckets at the brokers
	Trust   string    `json:"trust"` // the shop's public key, base 64
	Vault   string    `json:"vault"` // the key of its vault, base 64: keep this file as you keep a password
	Brokers []string  `json:"brokers"`
	Made    time.Time `json:"made"`
}

// ParseJoin reads a join file.
func ParseJoin(body []byte) (j Join, public ed25519.PublicKey, vault []byte, err error) {
	wrong := func(what string) error {
		return fmt.Errorf("this is no join file: %s; make one with diadrom node-file", what)
	}
	if err := json.Unmarshal(body, &j); err != nil {
		return j, nil, nil, wrong("it is not JSON")
	}
	if j.Format != Format {
		return j, nil, nil, wrong(fmt.Sprintf("its format is %.40q", j.Format))
	}
	if err := CheckShop(j.Shop); err != nil {
		return j, nil, nil, wrong(err.Error())
	}
	if public, err = base64.StdEncoding.DecodeString(j.Trust); err != nil || len(public) != ed25519.PublicKeySize {
		return j, nil, nil, wrong("its trust is no key")
	}
	if vault, err = base64.StdEncoding.DecodeString(j.Vault); err != nil || len(vault) != 32 {
		return j, nil, nil, wrong("its vault is no key")
	}
	if len(j.Brokers) == 0 {
		return j, nil, nil, wrong("it names no broker")
	}
	return j, public, vault, nil
}

// CheckShop says what is wrong with the name of a shop at the brokers: small letters, digits and hyphens, at most 40.
func CheckShop(name string) error {
	if name == "" || len(name) > 40 || strings.Trim(name, "abcdefghijklmnopqrstuvwxyz0123456789-") != "" {
		return fmt.Errorf(
			"the name of a shop at its brokers has 1 to 40 small letters, digits and hyphens; this is %.60q",
			name,
		)
	}
	return nil
}
