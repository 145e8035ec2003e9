package main

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/shop/demo"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// folder makes the demo shop in a folder, its first edition live, with an edit in the draft.
func folder(t *testing.T) string {
	t.Helper()
	ctx, dir := context.Background(), t.TempDir()
	db, err := sqlite.Open(ctx, dir)
	require.NoError(t, err)
	defer db.Close()
	require.NoError(t, demo.Fill(ctx, db, dir))
	f, err := demo.Store()
	require.NoError(t, err)
	d, err := draft.Open(ctx, db, nil, f)
	require.NoError(t, err)
	_, err = d.Publish(ctx, sqlite.Stamp{Revision: d.State().Revision, Turn: 0}, "")
	require.NoError(t, err)
	_, err = d.Edit(ctx, func(f *store.File) error { f.Methods[1].Name = "Box"; return nil })
	require.NoError(t, err)
	return dir
}

func TestEditionsOnTheCommandLine(t *testing.T) {
	dir := folder(t)
	live, _, code := call(t, "export", "--data", dir, "--edition", "live")
	require.Zero(t, code)
	first, _, _ := call(t, "export", "--data", dir, "--edition", "1")
	assert.Equal(t, live, first)
	now, _, _ := call(t, "export", "--data", dir)
	assert.Contains(t, now, `"name": "Box"`)
	a, b := file(t, live), file(t, now)

	out, _, code := call(t, "diff", a, b)
	assert.Equal(t, 1, code)
	assert.Equal(t, "Box, name: “Parcel to the door” → “Box”\n", out)
	same, _, code := call(t, "diff", "--data", dir, "live", "draft")
	assert.Equal(t, 1, code)
	assert.Equal(t, out, same, "the same sentences")
	out, _, code = call(t, "diff", a, a)
	assert.Zero(t, code)
	assert.Empty(t, out)
	_, errs, code := call(t, "diff", a, file(t, `{"format":"diadrom-store/1","store":{"currency":"XXX"}}`))
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "/store/currency")
	_, errs, code = call(t, "diff", "--data", dir, "live", "7")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "there is no such edition")
	_, errs, code = call(t, "export", "--data", dir, "--edition", "x")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "neither draft nor live")
	_, errs, code = call(t, "export", "--data", t.TempDir())
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "there is no shop in")
}

func TestAStoreFileIsTakenInAfterALook(t *testing.T) {
	dir := folder(t)
	live, _, _ := call(t, "export", "--data", dir, "--edition", "live")
	dearer := file(t, strings.Replace(live, `"6.9"`, `"7.9"`, -1))
	answer := func(text string, args ...string) (string, int) {
		t.Helper()
		cmd := exec.Command(binary, args...)
		cmd.Stdin = strings.NewReader(text)
		out, err := cmd.CombinedOutput()
		if err != nil {
			return string(out), cmd.ProcessState.ExitCode()
		}
		return string(out), 0
	}
	out, code := answer("no\n", "import", "--data", dir, "--store", dearer)
	assert.Equal(t, 1, code)
	for _, want := range []string{"6.90 → 7.90", "name: “Box” → “Parcel to the door”",
		"Parcel to your door is dearer: 6.90 → 7.90", "quotes of sample carts", "The draft is as it was."} {
		assert.Contains(t, out, want)
	}
	now, _, _ := call(t, "export", "--data", dir)
	assert.Contains(t, now, `"name": "Box"`)
	out, code = answer("yes\n", "import", "--data", dir, "--store", dearer)
	assert.Zero(t, code)
	assert.Contains(t, out, "Buyers notice nothing before it is published")
	out, code = answer("", "import", "--data", dir, "--store", dearer, "--yes")
	assert.Zero(t, code)
	assert.Contains(t, out, "Nothing changes")
	after, _, _ := call(t, "export", "--data", dir, "--edition", "live")
	assert.Equal(t, live, after)
	for name, body := range map[string]string{"no store": `{"a":1}`, "later": `{"format":"diadrom-store/9"}`,
		"none": ""} {
		_, errs, code := call(t, "import", "--data", dir, "--store", file(t, body), "--yes")
		assert.Equal(t, 2, code, name)
		assert.Contains(t, errs, `"message"`)
	}
	huge := filepath.Join(t.TempDir(), "huge.json")
	f, err := os.Create(huge)
	require.NoError(t, err)
	require.NoError(t, f.Truncate(300<<20))
	require.NoError(t, f.Close())
	_, errs, code := call(t, "import", "--data", dir, "--store", huge, "--yes")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "larger than 64 MB")
	now, _, _ = call(t, "export", "--data", dir)
	assert.Contains(t, now, `"7.9"`, "the draft is as it was")
}

func TestABackupIsRestoredWithOneCommand(t *testing.T) {
	dir := folder(t)
	list, _, code := call(t, "restore", "--data", dir)
	require.Zero(t, code)
	names := strings.Fields(list)
	require.Len(t, names, 1, "made before the first edition was published")
	assert.Contains(t, names[0], "before-publishing")
	lock, err := sqlite.Lock(dir, "a server")
	require.NoError(t, err)
	_, errs, code := call(t, "restore", "--data", dir, names[0])
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "a server (process")
	require.NoError(t, lock.Close())
	_, errs, code = call(t, "restore", "--data", dir, "no-such.db")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "no such file")

	require.NoError(
		t,
		os.WriteFile(
			filepath.Join(dir, sqlite.Name),
			[]byte("somebody's letter, where a database was, of some length"),
			0o600,
		),
	)
	os.Remove(filepath.Join(dir, sqlite.Name+"-wal"))
	_, errs, code = call(t, "export", "--data", dir)
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "restore a backup with diadrom restore")
	out, errs, code := call(t, "restore", "--data", dir, names[0])
	require.Zero(t, code, errs)
	assert.Contains(t, out, "is in place")
	now, errs, code := call(t, "export", "--data", dir)
	require.Zero(t, code, errs)
	assert.Contains(t, now, `"name": "Parcel to the door"`, "as it was before publishing")
	kept, err := filepath.Glob(filepath.Join(dir, "backups", "*.replaced"))
	require.NoError(t, err)
	assert.Len(t, kept, 1, "what was there is kept")
	_, _, code = call(t, "restore", "--data", t.TempDir())
	assert.Equal(t, 2, code)
}

func TestTheDemoStaysOnThisMachine(t *testing.T) {
	_, errs, code := call(t, "demo", "--data", t.TempDir(), "--listen", "0.0.0.0:0")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "listens on this machine only")
}
