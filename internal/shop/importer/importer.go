// Package importer imports long lists of places into a shop in the background: a file is kept in the shop's folder,
// and read from there part by part, each part in one transaction that also says how far the file has been read.
// After the process was killed it goes on from there.
//
// Files are in the GeoNames postal layout (see package gazetteer), in UTF-8, UTF-16 with a byte order mark, or,
// line by line where it is not UTF-8, Windows-1252, which has Latin-1 in it. Line ends are those of any system.
package importer

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"runtime/debug"
	"strconv"
	"sync"
	"time"
	"unicode/utf8"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/postcode"
	"diadrom/internal/sqlite"

	"github.com/gofrs/flock"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// folder is where files lie in the shop's folder until they are imported.
const folder = "lists"

// MaxBytes is the largest file that is imported. The open list of all countries has about 150 MB.
const MaxBytes = 1 << 30

// Part is how many lines are imported at a time.
const Part = 10_000

// Importer takes lists in for one shop. It is safe for many goroutines.
type Importer struct {
	db      *sqlite.DB
	dir     string
	changed func(*gazetteer.Gazetteer) // called with the places that count from then on
	wake    chan struct{}

	// Log gets the lists that could not be imported; nil for no log.
	Log *slog.Logger
	// Retry is how long is waited before an import that failed is tried again.
	Retry time.Duration

	loading sync.Mutex
	version string // of the places that changed has been called with
}

// New makes the importer of a shop whose folder is dir. changed is called with the places that count whenever
// they are others; version is that of the places that the caller has loaded.
func New(db *sqlite.DB, dir, version string, changed func(*gazetteer.Gazetteer)) *Importer {
	return &Importer{
		db:      db,
		dir:     filepath.Join(dir, folder),
		version: version,
		changed: changed,
		wake:    make(chan struct{}, 1),
		Retry:   15 * time.Second,
	}
}

// Add keeps a file and begins to take it in, if [Importer.Run] runs.
func (in *Importer) Add(ctx context.Context, name string, r io.Reader) (sqlite.PlaceList, error) {
	l, err := in.keep(ctx, name, r)
	if err == nil {
		select {
		case in.wake <- struct{}{}:
		default:
		}
	}
	return l, err
}

// Import keeps a file and takes it in before it returns; progress is called after each part.
func (in *Importer) Import(
	ctx context.Context,
	name string,
	r io.Reader,
	progress func(sqlite.PlaceList),
) (sqlite.PlaceList, error) {
	l, err := in.keep(ctx, name, r)
	if err != nil {
		return l, err
	}
	return l, in.take(ctx, &l, progress)
}

// Run imports what is waiting and what is added, until ctx is done. A list that cannot be imported, as when
// the disk is full, is logged and tried again later, and the others go on. Files of no list, left by a process
// that was killed while it kept them, go.
func (in *Importer) Run(ctx context.Context) error {
	if err := in.clean(ctx); err != nil {
		in.log("leftovers of lists of places", err)
	}
	tried := map[int64]int{}
	for {
		again := false
		lists, err := in.db.PlaceLists(ctx)
		if err != nil {
			in.log("lists of places", err)
			again = true
		}
		for i := len(lists) - 1; i >= 0 && ctx.Err() == nil; i-- {
			l := &lists[i]
			if l.State != sqlite.ListWaiting {
				continue
			}
			err := in.taken(ctx, l)
			switch {
			case err == nil || errors.Is(err, sqlite.ErrConflict) || ctx.Err() != nil:
				continue
			case sqlite.Full(err):
			default:
				tried[l.ID]++
			}
			in.log("list "+l.Name, err)
			if tried[l.ID] < maxTries {
				again = true
			} else if err := in.db.FailPlaceList(ctx, l.ID, "it could not be read; the log of the server says "+
				"why"); err != nil {
				in.log("list "+l.Name, err)
				again = true
			}
		}
		var retry <-chan time.Time
		if again {
			retry = time.After(in.Retry)
		}
		select {
		case <-ctx.Done():
			return nil
		case <-in.wake:
		case <-retry:
		}
	}
}

