package importer

import (
	"bufio"
	"bytes"
	"context"
	"database/sql"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"
	"unicode/utf8"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/postcode"
	"diadrom/internal/sqlite"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

type shop struct {
	dir    string
	db     *sqlite.DB
	in     *Importer
	places *gazetteer.Gazetteer
}

func opened(t testing.TB, dir string) *shop {
	db, err := sqlite.Open(context.Background(), dir)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	s := &shop{dir: dir, db: db}
	s.in = New(db, dir, "", func(g *gazetteer.Gazetteer) { s.places = g })
	return s
}

func (s *shop) take(t testing.TB, text string) sqlite.PlaceList {
	t.Helper()
	l, err := s.in.Import(context.Background(), "list.txt", strings.NewReader(text), func(sqlite.PlaceList) {})
	require.NoError(t, err)
	return s.list(t, l.ID)
}

func (s *shop) list(t testing.TB, id int64) sqlite.PlaceList {
	t.Helper()
	lists, err := s.in.Lists(context.Background())
	require.NoError(t, err)
	for _, l := range lists {
		if l.ID == id {
			return l
		}
	}
	return sqlite.PlaceList{}
}

// madeLines is a list of so many lines in the GeoNames postal layout. Made-up data.
func madeLines(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(
			&b,
			"SE\t%03d %02d\tOrt %d\tStockholm\tAB\tKommun %d\t%04d\t\t\t%.4f\t%.4f\t4\n",
			100+i/100%900,
			i%100,
			i,
			i%290,
			i%290,
			55+float64(i%1000)/100,
			12+float64(i%777)/100,
		)
	}
	return b.String()
}

const finnish = "FI\t21100\tNaantali\tSouthwest Finland\t19\tNaantali\t529\t\t\t60.4674\t22.026\t4\n" +
	"FI\t63700\tÄhtäri\tSouth Ostrobothnia\t03\n"

func TestFilesOfManyKinds(t *testing.T) {
	latin, err := charmap.ISO8859_1.NewEncoder().String(finnish)
	require.NoError(t, err)
	wide, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String(finnish)
	require.NoError(t, err)
	for name, text := range map[string]string{"as it is": finnish, "Windows line ends": strings.ReplaceAll(finnish,
		"\n", "\r\n"), "Latin-1": latin, "UTF-16": wide,
		"byte order mark": "\ufeff" + finnish, "no last line end": strings.TrimSuffix(finnish, "\n"),
		"empty lines": "\n\r\n" + finnish + "\n"} {
		s := opened(t, t.TempDir())
		l := s.take(t, text)
		assert.Equal(t, sqlite.ListDone, l.State, name)
		assert.Equal(t, map[string]int{"FI": 2}, l.Countries, name)
		assert.Zero(t, l.Skipped, name)
		assert.Equal(t, name == "Latin-1", l.Recoded == 1, name)
		require.NotNil(t, s.places, name)
		towns := s.places.Postcode("FI", postcode.Read("FI", "63700"))
		require.Len(t, towns, 1, name)
		assert.Equal(t, "Ähtäri", towns[0].Name, name)
		assert.Equal(t, "FI-03", towns[0].Region, name)
	}
}

func TestMalformedLinesAreListedAndSkipped(t *testing.T) {
	s := opened(t, t.TempDir())
	l := s.take(
		t,
		finnish+"XX\t1\tNowhere\nFI\t\tNo code\nFI only\nFI\t00100\tHelsinki\t\t\t\t\t\t\t95\t22\n"+strings.Repeat(
			"x",
			1<<20,
		)+"\nFI\t2110\tShort\n",
	)
	assert.Equal(t, 5, l.Skipped)
	assert.Equal(t, 1, l.Unusual, "four digits are no Finnish code, but what the list has is the list's")
	assert.Equal(t, map[string]int{"FI": 3}, l.Countries)
	lines, err := s.db.SkippedLines(context.Background(), l.ID, 10)
	require.NoError(t, err)
	var at []int
	for _, line := range lines {
		at = append(at, line.Line)
	}
	assert.Equal(t, []int{3, 4, 5, 6, 7}, at)
	assert.Contains(t, lines[3].Reason, "no latitude")
	assert.Equal(t, gazetteer.TooLong, lines[4].Reason)
}

