package sqlite

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
)

// KeyName is the file, in the folder of a shop, of the key with which its secrets are sealed. It is not part of the
// database, and of the backups only where an owner wants that ([KeepKeyWithBackups]).
const KeyName = "secrets.key"

// WriteKey writes the key of a shop, for its owner's account alone.
func WriteKey(dir string, key []byte) error { return writeKey(filepath.Join(dir, KeyName), key) }

func writeKey(path string, key []byte) error {
	part := path + ".part"
	f, err := os.OpenFile(part, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	_, err = f.Write(key)
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return err
	}
	if err := os.Rename(part, path); err != nil {
		return err
	}
	return syncFolder(filepath.Dir(path))
}

// KeepKeyWithBackups puts a copy of the key beside the backups of a shop, or removes it from there.
func KeepKeyWithBackups(dir string, keep bool) error {
	kept := filepath.Join(dir, backupFolder, KeyName)
	if !keep {
		if err := os.Remove(kept); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		return nil
	}
	key, err := os.ReadFile(filepath.Join(dir, KeyName))
	if errors.Is(err, fs.ErrNotExist) {
		return nil // nothing is sealed yet
	}
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(kept), 0o700); err != nil {
		return err
	}
	return writeKey(kept, key)
}

// restoreKey puts the key that lies with the backups into a folder that has none.
func restoreKey(dir string) error {
	path := filepath.Join(dir, KeyName)
	if _, err := os.Stat(path); !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	key, err := os.ReadFile(filepath.Join(dir, backupFolder, KeyName))
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	return writeKey(path, key)
}
