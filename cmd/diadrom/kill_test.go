package main

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"strconv"
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
	kills := count(t, "DIADROM_KILLS", 50)
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