func TestWhatIsNoListIsRefusedAndNothingChanges(t *testing.T) {
	s := opened(t, t.TempDir())
	s.take(t, finnish)
	before := s.places
	l := s.take(t, "sku,name\n1,Towel\n")
	assert.Equal(t, sqlite.ListFailed, l.State)
	assert.Contains(t, l.Problem, "no line of it is a place")
	_, err := s.in.Import(context.Background(), "empty.txt", strings.NewReader(""), func(sqlite.PlaceList) {})
	assert.ErrorIs(t, err, ErrEmpty)
	assert.Same(t, before, s.places)
	files, err := os.ReadDir(filepath.Join(s.dir, folder))
	require.NoError(t, err)
	assert.Empty(t, files)
}

func TestANewerListStandsInForItsCountries(t *testing.T) {
	s := opened(t, t.TempDir())
	first := s.take(t, finnish+"EE\t10111\tTallinn\n")
	second := s.take(t, "FI\t21160\tMerimasku\n")
	assert.Equal(t, map[string]int{"EE": 1}, s.list(t, first.ID).Countries)
	assert.Equal(t, 2, s.places.Len())
	require.NoError(t, s.in.Remove(context.Background(), second.ID))
	assert.Equal(t, 1, s.places.Len())
	third := s.take(t, "EE\t10111\tTallinn\nEE\t10112\tTallinn\n")
	assert.Zero(t, s.list(t, first.ID).ID, "nothing is left of it")
	require.NoError(t, s.in.Remove(context.Background(), third.ID))
	assert.Nil(t, s.places)
}

// A process that ends in the middle leaves whole parts behind; the next one goes on from there, in the same file.
func TestItGoesOnWhereItStopped(t *testing.T) {
	dir, text := t.TempDir(), madeLines(3*Part+17)
	s := opened(t, dir)
	ctx, stop := context.WithCancel(context.Background())
	l, err := s.in.Import(ctx, "se.txt", strings.NewReader("broken\n"+text), func(l sqlite.PlaceList) {
		if l.Lines >= 2*Part {
			stop()
		}
	})
	require.ErrorIs(t, err, context.Canceled)
	assert.Nil(t, s.places, "half a list does not count")
	half := s.list(t, l.ID)
	assert.Equal(t, sqlite.ListWaiting, half.State)
	assert.EqualValues(t, 2*Part, half.Lines)
	require.NoError(t, os.WriteFile(filepath.Join(dir, folder, "999.tsv"), []byte("of no list"), 0o600))

	again := opened(t, dir)
	running, end := context.WithCancel(context.Background())
	done := make(chan error, 1)
	loaded := make(chan *gazetteer.Gazetteer, 1)
	again.in.changed = func(g *gazetteer.Gazetteer) { loaded <- g }
	go func() { done <- again.in.Run(running) }()
	assert.Equal(t, 3*Part+17, (<-loaded).Len(), "each line once")
	end()
	require.NoError(t, <-done)
	whole := again.list(t, l.ID)
	assert.Equal(t, sqlite.ListDone, whole.State)
	assert.Equal(t, 1, whole.Skipped)
	assert.EqualValues(t, 3*Part+18, whole.Lines)
	files, err := os.ReadDir(filepath.Join(dir, folder))
	require.NoError(t, err)
	assert.Empty(t, files)
}

