package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
)

// lastEditionName is the file of a shop's folder with the number of the last edition. It lies beside the database, so
// that a backup that is restored does not take the numbers back: whoever keeps the number of an edition means one
// edition.
const lastEditionName = "last-edition"

// numberGap is what the number of the next edition is rounded up to, where a backup is restored in a folder that does
// not know which numbers were given since.
const numberGap = 1000

// lastEdition is the number in that file; 0 where there is none.
func lastEdition(dir string) (int64, error) {
	text, err := os.ReadFile(filepath.Join(dir, lastEditionName))
	if errors.Is(err, fs.ErrNotExist) {
		return 0, nil
	}
	if err != nil {
		return 0, err
	}
	n, err := strconv.ParseInt(strings.TrimSpace(string(text)), 10, 64)
	if err != nil || n < 0 {
		return 0, fmt.Errorf("%s does not have the number of an edition: write that of the last one that was published",
			filepath.Join(dir, lastEditionName))
	}
	return n, nil
}

// keepLastEdition writes that file, and syncs it.
func keepLastEdition(dir string, number int64) error {
	path := filepath.Join(dir, lastEditionName)
	f, err := os.OpenFile(path+".part", os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	_, err = f.WriteString(strconv.FormatInt(number, 10) + "\n")
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return err
	}
	return errors.Join(os.Rename(path+".part", path), syncFolder(dir))
}

// nextEdition is the number of the next edition, which is kept as given before the edition is: where the program ends
// in between, a number is left out.
func (db *DB) nextEdition(ctx context.Context, tx *sql.Tx) (number int64, err error) {
	if number, err = lastEdition(db.dir); err != nil {
		return 0, err
	}
	if err := tx.QueryRowContext(ctx, "SELECT max(coalesce(max(number), 0), ?) + 1 FROM edition", number).
		Scan(&number); err != nil {
		return 0, err
	}
	return number, keepLastEdition(db.dir, number)
}

// giveNoNumberTwice has a shop in whose place a backup is put go on behind all numbers of editions that were given, and
// gives the next one. What was given since the backup is known from the shop's folder or from the database that was in
// place, "now"; where neither is there, some numbers are left out.
func (b backupBeside) giveNoNumberTwice(dir string, readable bool) (next int64, err error) {
	last, err := lastEdition(dir)
	if err != nil {
		return 0, err
	}
	known := last > 0
	schemas := []string{"main"}
	if readable {
		schemas = append(schemas, "now")
		known = true
	}
	for _, schema := range schemas {
		if !b.has(schema, "edition") {
			continue
		}
		var n int64
		if err := b.sql.QueryRowContext(b.ctx,
			"SELECT coalesce(max(number), 0) FROM "+schema+".edition").Scan(&n); err != nil {
			return 0, err
		}
		last = max(last, n)
	}
	if !known && last > 0 {
		last = (last/numberGap + 1) * numberGap
	}
	return last + 1, keepLastEdition(dir, last)
}
