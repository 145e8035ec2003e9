package sqlite

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"testing"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// medium is a shop whose editions are worth sharing: its store file has some 500 kB.
var medium = storetest.Size{Zones: 60, Codes: 60, Products: 600, Methods: 6, Rows: 30, Columns: 20}

// priced is a store with another price in one cell.
func priced(t testing.TB, f *store.File, parts *store.Parts, n int) (*store.File, *store.Parts) {
	next := f.Clone()
	d := decimal.New(int64(n), 2)
	next.Methods[1].Tables[0].Rows[2].Charges[1] = &rate.Charge{Base: &d}
	after, faults := next.SplitAgain(f, parts)
	require.Empty(t, faults)
	return next, after
}

func fileSize(t testing.TB, db *DB) int64 {
	_, err := db.sql.Exec("PRAGMA wal_checkpoint(TRUNCATE)")
	require.NoError(t, err)
	size, _ := db.Sizes()
	return size
}

func TestFiftyEditionsOfOneCellAreHardlyMoreThanOne(t *testing.T) {
	ctx := context.Background()
	db := opened(t, t.TempDir())
	f := medium.Store()
	parts := f.Split()
	_, err := db.Save(ctx, 0, nil, parts, Edit{})
	require.NoError(t, err)
	var pieces *store.Pieces
	var one int64
	bodies := map[int64]string{}
	for n := range 50 {
		f, parts = priced(t, f, parts, n+100)
		pieces = parts.Pieces(pieces)
		l, err := db.Publish(ctx, Publication{Seen: Stamp{Revision: 1, Turn: int64(n)}, Hash: HashOf(pieces), Pieces: pieces})
		require.NoError(t, err)
		bodies[l.Edition] = string(f.Write())
		if n == 0 {
			one = fileSize(t, db)
		}
	}
	assert.LessOrEqual(t, fileSize(t, db), 2*one)
	for number, want := range bodies {
		body, hash, err := db.EditionFile(ctx, number)
		require.NoError(t, err)
		assert.Equal(t, want, string(body))
		sum := sha256.Sum256(body)
		assert.Equal(t, hex.EncodeToString(sum[:]), hash)
	}
	list, err := db.Editions(ctx)
	require.NoError(t, err)
	assert.EqualValues(t, len(bodies[50]), list[0].Bytes)
}

// A database of the version before, with 52 editions that are kept whole, moves them into pieces while its draft is
// edited: every edition stays what it was, byte for byte, but for one that was damaged, which is left as it is.
func TestADatabaseOfTheVersionBeforeSharesItsEditions(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	older(t, dir, 17)
	raw, err := sql.Open("sqlite", "file:"+filepath.Join(dir, Name))
	require.NoError(t, err)
	f := medium.Store()
	parts := f.Split()
	bodies := map[int64]string{}
	for n := range int64(52) {
		f, parts = priced(t, f, parts, int(n)+100)
		body := f.Write()
		if n == 3 {
			body = append(body, "\n\n"...) // of a version that wrote otherwise
		}
		sum := sha256.Sum256(body)
		if n == 7 {
			body[1000]++
		}
		bodies[n+1] = string(body)
		_, err := raw.Exec("INSERT INTO edition (number, hash, body, note, made_at, made_by) VALUES (?, ?, ?, 'kept', "+
			"'2026-01-02T03:04:05Z', 7)", n+1, hex.EncodeToString(sum[:]), string(body))
		require.NoError(t, err)
		_, err = raw.Exec("INSERT INTO put_live (turn, edition, at, by) VALUES (?, ?, '2026-01-02T03:04:05Z', 7)", n+1, n+1)
		require.NoError(t, err)
	}
	require.NoError(t, raw.Close())

	db := opened(t, dir)
	before := fileSize(t, db)
	body, _, err := db.EditionFile(ctx, 20)
	require.NoError(t, err)
	assert.Equal(t, bodies[20], string(body), "they can be read before they are moved")
	_, err = db.Save(ctx, 0, nil, parts, Edit{})
	require.NoError(t, err)
	moved := make(chan error)
	go func() { moved <- db.ShareEditions(ctx, slog.New(slog.DiscardHandler)) }()
	edits := 0
	for done := false; !done; edits++ {
		select {
		case err := <-moved:
			require.NoError(t, err)
			done = true
		default:
			before := parts
			f, parts = priced(t, f, parts, 10_000+edits)
			_, err := db.Save(ctx, int64(edits+1), before, parts, Edit{What: "a price"})
			require.NoError(t, err)
		}
	}
	assert.Greater(t, edits, 5, "the shop is edited meanwhile")
	for number, want := range bodies {
		body, hash, err := db.EditionFile(ctx, number)
		require.NoError(t, err)
		assert.Equal(t, want, string(body))
		sum := sha256.Sum256(body)
		assert.Equal(t, number != 8, hex.EncodeToString(sum[:]) == hash)
	}
	var whole int
	require.NoError(t, db.sql.QueryRow("SELECT count(*) FROM edition WHERE pieces IS NULL").Scan(&whole))
	assert.Equal(t, 1, whole, "the damaged one")
	assert.Less(t, fileSize(t, db), before/5)
	list, err := db.Editions(ctx)
	require.NoError(t, err)
	assert.Equal(t, "kept", list[0].Note)
	require.NoError(t, db.ShareEditions(ctx, slog.New(slog.DiscardHandler)), "once more there is nothing to do")
	backups, err := Backups(dir)
	require.NoError(t, err)
	require.Len(t, backups, 1, "the database as it was is kept")
}