func TestTwoProcessesDoNotTakeTheSamePart(t *testing.T) {
	s := opened(t, t.TempDir())
	l, err := s.db.AddPlaceList(context.Background(), "x", 100, func(int64) error { return nil })
	require.NoError(t, err)
	other := l
	part := sqlite.Places{
		Places: []gazetteer.Place{{Country: "FI", Postcode: "21100", Name: "Naantali"}},
		Bytes:  10,
		Lines:  1,
	}
	require.NoError(t, s.db.AddPlaces(context.Background(), &l, part))
	assert.ErrorIs(t, s.db.AddPlaces(context.Background(), &other, part), sqlite.ErrConflict)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(finnish))
	f.Add([]byte("FI\t21100\tN\xe4\r\n\xff\xfe\n"))
	f.Fuzz(func(t *testing.T, text []byte) {
		lines, reader := bufio.NewReader(bytes.NewReader(text)), gazetteer.NewLines()
		var bytesRead, seen, taken, skipped int64
		for {
			part, err := read(lines, reader, seen)
			require.NoError(t, err)
			if part.Bytes == 0 {
				break
			}
			bytesRead, seen = bytesRead+part.Bytes, seen+part.Lines
			taken, skipped = taken+int64(len(part.Places)), skipped+int64(len(part.Skipped))
			for _, p := range part.Places {
				if !utf8.ValidString(p.Name) || len(p.Country) != 2 {
					t.Fatalf("%+v", p)
				}
			}
		}
		assert.EqualValues(t, len(text), bytesRead, "every byte is read")
		want := bytes.Count(text, []byte("\n"))
		if len(text) > 0 && !bytes.HasSuffix(text, []byte("\n")) {
			want++
		}
		assert.EqualValues(t, want, seen, "every line is counted")
		assert.LessOrEqual(t, taken+skipped, seen, "a line is a place, a slip or empty")
	})
}

// Taking in 100,000 lines, beside a bare insert of the same lines' fields with one prepared statement in one
// transaction.
func BenchmarkImport(b *testing.B) {
	text := madeLines(100_000)
	b.Run("import", func(b *testing.B) {
		for b.Loop() {
			b.StopTimer()
			s := opened(b, b.TempDir())
			b.StartTimer()
			l, err := s.in.Import(
				context.Background(),
				"se.txt",
				strings.NewReader(text),
				func(sqlite.PlaceList) {},
			)
			require.NoError(b, err)
			require.EqualValues(b, 100_000, l.Lines)
		}
	})
	b.Run("bare", func(b *testing.B) {
		lines := strings.Split(strings.TrimSuffix(text, "\n"), "\n")
		for b.Loop() {
			b.StopTimer()
			db, err := sql.Open(
				"sqlite",
				"file:"+filepath.Join(
					b.TempDir(),
					"bare.db",
				)+"?_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)",
			)
			require.NoError(b, err)
			_, err = db.Exec(
				"CREATE TABLE place (a TEXT, b TEXT, c TEXT, d TEXT, e TEXT, f TEXT, g TEXT, h TEXT, i TEXT, j " +
					"TEXT, k TEXT, l TEXT)",
			)
			require.NoError(b, err)
			b.StartTimer()
			tx, err := db.Begin()
			require.NoError(b, err)
			insert, err := tx.Prepare("INSERT INTO place VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)")
			require.NoError(b, err)
			values := make([]any, 12)
			for _, line := range lines {
				for i, field := range strings.Split(line, "\t") {
					values[i] = field
				}
				if _, err := insert.Exec(values...); err != nil {
					b.Fatal(err)
				}
			}
			require.NoError(b, tx.Commit())
			b.StopTimer()
			require.NoError(b, db.Close())
			b.StartTimer()
		}
	})
}

// lockedLog is a log that is read while it is written.
type lockedLog struct {
	mu  sync.Mutex
	log bytes.Buffer
}

func (l *lockedLog) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.log.Write(p)
}

func (l *lockedLog) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.log.String()
}

