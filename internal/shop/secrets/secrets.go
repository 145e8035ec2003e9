// Package secrets keeps what a shop must not show: sealed with a key that lies in a file beside the database, so that
// neither the database nor a backup of it gives anything away by itself.
package secrets

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"sync"

	"diadrom/internal/sqlite"
)

// ErrUnreadable is returned for what was sealed with another key or for another purpose, or was changed since.
var ErrUnreadable = errors.New("sealed with another key")

// keySize makes it AES-256.
const keySize = 32

// Vault seals and opens. It is safe for many goroutines.
type Vault struct {
	dir string
	mu  sync.Mutex
	key []byte
}

// New is the vault of the shop in a folder. Its key is made when the first secret is sealed.
func New(dir string) *Vault { return &Vault{dir: dir} }

// Of is the vault of a shop elsewhere, with its key: 32 bytes.
func Of(key []byte) *Vault { return &Vault{key: key} }

// Key is the key of the vault, which is made where there is none.
func (v *Vault) Key() ([]byte, error) {
	if _, err := v.aead(true); err != nil {
		return nil, err
	}
	return v.key, nil
}

// aead gives the cipher: AES-256 in Galois/Counter Mode (NIST SP 800-38D) with nonces drawn at random.
func (v *Vault) aead(make bool) (cipher.AEAD, error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.key == nil {
		if err := v.load(make); err != nil {
			return nil, err
		}
	}
	block, err := aes.NewCipher(v.key)
	if err != nil {
		return nil, err
	}
	return cipher.NewGCMWithRandomNonce(block)
}

func (v *Vault) load(create bool) error {
	path := filepath.Join(v.dir, sqlite.KeyName)
	key, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) && create {
		key = make([]byte, keySize)
		rand.Read(key) //nolint:errcheck // it never fails
		err = sqlite.WriteKey(v.dir, key)
	}
	if err == nil && len(key) != keySize {
		err = fmt.Errorf("%s is not a key of %d bytes", path, keySize)
	}
	if err != nil {
		return err
	}
	v.key = key
	return nil
}

// Seal gives a text sealed for a purpose, which has to be named again to open it.
func (v *Vault) Seal(text, purpose string) (string, error) {
	a, err := v.aead(true)
	if err != nil {
		return "", err
	}
	return base64.StdEncoding.EncodeToString(a.Seal(nil, nil, []byte(text), []byte(purpose))), nil
}

// Open gives what was sealed for a purpose, or [ErrUnreadable].
func (v *Vault) Open(sealed, purpose string) (string, error) {
	body, err := base64.StdEncoding.DecodeString(sealed)
	if err != nil {
		return "", ErrUnreadable
	}
	a, err := v.aead(false)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return "", ErrUnreadable
	case err != nil:
		return "", err
	}
	text, err := a.Open(nil, nil, body, []byte(purpose))
	if err != nil {
		return "", ErrUnreadable
	}
	return string(text), nil
}
