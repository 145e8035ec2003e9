package sqlite

import (
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"diadrom/internal/core/store"

	"github.com/klauspost/compress/zstd"
)

// ErrRemoved is returned for the store file of an edition that its owner removed.
var ErrRemoved = errors.New("its store file was removed")

// Encoders and decoders of pieces; both are safe for many goroutines.
var (
	pieceEncoder, _ = zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1), zstd.WithEncoderCRC(true))
	pieceDecoder, _ = zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(1<<30))
)

// HashOf is the hash of a store file in pieces: SHA-256, in hexadecimal.
func HashOf(p *store.Pieces) string {
	sum := sha256.New()
	for i := range p.List {
		sum.Write(p.List[i].Text)
	}
	return hex.EncodeToString(sum.Sum(nil))
}

// keepPieces keeps the pieces that are not there yet, and gives their sums, one behind the other, and how long the text
// is.
func keepPieces(ctx context.Context, tx *sql.Tx, p *store.Pieces) (sums []byte, size int64, err error) {
	has, err := tx.PrepareContext(ctx, "SELECT count(*) FROM piece WHERE sum = ?")
	if err != nil {
		return nil, 0, err
	}
	defer has.Close()
	for i := range p.List {
		piece := &p.List[i]
		sums, size = append(sums, piece.Sum[:]...), size+int64(len(piece.Text))
		var n int
		if err := has.QueryRowContext(ctx, piece.Sum[:]).Scan(&n); err != nil {
			return nil, 0, err
		}
		if n > 0 {
			continue
		}
		if _, err := tx.ExecContext(ctx, "INSERT INTO piece (sum, body) VALUES (?, ?)", piece.Sum[:],
			pieceEncoder.EncodeAll(piece.Text, nil)); err != nil {
			return nil, 0, err
		}
	}
	return sums, size, nil
}

// joined puts a text together of the pieces with the given sums, one behind the other.
func joined(ctx context.Context, q rowQuerier, sums []byte, size int64) ([]byte, error) {
	text := make([]byte, 0, size)
	for len(sums) >= sha256.Size {
		sum := sums[:sha256.Size]
		sums = sums[sha256.Size:]
		var body []byte
		err := q.QueryRowContext(ctx, "SELECT body FROM piece WHERE sum = ?", sum).Scan(&body)
		if errors.Is(err, sql.ErrNoRows) {
			return nil, fmt.Errorf("a piece of it is missing: %w", ErrDamaged)
		}
		if err != nil {
			return nil, err
		}
		from := len(text)
		if text, err = pieceDecoder.DecodeAll(body, text); err != nil {
			return nil, fmt.Errorf("%w (%w)", ErrDamaged, err)
		}
		if is := sha256.Sum256(text[from:]); !bytes.Equal(is[:], sum) {
			return nil, ErrDamaged
		}
	}
	return text, nil
}

// rowQuerier is a database or a transaction.
type rowQuerier interface {
	QueryRowContext(context.Context, string, ...any) *sql.Row
}

// pause is how long others may edit between two editions that are moved into pieces.
const pause = 20 * time.Millisecond

// ShareEditions moves the editions of earlier versions, each of which is kept whole, into pieces, one after another
// while the shop is used, and gives back the room of the file. An edition that is not what was published stays as it
// is. It does nothing where there are none.
func (db *DB) ShareEditions(ctx context.Context, log *slog.Logger) error {
	moved := 0
	last := int64(0)
	for {
		var number int64
		var body, hash string
		err := db.sql.QueryRowContext(ctx, "SELECT number, hash, body FROM edition WHERE number > ? AND pieces IS NULL AND "+
			"removed_at = '' ORDER BY number LIMIT 1", last).
			Scan(&number, &hash, &body)
		if errors.Is(err, sql.ErrNoRows) {
			break
		}
		if err != nil {
			return err
		}
		last = number
		sum := sha256.Sum256([]byte(body))
		if hex.EncodeToString(sum[:]) != hash {
			log.Warn("an edition is not what was published, and is left as it is", "edition", number)
			continue
		}
		if err := db.share(ctx, number, piecesOf([]byte(body))); err != nil {
			return fmt.Errorf("edition %d: %w", number, err)
		}
		moved++
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(pause):
		}
	}
	if moved == 0 {
		return nil
	}
	log.Info("editions share what they have in common now", "editions", moved)
	return db.shrink(ctx)
}

// piecesOf cuts a store file as it is cut when it is published, so that it shares pieces with others; a text that reads
// and writes otherwise is cut as it is.
func piecesOf(body []byte) *store.Pieces {
	f, faults := store.Read(body)
	if len(faults) == 0 {
		if p := f.Split().Pieces(nil); bytes.Equal(p.Join(), body) {
			return p
		}
	}
	return store.Cut(body)
}

