package auth

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	"github.com/trustelem/zxcvbn"
	"golang.org/x/crypto/argon2"
)

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

// Each passphrase takes 64 MiB to work on, so few are worked on at once, and few wait.
const (
	maxHashing = 2
	maxWaiting = 32
)

// ErrBusy is returned when too many passphrases are waiting to be hashed.
var ErrBusy = errors.New("too many people are signing in at the moment: try again in a few seconds")

var (
	hashing = make(chan struct{}, maxHashing)
	waiting = make(chan struct{}, maxHashing+maxWaiting)
)

// derive works on a passphrase when it is its turn; [ErrBusy], or the context's error, where that does not come.
func derive(
	ctx context.Context,
	passphrase string,
	salt []byte,
	time, memory uint32,
	threads uint8,
	length uint32,
) ([]byte, error) {
	select {
	case waiting <- struct{}{}:
		defer func() { <-waiting }()
	default:
		return nil, ErrBusy
	}
	select {
	case hashing <- struct{}{}:
		defer func() { <-hashing }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	return argon2.IDKey([]byte(passphrase), salt, time, memory, threads, length), nil
}

// minScore is the least score of zxcvbn (0 to 4) that is taken: 3 is "safely unguessable", 10^8 guesses and more.
const minScore = 3

// Strong says what is wrong with a passphrase, nil where nothing is: it is too short or too long, or easy to
// guess for somebody who knows the words around it, such as the person's name.
func Strong(passphrase string, known ...string) error {
	switch n := utf8.RuneCountInString(passphrase); {
	case n < MinPassphrase:
		return fmt.Errorf("a passphrase has at least %d letters: some words in a row are best", MinPassphrase)
	case n > MaxPassphrase:
		return fmt.Errorf("a passphrase has at most %d letters; this has %d", MaxPassphrase, n)
	}
	words := []string{"diadrom"}
	for _, k := range known {
		words = append(append(words, k), strings.Fields(k)...)
	}
	// The estimate takes longer the longer the text; 60 letters tell.
	if r := []rune(passphrase); len(r) > 60 {
		passphrase = string(r[:60])
	}
	if zxcvbn.PasswordStrength(passphrase, words).Score < minScore {
		return errors.New(
			"this passphrase is easy to guess: take four or more words that have nothing to do with each other",
		)
	}
	return nil
}

// Hash makes what is kept of a passphrase, in the PHC string format. Its errors are [ErrBusy] and the context's.
func Hash(ctx context.Context, passphrase string) (string, error) {
	salt := make([]byte, saltLength)
	rand.Read(salt)
	key, err := derive(ctx, passphrase, salt, argonTime, argonMemory, argonThreads, keyLength)
	if err != nil {
		return "", err
	}
	return encoded(salt, key), nil
}

// Verify says whether a passphrase is the one that was hashed. An empty hash costs the same time and never
// matches, so an unknown name cannot be told by timing. Its errors are those of [Hash].
func Verify(ctx context.Context, passphrase, hash string) (bool, error) {
	known := hash != ""
	if !known {
		hash = nobody
	}
	var version int
	var memory, time uint32
	var threads uint8
	parts := strings.Split(hash, "$")
	if len(parts) != 6 || parts[1] != "argon2id" || utf8.RuneCountInString(passphrase) > MaxPassphrase {
		return false, nil
	}
	if _, err := fmt.Sscanf(parts[2], "v=%d", &version); err != nil || version != argon2.Version {
		return false, nil
	}
	if _, err := fmt.Sscanf(
		parts[3],
		"m=%d,t=%d,p=%d",
		&memory,
		&time,
		&threads,
	); err != nil || time == 0 || threads == 0 ||
		memory > 1<<21 {
		return false, nil
	}
	salt, err := base64.RawStdEncoding.DecodeString(parts[4])
	if err != nil {
		return false, nil
	}
	key, err := base64.RawStdEncoding.DecodeString(parts[5])
	if err != nil || len(key) == 0 {
		return false, nil
	}
	got, err := derive(ctx, passphrase, salt, time, memory, threads, uint32(len(key)))
	return err == nil && subtle.ConstantTimeCompare(got, key) == 1 && known, err
}

// encoded writes a hash with the usual parameters in the PHC string format.
func encoded(salt, key []byte) string {
	b64 := base64.RawStdEncoding
	return fmt.Sprintf(
		"$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s",
		argon2.Version,
		argonMemory,
		argonTime,
		argonThreads,
		b64.EncodeToString(salt),
		b64.EncodeToString(key),
	)
}

// nobody is a hash with the usual parameters that belongs to no passphrase.
var nobody = func() string {
	return encoded(make([]byte, saltLength), make([]byte, keyLength))
}()

// Passphrase makes one that is strong: six groups of five letters, 150 bits, none of which looks like another.
func Passphrase() string {
	const letters = "abcdefghijkmnpqrstuvwxyz23456789" // 32
	random := make([]byte, 30)
	rand.Read(random)
	var b strings.Builder
	for i, r := range random {
		if i > 0 && i%5 == 0 {
			b.WriteByte('-')
		}
		b.WriteByte(letters[r%32])
	}
	return b.String()
}
