// Package access says who may do what: passphrases, sessions and API keys, and how often one may try.
package access

import (
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"golang.org/x/crypto/argon2"
	"golang.org/x/time/rate"
)

// Role is what a person may do.
type Role string

// Roles. A helper edits the draft; only an owner puts it live, lets people in and makes API keys.
const (
	Owner  Role = "owner"
	Helper Role = "helper"
)

// Person is who is signed in.
type Person struct {
	ID   int64 // 0: the demo's owner
	Name string
	Role Role
}

// Parameters of argon2id: the second recommended option of RFC 9106, section 4.
const (
	argonTime    = 3
	argonMemory  = 64 << 10 // KiB
	argonThreads = 4
	saltLength   = 16 // bytes
	keyLength    = 32 // bytes
)

// Bounds of a passphrase, in letters.
const (
	MinPassphrase = 12
	MaxPassphrase = 200
)

// MaxName is the longest name of a person or a key, in letters.
const MaxName = 60

// Name reads a name as it is typed.
func Name(text string) (string, error) {
	name := strings.Join(strings.Fields(text), " ")
	switch n := utf8.RuneCountInString(name); {
	case n == 0:
		return "", errors.New("a name is needed")
	case n > MaxName:
		return "", fmt.Errorf("a name has at most %d letters; this has %d", MaxName, n)
	}
	return name, nil
}

// few bounds how many passphrases are worked on at once: each takes 64 MiB.
var few = make(chan struct{}, 2)

func derive(passphrase string, salt []byte, time, memory uint32, threads uint8, length uint32) []byte {
	few <- struct{}{}
	defer func() { <-few }()
	return argon2.IDKey([]byte(passphrase), salt, time, memory, threads, length)
}

// Hash makes what is kept of a passphrase, in the PHC string format. Its errors are for the person who typed it.
func Hash(passphrase string) (string, error) {
	switch n := utf8.RuneCountInString(passphrase); {
	case n < MinPassphrase:
		return "", fmt.Errorf("a passphrase has at least %d letters: some words in a row are best", MinPassphrase)
	case n > MaxPassphrase:
		return "", fmt.Errorf("a passphrase has at most %d letters; this has %d", MaxPassphrase, n)
	}
	salt := make([]byte, saltLength)
	rand.Read(salt)
	key := derive(passphrase, salt, argonTime, argonMemory, argonThreads, keyLength)
	b64 := base64.RawStdEncoding
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, argonMemory, argonTime, argonThreads, b64.EncodeToString(salt), b64.EncodeToString(key)), nil
}

// Verify says whether a passphrase is the one that was hashed. It takes as long for hash "", which is nobody's.
func Verify(passphrase, hash string) bool {
	known := hash != ""
	if !known {
		hash = nobody()
	}
	var version int
	var memory, time uint32
	var threads uint8
	parts := strings.Split(hash, "$")
	if len(parts) != 6 || parts[1] != "argon2id" || utf8.RuneCountInString(passphrase) > MaxPassphrase {
		return false
	}
	if _, err := fmt.Sscanf(parts[2], "v=%d", &version); err != nil || version != argon2.Version {
		return false
	}
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &memory, &time, &threads); err != nil || time == 0 || threads == 0 || memory > 1<<21 {
		return false
	}
	salt, err := base64.RawStdEncoding.DecodeString(parts[4])
	if err != nil {
		return false
	}
	key, err := base64.RawStdEncoding.DecodeString(parts[5])
	if err != nil || len(key) == 0 {
		return false
	}
	got := derive(passphrase, salt, time, memory, threads, uint32(len(key)))
	return subtle.ConstantTimeCompare(got, key) == 1 && known
}

var nobody = sync.OnceValue(func() string {
	hash, err := Hash(rand.Text())
	if err != nil {
		panic(err) // 26 letters
	}
	return hash
})

// Secret makes a secret that cannot be guessed (128 bits or more), and what is kept of it.
func Secret(prefix string) (secret, kept string) {
	secret = prefix + rand.Text()
	return secret, Kept(secret)
}

// Kept is what is kept of a secret: its SHA-256, as nothing slower is needed for what cannot be guessed.
func Kept(secret string) string {
	sum := sha256.Sum256([]byte(secret))
	return hex.EncodeToString(sum[:])
}

// SessionLength is how long somebody stays signed in.
const SessionLength = 30 * 24 * time.Hour

// Attempts limits how often one may try to sign in: some times at once, then now and then.
type Attempts struct {
	mu    sync.Mutex
	by    map[string]*rate.Limiter
	Every time.Duration
	Burst int
}

// NewAttempts allows 8 attempts at once from one address, or for one name, and one every 15 seconds then.
func NewAttempts() *Attempts {
	return &Attempts{by: map[string]*rate.Limiter{}, Every: 15 * time.Second, Burst: 8}
}

// mostLimited is how many addresses and names are remembered at once.
const mostLimited = 20_000

// Allow counts an attempt and says how long to wait before it may be made; 0 where it may be made now.
func (a *Attempts) Allow(keys ...string) time.Duration {
	a.mu.Lock()
	defer a.mu.Unlock()
	now := time.Now()
	if len(a.by) > mostLimited {
		for key, l := range a.by {
			if l.TokensAt(now) >= float64(a.Burst) {
				delete(a.by, key)
			}
		}
	}
	var wait time.Duration
	for _, key := range keys {
		l := a.by[key]
		if l == nil {
			l = rate.NewLimiter(rate.Every(a.Every), a.Burst)
			a.by[key] = l
		}
		r := l.ReserveN(now, 1)
		if d := r.DelayFrom(now); d > 0 {
			r.CancelAt(now)
			wait = max(wait, d)
		}
	}
	return wait
}