// share moves one edition into pieces, once they make what it was.
func (db *DB) share(ctx context.Context, number int64, p *store.Pieces) error {
	return db.inOne(ctx, func(tx *sql.Tx) error {
		sums, size, err := keepPieces(ctx, tx, p)
		if err != nil {
			return err
		}
		var body string
		if err := tx.QueryRowContext(ctx, "SELECT body FROM edition WHERE number = ?", number).Scan(&body); err != nil {
			return err
		}
		if text, err := joined(ctx, tx, sums, size); err != nil || string(text) != body {
			return errors.Join(errors.New("its pieces do not make what it was"), err)
		}
		_, err = tx.ExecContext(
			ctx,
			"UPDATE edition SET pieces = ?, size = ?, body = '' WHERE number = ?",
			sums,
			size,
			number,
		)
		return err
	})
}

// shrink gives back the room of the file where a quarter of it, and 4 MB, are free.
func (db *DB) shrink(ctx context.Context) error {
	var pages, free, size int64
	for query, into := range map[string]*int64{"PRAGMA page_count": &pages, "PRAGMA freelist_count": &free,
		"PRAGMA page_size": &size} {
		if err := db.sql.QueryRowContext(ctx, query).Scan(into); err != nil {
			return err
		}
	}
	if free*4 < pages || free*size < 4<<20 {
		return nil
	}
	if _, err := db.sql.ExecContext(ctx, "VACUUM"); err != nil {
		return err
	}
	_, err := db.sql.ExecContext(ctx, "PRAGMA wal_checkpoint(TRUNCATE)")
	return err
}

// RemoveEditions removes the store files of all editions but the newest so many, those that are live or scheduled, the one
// that was live before, and those that gave way after a moment; what is known of them, their hashes too, stays. It says of
// which.
func (db *DB) RemoveEditions(ctx context.Context, keep int, since time.Time) (numbers []int64, err error) {
	err = db.inOne(ctx, func(tx *sql.Tx) error {
		if numbers, err = removable(ctx, tx, keep, since); err != nil {
			return err
		}
		for _, n := range numbers {
			if _, err := tx.ExecContext(ctx, "UPDATE edition SET pieces = NULL, body = '', size = max(size, "+
				"length(CAST(body AS BLOB))), removed_at = ? WHERE number = ?", now(), n); err != nil {
				return err
			}
		}
		return sweep(ctx, tx)
	})
	if err == nil && len(numbers) > 0 {
		err = db.shrink(ctx)
	}
	return numbers, err
}

// Removable lists the editions of which [DB.RemoveEditions] would remove the store files.
func (db *DB) Removable(ctx context.Context, keep int, since time.Time) ([]int64, error) {
	return removable(ctx, db.sql, keep, since)
}

func removable(ctx context.Context, q interface {
	QueryContext(context.Context, string, ...any) (*sql.Rows, error)
}, keep int, since time.Time) (numbers []int64, err error) {
	rows, err := q.QueryContext(ctx, "SELECT number FROM edition WHERE removed_at = '' AND number NOT IN "+
		"(SELECT number FROM edition ORDER BY number DESC LIMIT ?) AND number NOT IN "+
		"(SELECT edition FROM put_live ORDER BY turn DESC LIMIT 2) AND number NOT IN "+
		"(SELECT edition FROM scheduled WHERE state IN ('waiting', 'live')) AND number NOT IN "+
		"(SELECT former FROM scheduled WHERE state = 'live') AND number NOT IN "+
		"(SELECT was.edition FROM put_live AS was JOIN put_live AS next ON next.turn = was.turn + 1 WHERE next.at >= ?) "+
		"ORDER BY number", max(keep, 1), since.UTC().Format(time.RFC3339))
	return numbersOf(rows, err)
}

// numbersOf reads the one column of what was asked for.
func numbersOf(rows *sql.Rows, err error) (numbers []int64, _ error) {
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var n int64
		if err := rows.Scan(&n); err != nil {
			return nil, err
		}
		numbers = append(numbers, n)
	}
	return numbers, rows.Err()
}

// sweep removes the pieces that no edition has.
func sweep(ctx context.Context, tx *sql.Tx) error {
	rows, err := tx.QueryContext(ctx, "SELECT pieces FROM edition WHERE pieces IS NOT NULL")
	if err != nil {
		return err
	}
	used := map[[sha256.Size]byte]bool{}
	for rows.Next() {
		var sums []byte
		if err := rows.Scan(&sums); err != nil {
			return errors.Join(err, rows.Close())
		}
		for ; len(sums) >= sha256.Size; sums = sums[sha256.Size:] {
			used[[sha256.Size]byte(sums)] = true
		}
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return err
	}
	rows, err = tx.QueryContext(ctx, "SELECT id, sum FROM piece")
	if err != nil {
		return err
	}
	var gone []int64
	for rows.Next() {
		var id int64
		var sum []byte
		if err := rows.Scan(&id, &sum); err != nil {
			return errors.Join(err, rows.Close())
		}
		if len(sum) != sha256.Size || !used[[sha256.Size]byte(sum)] {
			gone = append(gone, id)
		}
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return err
	}
	for _, id := range gone {
		if _, err := tx.ExecContext(ctx, "DELETE FROM piece WHERE id = ?", id); err != nil {
			return err
		}
	}
	return nil
}