func TestStoreFilesAreRemovedOnlyWhenThatIsAsked(t *testing.T) {
	ctx := context.Background()
	db := opened(t, t.TempDir())
	f := medium.Store()
	parts := f.Split()
	_, err := db.Save(ctx, 0, nil, parts, Edit{})
	require.NoError(t, err)
	for n := range 12 {
		f, parts = priced(t, f, parts, n+100)
		pieces := parts.Pieces(nil)
		_, err := db.Publish(ctx, Publication{Seen: Stamp{Revision: 1, Turn: int64(n)}, Hash: HashOf(pieces), Pieces: pieces})
		require.NoError(t, err)
	}
	_, err = db.PublishAgain(ctx, Republication{Edition: 2, Turn: 12})
	require.NoError(t, err)
	would, err := db.Removable(ctx, 3, time.Now().Add(-time.Hour))
	require.NoError(t, err)
	assert.Empty(t, would, "a checkout may still be pinned to those that were live within the hour")
	later := time.Now().Add(time.Hour)
	would, err = db.Removable(ctx, 3, later)
	require.NoError(t, err)
	gone, err := db.RemoveEditions(ctx, 3, later)
	require.NoError(t, err)
	assert.Equal(t, []int64{1, 3, 4, 5, 6, 7, 8, 9}, gone, "not the one that is live, nor the one before it")
	assert.Equal(t, gone, would)
	for n := int64(1); n <= 12; n++ {
		body, _, err := db.EditionFile(ctx, n)
		if n == 1 || n >= 3 && n <= 9 {
			assert.ErrorIs(t, err, ErrRemoved)
			_, err = db.PublishAgain(ctx, Republication{Edition: n, Turn: 13})
			assert.ErrorIs(t, err, ErrNoEdition)
			continue
		}
		require.NoError(t, err)
		assert.NotEmpty(t, body)
	}
	list, err := db.Editions(ctx)
	require.NoError(t, err)
	require.Len(t, list, 12, "what is known of them stays")
	assert.False(t, list[11].Removed.IsZero())
	assert.Positive(t, list[11].Bytes)
	assert.NotEmpty(t, list[11].Hash)
	for _, query := range []string{"UPDATE edition SET pieces = x'00' WHERE number = 1",
		"UPDATE edition SET note = 'x', " +
			"removed_at = 'now', pieces = NULL WHERE number = 12", "UPDATE piece SET body = x'00'", "DELETE FROM edition"} {
		_, err := db.sql.Exec(query)
		assert.Error(t, err, query)
	}
	var pieces, used int
	require.NoError(t, db.sql.QueryRow("SELECT count(*) FROM piece").Scan(&pieces))
	seen := map[string]bool{}
	rows, err := db.sql.Query("SELECT pieces FROM edition WHERE pieces IS NOT NULL")
	require.NoError(t, err)
	defer rows.Close()
	for rows.Next() {
		var sums []byte
		require.NoError(t, rows.Scan(&sums))
		for ; len(sums) > 0; sums = sums[sha256.Size:] {
			seen[string(sums[:sha256.Size])] = true
		}
	}
	used = len(seen)
	assert.Equal(t, used, pieces, "what no edition has any more is gone")
}

// TestSizesOnDisk prints how much editions of a large shop take: DIADROM_TEST_SIZES=1.
func TestSizesOnDisk(t *testing.T) {
	if os.Getenv("DIADROM_TEST_SIZES") == "" {
		t.Skip("a measurement: DIADROM_TEST_SIZES=1")
	}
	ctx := context.Background()
	db := opened(t, t.TempDir())
	f := storetest.Large.Store()
	parts := f.Split()
	_, err := db.Save(ctx, 0, nil, parts, Edit{})
	require.NoError(t, err)
	draft := fileSize(t, db)
	var pieces *store.Pieces
	for n := range 50 {
		f, parts = priced(t, f, parts, n+100)
		pieces = parts.Pieces(pieces)
		_, err := db.Publish(ctx, Publication{Seen: Stamp{Revision: 1, Turn: int64(n)}, Hash: HashOf(pieces), Pieces: pieces})
		require.NoError(t, err)
		if n == 0 || n == 49 {
			fmt.Printf("%d editions: %d kB, without the draft %d kB\n", n+1, fileSize(t, db)/1000, (fileSize(t, db)-draft)/1000)
		}
	}
}
