// Package auth says who may do what: passphrases, sessions and API keys, and how often one may try.
package auth

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"time"
	"unicode/utf8"

	"diadrom/internal/core/oneline"
)

// Role is what a person may do.
type Role string

// Roles. A helper edits the draft; only an owner publishes it, adds people and makes API keys.
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

// MaxName is the longest name of a person or a key, in letters.
const MaxName = 60

// Name reads a name as it is typed.
func Name(text string) (string, error) {
	name, err := oneline.Read(text)
	if err != nil {
		return "", err
	}
	switch n := utf8.RuneCountInString(name); {
	case n == 0:
		return "", errors.New("a name is needed")
	case n > MaxName:
		return "", fmt.Errorf("a name has at most %d letters; this has %d", MaxName, n)
	}
	return name, nil
}

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
