package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"mime/multipart"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// served is the demo shop of a folder, served.
type served struct {
	url string
	cmd *exec.Cmd
}

func serveFolder(t testing.TB, dir string) *served {
	t.Helper()
	url, cmd := storetest.Start(t, binary, "demo", dir)
	return &served{url, cmd}
}

func (s *served) kill() { storetest.Kill(s.cmd) }

// post sends a form; what is not answered with 200 is an error.
func (s *served) post(path string, pairs ...string) error {
	form := url.Values{}
	for i := 0; i < len(pairs); i += 2 {
		form.Set(pairs[i], pairs[i+1])
	}
	resp, err := http.PostForm(s.url+path, form)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	if err != nil {
		return err
	}
	if resp.StatusCode != http.StatusOK {
		return fmt.Errorf("%s %v: %d %.900s", path, form, resp.StatusCode, body)
	}
	return nil
}

func count(t testing.TB, variable string, otherwise int) int {
	if text := os.Getenv(variable); text != "" {
		n, err := strconv.Atoi(text)
		require.NoError(t, err)
		return n
	}
	return otherwise
}

// look gives what a folder has, looked at while nobody serves it.
func look(t testing.TB, dir string) (price string, revision int64, live *draft.Live) {
	t.Helper()
	ctx := context.Background()
	db, err := sqlite.Open(ctx, dir)
	require.NoError(t, err)
	defer db.Close()
	require.NoError(t, db.Check(ctx))
	d, err := draft.Open(ctx, db, nil, draft.Empty())
	require.NoError(t, err, "the live edition is whole: its hash is what it was")
	return d.State().File.Product("TOWEL-70").Price.Fixed(2), d.State().Revision, d.Live()
}

// An edit, or an edition, that was answered is there after the process was killed at any moment; make kill does
// it 1,000 times.
func TestWhatWasAnsweredOutlivesAKill(t *testing.T) {
	dir := t.TempDir()
	kills := count(t, "DIADROM_TEST_KILLS", 50)
	var answered, lost, live int
	s := serveFolder(t, dir)
	s.kill()
	// Edits take longer on a busy machine: a kill comes within the time that some of them take.
	price, _, _ := look(t, dir)
	s = serveFolder(t, dir)
	began := time.Now()
	require.NoError(t, s.post("/goods/cell", "sku", "TOWEL-70", "field", "price", "was", price, "text", "31.00"))
	within := max(60*time.Millisecond, 4*time.Since(began))
	s.kill()
	for range kills {
		price, revision, before := look(t, dir)
		s := serveFolder(t, dir)
		sent, done := price, price // prices that were sent, and answered, last
		turn, turnSent := before.Turn, before.Turn
		var sending sync.WaitGroup
		sending.Go(func() {
			was := price
			for i := 0; ; i++ {
				next := decimal.MustParse(was).Add(decimal.MustParse("0.01")).Fixed(2)
				sent = next
				if s.post("/goods/cell", "sku", "TOWEL-70", "field", "price", "was", was, "text", next) != nil {
					return
				}
				done, was = next, next
				revision++
				answered++
				if i%3 == 2 {
					turnSent = turn + 1
					if s.post("/live", "revision", fmt.Sprint(revision), "turn", fmt.Sprint(turn)) != nil {
						return
					}
					turn++
					live++
				}
			}
		})
		time.Sleep(rand.N(within))
		s.kill()
		sending.Wait()
		got, _, after := look(t, dir)
		if !assert.Contains(t, []string{done, sent}, got, "the last edit that was answered, or the one under way") {
			lost++
		}
		assert.Contains(t, []int64{turn, turnSent}, after.Turn)
	}
	t.Logf("%d kills, %d edits and %d editions answered, %d lost", kills, answered, live, lost)
	assert.Greater(t, answered, kills/2, "edits were made before the kills")
}

// A file that was kept for its preview, and a time at which an edition was to go live, are there after the process was
// killed at any moment once they were answered; make kill does it 500 times.
func TestUploadsAndSchedulesOutliveAKill(t *testing.T) {
	dir := t.TempDir()
	kills := count(t, "DIADROM_TEST_KILLS", 20) / 2
	uploads, schedules := map[string]bool{}, 0
	serveFolder(t, dir).kill()
	for range kills {
		price, revision, _ := look(t, dir)
		s := serveFolder(t, dir)
		var answered []string // paths of previews
		scheduled := int64(0)
		var sending sync.WaitGroup
		sending.Go(func() {
			for i := 0; ; i++ {
				to, err := s.send("/zones/file", fmt.Sprintf("zone,name,country\nz%d,Zone %d,SE\n", i, i))
				if err != nil {
					return
				}
				answered = append(answered, to)
			}
		})
		sending.Go(func() {
			next := decimal.MustParse(price).Add(decimal.MustParse("0.01")).Fixed(2)
			if s.post("/goods/cell", "sku", "TOWEL-70", "field", "price", "was", price, "text", next) != nil {
				return
			}
			at := time.Now().AddDate(0, 0, 30).Format(time.DateOnly) + " 08:00"
			if s.post("/live/later", "revision", fmt.Sprint(revision+1), "at", at) == nil {
				scheduled++
			}
		})
		time.Sleep(50*time.Millisecond + rand.N(500*time.Millisecond))
		s.kill()
		sending.Wait()

		ctx := context.Background()
		db, err := sqlite.Open(ctx, dir)
		require.NoError(t, err)
		require.NoError(t, db.Check(ctx))
		for i, path := range answered {
			id, err := strconv.ParseInt(path[strings.LastIndex(path, "/")+1:], 10, 64)
			require.NoError(t, err)
			u, ok, err := db.Upload(ctx, "zones", id)
			require.NoError(t, err)
			if len(answered)-i < 4 { // those before gave way to later ones
				assert.True(t, ok, "%s is there", path)
				assert.Contains(t, string(u.Body), "zone,name,country")
			}
			uploads[path] = true
		}
		list, err := db.Schedules(ctx)
		require.NoError(t, err)
		assert.GreaterOrEqual(t, int64(len(list)), scheduled)
		schedules += int(scheduled)
		for _, one := range list { // the next round schedules again
			_, err := db.Handle().ExecContext(ctx, "DELETE FROM scheduled WHERE id = ?", one.ID)
			require.NoError(t, err)
		}
		require.NoError(t, db.Close())
	}
	t.Logf("%d kills, %d uploads and %d schedules answered", kills, len(uploads), schedules)
	assert.NotEmpty(t, uploads)
}

// send sends a file and gives the path of its preview.
func (s *served) send(path, text string) (to string, err error) {
	var b bytes.Buffer
	form := multipart.NewWriter(&b)
	w, err := form.CreateFormFile("file", "file.csv")
	if err == nil {
		_, err = io.WriteString(w, text)
	}
	if err = errors.Join(err, form.Close()); err != nil {
		return "", err
	}
	client := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	resp, err := client.Post(s.url+path, form.FormDataContentType(), &b)
	if err != nil {
		return "", err
	}
	resp.Body.Close()
	if resp.StatusCode != http.StatusSeeOther {
		return "", fmt.Errorf("%s: %d", path, resp.StatusCode)
	}
	return resp.Header.Get("Location"), nil
}
