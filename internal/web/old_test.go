package web

import (
	"database/sql"
	"fmt"
	"net/http"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// An owner sees which editions would lose their files before they do; what is known of them stays.
func TestFilesOfOldEditionsAreRemovedWhenTheOwnerSaysSo(t *testing.T) {
	dir := t.TempDir()
	b := benchOf(t, storetest.Small, dir)
	for range 13 {
		b.term()
		b.publish()
	}
	page := b.get("/live")
	assert.Contains(t, page, "Remove the files of old editions")
	ask := func(keep string, status int) string {
		r, err := http.NewRequest(http.MethodGet, "/live/old?keep="+keep, nil)
		require.NoError(t, err)
		r.Header.Set("HX-Request", "true")
		return b.do(r, status)
	}
	assert.Contains(t, ask("3", http.StatusUnprocessableEntity), "a number from 10 on")
	assert.Contains(t, ask("11", http.StatusOK), "No file would be removed", "a checkout may still be pinned to each of them")
	file, err := sql.Open("sqlite", filepath.Join(dir, "diadrom.db"))
	require.NoError(t, err)
	_, err = file.Exec("UPDATE put_live SET at = ?", time.Now().Add(-2*time.Hour).UTC().Format(time.RFC3339))
	require.NoError(t, err)
	require.NoError(t, file.Close())
	said := strings.Join(strings.Fields(ask("11", http.StatusOK)), " ")
	assert.Contains(t, said, "The files of 2 editions would be removed: 1 to 2.")
	assert.NotContains(t, b.get("/live"), "its file was removed", "nothing is removed by asking")
	b.post("/live/old", "/live", map[string][]string{"keep": {"11"}})
	page = b.get("/live")
	assert.Equal(t, 2, strings.Count(page, "its file was removed on"))
	for n := 1; n <= 13; n++ {
		want := http.StatusOK
		if n <= 2 {
			want = http.StatusNotFound
		}
		r, err := http.NewRequest(http.MethodGet, fmt.Sprintf("/live/%d.json", n), nil)
		require.NoError(t, err)
		b.do(r, want)
	}
	assert.Contains(t, b.get("/people"), "store files of 2 editions: 1 to 2")
}
