package sqlite

import (
	"errors"
	"syscall"

	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"
)

// Full says whether an error means that the disk is full.
func Full(err error) bool {
	var e *sqlite.Error
	return errors.As(err, &e) && e.Code()&0xff == sqlite3.SQLITE_FULL || errors.Is(err, syscall.ENOSPC)
}