// maxTries is how often a list is tried that cannot be imported for another reason than a full disk.
const maxTries = 4

// taken imports a list; a panic is an error, so that the lists behind it are still imported.
func (in *Importer) taken(ctx context.Context, l *sqlite.PlaceList) (err error) {
	defer func() {
		if p := recover(); p != nil {
			err = fmt.Errorf("panic: %v\n%s", p, debug.Stack())
		}
	}()
	return in.take(ctx, l, func(sqlite.PlaceList) {})
}

func (in *Importer) log(what string, err error) {
	if in.Log != nil {
		in.Log.Error("taking places in", "what", what, "full", sqlite.Full(err), "error", err)
	}
}

func (in *Importer) clean(ctx context.Context) (err error) {
	cleaning := in.cleaning()
	if err := cleaning.Lock(); err != nil {
		return err
	}
	defer func() { err = errors.Join(err, cleaning.Unlock()) }()
	files, err := os.ReadDir(in.dir)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	lists, err := in.db.PlaceLists(ctx)
	if err != nil {
		return err
	}
	waiting := map[string]bool{}
	for _, l := range lists {
		waiting[filepath.Base(in.file(l.ID))] = l.State == sqlite.ListWaiting
	}
	for _, f := range files {
		path := filepath.Join(in.dir, f.Name())
		switch filepath.Ext(path) {
		case ".part", ".tsv": // of a process that was killed, or of a list that is done, unless one holds it
			if waiting[f.Name()] {
				continue
			}
			lock := flock.New(path)
			if ok, lockErr := lock.TryLock(); lockErr == nil && ok {
				err = errors.Join(err, os.Remove(path), lock.Unlock())
			}
		}
	}
	return err
}

func (in *Importer) file(list int64) string {
	return filepath.Join(in.dir, strconv.FormatInt(list, 10)+".tsv")
}

// cleaning is held while leftovers are removed, and while a file that is none is made and locked, or becomes that
// of a list.
func (in *Importer) cleaning() *flock.Flock { return flock.New(in.dir + ".lock") }

// held makes a file that nobody takes for a leftover while its lock is held.
func (in *Importer) held() (f *os.File, lock *flock.Flock, err error) {
	cleaning := in.cleaning()
	if err := cleaning.Lock(); err != nil {
		return nil, nil, err
	}
	defer func() { err = errors.Join(err, cleaning.Unlock()) }()
	if f, err = os.CreateTemp(in.dir, "new-*.part"); err != nil {
		return nil, nil, err
	}
	lock = flock.New(f.Name())
	if _, err = lock.TryLock(); err != nil {
		return nil, nil, errors.Join(err, f.Close(), os.Remove(f.Name()))
	}
	return f, lock, nil
}

// keep writes a file to the shop's folder, as UTF-8 where its byte order mark says that it is UTF-16, and
// enters it as a list.
func (in *Importer) keep(ctx context.Context, name string, r io.Reader) (l sqlite.PlaceList, err error) {
	if err := os.MkdirAll(in.dir, 0o700); err != nil {
		return l, err
	}
	f, lock, err := in.held()
	if err != nil {
		return l, err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(f.Name())) }()
	defer lock.Unlock()
	limited := &io.LimitedReader{R: r, N: MaxBytes + 1}
	n, err := io.Copy(f, transform.NewReader(limited, unicode.BOMOverride(transform.Nop)))
	if err == nil && limited.N == 0 {
		err = fmt.Errorf("a list of places has at most %d MB", MaxBytes>>20)
	}
	if err == nil {
		err = f.Sync()
	}
	if err = errors.Join(err, f.Close()); err != nil {
		return l, err
	}
	if n == 0 {
		return l, ErrEmpty
	}
	cleaning := in.cleaning()
	if err := cleaning.Lock(); err != nil {
		return l, err
	}
	defer func() { err = errors.Join(err, cleaning.Unlock()) }()
	return in.db.AddPlaceList(ctx, filepath.Base(name), n, func(id int64) error {
		return os.Rename(f.Name(), in.file(id))
	})
}

