package files_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"diadrom/internal/shop/confined"
	"diadrom/internal/shop/files"
	"diadrom/internal/tables/geozones"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/sheet"
	"diadrom/internal/test/child"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestMain(m *testing.M) { child.Main(m) }

func reader(t testing.TB) *files.Reader {
	r, err := files.New(slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	return r
}

// ask reads a file as its kind is read.
func ask(ctx context.Context, r *files.Reader, kind string, data []byte) (err error) {
	switch kind {
	case "table":
		_, err = r.Table(ctx, data).Read(grid.Options{})
	case "areas":
		_, err = r.Areas(ctx, data, false)
	case "store":
		_, faults, readErr := r.Store(ctx, data)
		if err = readErr; err == nil && len(faults) > 0 {
			err = faults
		}
	case "promises":
		_, faults, readErr := r.Promises(ctx, data)
		if err = readErr; err == nil && len(faults) > 0 {
			err = faults
		}
	}
	return err
}

// What a child reads is what would be read here, with the same errors.
func TestAChildReadsWhatWouldBeReadHere(t *testing.T) {
	r := reader(t)
	for _, text := range []string{
		"Country;Price\nDE;6,90\nFI;=1+1\n", "", "\n\n", "a,b\n\"x", "%PDF-1.4",
		"<table><tr><td>1<td>2<tr><td rowspan=2>a<td>b</table>",
		"sep=|\nä|b\n1|2\n", strings.Repeat("x,", 600) + "\n", "PK\x03\x04", "\xff\xfea\x00,\x00b\x00\n\x00", "caf\xe9;1\n",
	} {
		for _, o := range []grid.Options{{}, {Separator: ';'}, {Encoding: "Windows-1252"}, {Sheet: "None"}} {
			want, wantErr := grid.Read([]byte(text), o)
			got, err := r.Table(t.Context(), []byte(text)).Read(o)
			assert.Equal(t, wantErr, err, "%q", text)
			assert.Equal(t, want, got, "%q", text)
		}
	}
	_, err := r.Table(t.Context(), nil).Read(grid.Options{})
	assert.ErrorIs(t, err, sheet.ErrEmpty)
	for _, kml := range []bool{false, true} {
		data := child.Features(40, kml)
		want, err := geozones.Parse(data)
		require.NoError(t, err)
		got, err := r.Areas(t.Context(), data, false)
		require.NoError(t, err)
		assert.Equal(t, want, got)
	}
	_, err = r.Areas(t.Context(), []byte("no"), false)
	text, ok := files.Told(err)
	assert.True(t, ok)
	assert.Contains(t, text, "not GeoJSON")
}

// No hostile file takes memory of this process, or long, and each is refused in words.
func TestHostileFilesStopAlone(t *testing.T) {
	r := reader(t)
	for _, h := range child.Hostiles {
		t.Run(h.Name, func(t *testing.T) {
			if h.Slow && os.Getenv("DIADROM_TEST_ATTACK") == "" {
				t.Skip("only on demand: make attack")
			}
			data := h.Make()
			begun, before := time.Now(), resident(t)
			ctx, stop := context.WithCancel(t.Context())
			most, done := make(chan int), make(chan struct{})
			go func() {
				peak := 0
				for {
					select {
					case <-done:
						most <- peak
						return
					case <-time.After(2 * time.Millisecond):
						peak = max(peak, resident(t))
					}
				}
			}()
			err := ask(ctx, r, h.Kind, data)
			stop()
			close(done)
			grown := <-most - before
			t.Logf("%d bytes, %v, %d MB more: %v", len(data), time.Since(begun).Round(time.Millisecond), grown>>20, cut(err))
			if err == nil {
				assert.Equal(t, "areas", h.Kind, "features that are refused one by one, or a table that is small in the end")
				return
			}
			assert.False(t, errors.Is(err, confined.ErrBroken), "%v", err)
			assert.NotErrorIs(t, err, context.Canceled)
			assert.Less(t, grown, len(data)*2+64<<20, "memory of the shop while it was read")
		})
	}
}

func cut(err error) string {
	text := fmt.Sprint(err)
	return text[:min(len(text), 120)]
}

// resident is how many bytes this process has in memory.
func resident(t testing.TB) int {
	text, err := os.ReadFile("/proc/self/statm")
	if err != nil {
		t.Skip("this machine does not say")
	}
	var size, pages int
	_, err = fmt.Sscan(string(text), &size, &pages)
	require.NoError(t, err)
	return pages * os.Getpagesize()
}

// While two of somebody's files are read, others' are read, and small ones pass large ones.
func TestOneReaderDoesNotHoldUpOthers(t *testing.T) {
	r := reader(t)
	slow := func(ctx context.Context, size int64, in chan<- struct{}) error {
		return r.Run(ctx, "store", nil, waiting{ctx, in}, size, func(in io.Reader) error {
			_, err := io.Copy(io.Discard, in)
			return err
		})
	}
	ctx, stop := context.WithCancel(t.Context())
	var all sync.WaitGroup
	in := make(chan struct{}, 9)
	for range 6 {
		all.Go(func() { assert.Error(t, slow(confined.As(ctx, "busy"), 10, in)) })
	}
	for range 2 {
		all.Go(func() { assert.Error(t, slow(confined.As(ctx, "large"), 100<<20, in)) })
	}
	for range confined.AtOnce - 1 { // two of the first, and of the large ones what is left
		<-in
	}
	stop()
	all.Wait()

	ctx, stop = context.WithCancel(t.Context())
	for range 6 {
		all.Go(func() { assert.Error(t, slow(confined.As(ctx, "busy"), 100<<20, in)) })
	}
	<-in
	<-in
	_, err := r.Table(confined.As(t.Context(), "other"), []byte("a,b\n1,2\n")).Read(grid.Options{})
	assert.NoError(t, err, "a small file of somebody else is read meanwhile")
	stop()
	all.Wait()
	_, err = r.Table(confined.As(t.Context(), "busy"), []byte("a,b\n1,2\n")).Read(grid.Options{})
	assert.NoError(t, err, "all places are free again")
}

// waiting is a file that does not come to its end before its context does.
type waiting struct {
	ctx context.Context
	in  chan<- struct{}
}

func (w waiting) Read([]byte) (int, error) {
	select {
	case w.in <- struct{}{}:
	default:
	}
	<-w.ctx.Done()
	return 0, w.ctx.Err()
}
