package main

import (
	"crypto/rand"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"diadrom/internal/core/decimal"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A disk that is full refuses edits and editions with a clear word; what was answered before stays, and once
// there is room all goes on.
func TestAFullDiskLosesNothing(t *testing.T) {
	dir := t.TempDir()
	if out, err := exec.Command(
		"mount",
		"-t",
		"tmpfs",
		"-o",
		"size=24m",
		"tmpfs",
		dir,
	).CombinedOutput(); err != nil {
		t.Skipf("a small file system cannot be mounted here: %v %s", err, out)
	}
	defer exec.Command("umount", "-l", dir).Run()
	s := serveFolder(t, dir)
	defer s.kill()
	filler := filepath.Join(dir, "filler")
	f, err := os.Create(filler)
	require.NoError(t, err)
	block := make([]byte, 4096)
	rand.Read(block)
	for err == nil {
		_, err = f.Write(block)
	}
	require.ErrorContains(t, err, "no space left")
	require.NoError(t, f.Close())

	was, told := "29.00", ""
	for range 400 { // there is room in the write-ahead log for some
		next := decimal.MustParse(was).Add(decimal.MustParse("0.01")).Fixed(2)
		if err := s.post("/goods/cell", "sku", "TOWEL-70", "field", "price", "was", was, "text", next); err != nil {
			told = err.Error()
			break
		}
		was = next
	}
	assert.Contains(t, told, "507")
	assert.Contains(t, told, "The disk is full. Nothing was changed")
	draft := func() string {
		resp, err := http.Get(s.url + "/live/draft.json")
		require.NoError(t, err)
		defer resp.Body.Close()
		body, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		return string(body)
	}
	assert.Contains(
		t,
		draft(),
		fmt.Sprintf(`"price": %q`, decimal.MustParse(was).String()),
		"the draft is as the last answer said",
	)
	err = s.post(
		"/live",
		"revision",
		fmt.Sprint(1+int(decimal.MustParse(was).Sub(decimal.MustParse("29")).Float64()*100+0.5)),
		"turn",
		"1",
	)
	require.Error(t, err)
	assert.Contains(t, strings.ToLower(err.Error()), "the disk is full")
	resp, err := http.Post(
		s.url+"/api/v1/quotes",
		"application/json",
		strings.NewReader(`{"to":{"country":"FI"},"lines":[{"sku":"TOWEL-70","quantity":1}]}`),
	)
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, http.StatusOK, resp.StatusCode, "buyers are quoted all the same")

	require.NoError(t, os.Remove(filler))
	require.NoError(t, s.post("/goods/cell", "sku", "TOWEL-70", "field", "price", "was", was, "text", "35.00"))
	s.kill()
	price, _, live := look(t, dir)
	assert.Equal(t, "35.00", price)
	assert.EqualValues(t, 1, live.Turn, "the live edition is as it was")
	parts, err := filepath.Glob(filepath.Join(dir, "backups", "*.part"))
	require.NoError(t, err)
	assert.Empty(t, parts, "no half backup is left")
}