// ErrEmpty is the error of a file without a byte.
var ErrEmpty = errors.New("this file is empty")

// take reads what is left of a list's file.
func (in *Importer) take(ctx context.Context, l *sqlite.PlaceList, progress func(sqlite.PlaceList)) error {
	f, err := os.Open(in.file(l.ID))
	if errors.Is(err, os.ErrNotExist) {
		return in.db.FailPlaceList(ctx, l.ID, "its file is gone: choose it again")
	}
	if err != nil {
		return err
	}
	defer f.Close()
	if _, err := f.Seek(l.Taken, io.SeekStart); err != nil {
		return err
	}
	lines := bufio.NewReaderSize(f, 256<<10)
	reader := gazetteer.NewLines()
	for l.Taken < l.Bytes {
		part, err := read(lines, reader, l.Lines)
		if err != nil {
			return err
		}
		if part.Bytes == 0 {
			return in.db.FailPlaceList(ctx, l.ID, "its file is shorter than it was: choose it again")
		}
		if err := in.db.AddPlaces(ctx, l, part); err != nil {
			return err
		}
		progress(*l)
	}
	if int64(l.Skipped) == l.Lines {
		err = in.db.FailPlaceList(
			ctx,
			l.ID,
			"no line of it is a place: lists of places have a line a place, with country code, postcode and "+
				"name parted by tabs",
		)
	} else {
		err = in.db.FinishPlaceList(ctx, l.ID)
	}
	if err != nil {
		return err
	}
	return errors.Join(os.Remove(in.file(l.ID)), in.Refresh(ctx))
}

// read reads the next part of a file whose lines before have been counted.
func read(lines *bufio.Reader, reader *gazetteer.Lines, before int64) (part sqlite.Places, err error) {
	part.Places = make([]gazetteer.Place, 0, Part)
	for part.Lines < Part {
		line, length, err := gazetteer.ReadLine(lines)
		if length == 0 {
			if err == io.EOF {
				err = nil
			}
			return part, err
		}
		part.Bytes += int64(length)
		part.Lines++
		if len(line) == 0 {
			continue // an empty line is no place and no slip
		}
		p, reason := gazetteer.Place{}, gazetteer.TooLong
		if length <= gazetteer.MaxLine {
			if !utf8.Valid(line) {
				line, _ = charmap.Windows1252.NewDecoder().Bytes(line)
				part.Recoded++
			}
			p, reason = reader.Parse(line)
		}
		if reason != "" {
			part.Skipped = append(part.Skipped, gazetteer.LineError{Line: int(before + part.Lines), Reason: reason})
			continue
		}
		if p.Postcode != "" && !postcode.Possible(p.Country, p.Postcode) {
			part.Unusual++
		}
		part.Places = append(part.Places, p)
	}
	return part, nil
}

// Refresh loads the places that count where they are others than those loaded before, such as when another
// process has imported a list.
func (in *Importer) Refresh(ctx context.Context) error {
	in.loading.Lock()
	defer in.loading.Unlock()
	version, err := in.db.PlacesVersion(ctx)
	if err != nil || version == in.version {
		return err
	}
	g, err := in.db.LoadPlaces(ctx)
	if err != nil {
		return err
	}
	in.changed(g)
	in.version = version
	return nil
}

// Lists gives the lists, the newest first.
func (in *Importer) Lists(ctx context.Context) ([]sqlite.PlaceList, error) {
	return in.db.PlaceLists(ctx)
}

// Remove removes a list; the import of one that is running stops.
func (in *Importer) Remove(ctx context.Context, list int64) error {
	if err := in.db.RemovePlaceList(ctx, list); err != nil {
		return err
	}
	if err := os.Remove(in.file(list)); err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	return in.Refresh(ctx)
}