// A list is seen once its file is there: a list that is added while others are taken in is not called gone.
func TestAListIsSeenOnceItsFileIsThere(t *testing.T) {
	s := opened(t, t.TempDir())
	seen := 0
	l, err := s.db.AddPlaceList(t.Context(), "fi.txt", 10, func(id int64) error {
		lists, err := s.db.PlaceLists(t.Context())
		seen = len(lists)
		assert.Positive(t, id)
		return err
	})
	require.NoError(t, err)
	assert.Zero(t, seen)
	assert.Equal(t, sqlite.ListWaiting, s.list(t, l.ID).State)
	_, err = s.db.AddPlaceList(t.Context(), "se.txt", 10, func(int64) error { return os.ErrPermission })
	require.ErrorIs(t, err, os.ErrPermission)
	lists, err := s.db.PlaceLists(t.Context())
	require.NoError(t, err)
	assert.Len(t, lists, 1, "a list without its file is none")
}

func TestListsThatAreAddedAtOnceAreAllTakenIn(t *testing.T) {
	s := opened(t, t.TempDir())
	running, end := context.WithCancel(t.Context())
	done := make(chan error, 1)
	go func() { done <- s.in.Run(running) }()
	var group errgroup.Group
	ids := make([]int64, 24)
	for i := range ids {
		group.Go(func() error {
			l, err := s.in.Add(t.Context(), fmt.Sprint(i), strings.NewReader(madeLines(3)))
			ids[i] = l.ID
			return err
		})
	}
	require.NoError(t, group.Wait())
	for _, id := range ids {
		taken := func() bool { return s.list(t, id).State != sqlite.ListWaiting }
		require.Eventually(t, taken, 10*time.Second, 2*time.Millisecond)
		require.NotEqual(t, sqlite.ListFailed, s.list(t, id).State)
	}
	end()
	require.NoError(t, <-done)
}

// A list that cannot be saved, as when the disk is full, is logged and tried again; the lists behind it are
// taken in without a restart, and what killed processes left goes.
func TestTheWorkerOutlivesATrouble(t *testing.T) {
	dir := t.TempDir()
	s := opened(t, dir)
	require.NoError(t, os.MkdirAll(filepath.Join(dir, folder), 0o700))
	leftover := filepath.Join(dir, folder, "new-1.part")
	require.NoError(t, os.WriteFile(leftover, []byte("half a list"), 0o600))
	raw, err := sql.Open("sqlite", "file:"+filepath.Join(dir, sqlite.Name)+"?_pragma=busy_timeout(5000)")
	require.NoError(t, err)
	defer raw.Close()
	_, err = raw.Exec(
		"CREATE TRIGGER trouble BEFORE INSERT ON place WHEN new.country = 'FI' BEGIN SELECT RAISE(ABORT, 'no " +
			"room'); END",
	)
	require.NoError(t, err)
	var logged lockedLog
	s.in.Log, s.in.Retry = slog.New(slog.NewTextHandler(&logged, nil)), 20*time.Millisecond
	running, end := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() { done <- s.in.Run(running) }()
	finnishList, err := s.in.Add(t.Context(), "fi.txt", strings.NewReader(finnish))
	require.NoError(t, err)
	swedish, err := s.in.Add(
		t.Context(),
		"se.txt",
		strings.NewReader(strings.ReplaceAll(madeLines(10), "FI\t", "SE\t")),
	)
	require.NoError(t, err)
	state := func(id int64) string { return s.list(t, id).State }
	require.Eventually(
		t,
		func() bool { return state(swedish.ID) == sqlite.ListDone },
		5*time.Second,
		5*time.Millisecond,
		"another list goes on",
	)
	require.Eventually(
		t,
		func() bool { return strings.Contains(logged.String(), "no room") },
		5*time.Second,
		5*time.Millisecond,
		"the first one has its trouble",
	)
	require.NotEqual(t, sqlite.ListDone, state(finnishList.ID))
	_, err = raw.Exec("DROP TRIGGER trouble")
	require.NoError(t, err)
	require.Eventually(
		t,
		func() bool { s := state(finnishList.ID); return s == sqlite.ListDone || s == sqlite.ListFailed },
		5*time.Second,
		5*time.Millisecond,
	)
	end()
	require.NoError(t, <-done)
	_, err = os.Stat(leftover)
	assert.ErrorIs(t, err, os.ErrNotExist)
}
