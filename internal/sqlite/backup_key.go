package sqlite

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"filippo.io/age"
)

// BackupKeyName is the file, in the folder of a shop, of the key with which its backups are encrypted. Without the file
// they are not encrypted. It is in no backup.
const BackupKeyName = "backup.key"

// MakeBackupKey has the backups of a shop be encrypted from now on (age, X25519), and gives the key without which they
// cannot be read. A shop that has a key keeps it; made is false then.
func MakeBackupKey(dir string) (key string, made bool, err error) {
	path := filepath.Join(dir, BackupKeyName)
	identity, err := backupKey(path)
	if err != nil || identity != nil {
		if identity != nil {
			key = identity.String()
		}
		return key, false, err
	}
	if identity, err = age.GenerateX25519Identity(); err != nil {
		return "", false, err
	}
	return identity.String(), true, writeKey(path, []byte(identity.String()+"\n"))
}

// BackupsEncrypted says whether the backups of a shop are encrypted from now on.
func BackupsEncrypted(dir string) bool {
	_, err := os.Stat(filepath.Join(dir, BackupKeyName))
	return err == nil
}

// backupKey reads a key; nil where there is none.
func backupKey(path string) (*age.X25519Identity, error) {
	body, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	for line := range strings.Lines(string(body)) {
		if line = strings.TrimSpace(line); line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		identity, err := age.ParseX25519Identity(line)
		if err != nil {
			return nil, fmt.Errorf("%s is not a key of backups: %w", path, err)
		}
		return identity, nil
	}
	return nil, fmt.Errorf("%s is empty: put the key of the backups there", path)
}

// encrypted gives a writer that encrypts what is written to it, for the key of a shop.
func encrypted(out io.Writer, identity *age.X25519Identity) (io.WriteCloser, error) {
	if identity == nil {
		return nopCloser{out}, nil
	}
	return age.Encrypt(out, identity.Recipient())
}

type nopCloser struct{ io.Writer }

func (nopCloser) Close() error { return nil }

// ErrBackupKey is returned for an encrypted backup whose key is not there.
var ErrBackupKey = errors.New("this backup is encrypted: put its key into the file " + BackupKeyName +
	" in the folder of the shop")

// decrypted gives a reader of what a file of a name has.
func decrypted(in io.Reader, name string, identity *age.X25519Identity) (io.Reader, error) {
	if !strings.HasSuffix(name, ".age") {
		return in, nil
	}
	if identity == nil {
		return nil, ErrBackupKey
	}
	body, err := age.Decrypt(in, identity)
	var wrong *age.NoIdentityMatchError
	if errors.As(err, &wrong) {
		return nil, fmt.Errorf("%w: the key there is another one", ErrBackupKey)
	}
	return body, err
}
