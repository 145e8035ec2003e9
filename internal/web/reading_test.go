package web

import (
	"bytes"
	"context"
	"mime/multipart"
	"net/http"
	"strings"
	"testing"
	"time"

	"diadrom/internal/shop/confined"
	"diadrom/internal/test/child"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A file that is not read at once shows how far it is, can be stopped, and is there when it has been read.
func TestALongReadingIsShownAndCanBeStopped(t *testing.T) {
	s := lauha(t)
	var leave []func()
	for range confined.AtOnce { // others read meanwhile
		_, free, err := s.files.Hold(confined.As(t.Context(), strings.Repeat("x", len(leave)+1)), 1)
		require.NoError(t, err)
		leave = append(leave, free)
	}
	sent := func() (at, page string) {
		var b bytes.Buffer
		form := multipart.NewWriter(&b)
		w, err := form.CreateFormFile("file", "zones.csv")
		require.NoError(t, err)
		_, err = w.Write([]byte("zone,name,country\nx,Sweden,SE\n"))
		require.NoError(t, err)
		require.NoError(t, form.Close())
		resp, err := s.client.Post(s.URL+"/zones/file", form.FormDataContentType(), &b)
		require.NoError(t, err)
		defer resp.Body.Close()
		var text bytes.Buffer
		_, err = text.ReadFrom(resp.Body)
		require.NoError(t, err)
		return resp.Request.URL.Path, text.String()
	}
	at, page := sent()
	assert.Contains(t, page, "Reading the file")
	assert.Contains(t, page, "Stop reading")
	code, part := s.part(at)
	assert.Equal(t, http.StatusOK, code)
	assert.Contains(t, part, `id="reading"`)
	assert.NotContains(t, part, "<html", "the page asks again for its part alone")
	resp, err := s.client.Post(s.URL+at+"/stop", "", nil)
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, "/zones", resp.Request.URL.Path)

	// A window that is closed while it waits stops the reading: it does not come to its turn.
	ctx, closed := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer closed()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, s.URL+at, nil)
	require.NoError(t, err)
	_, err = s.client.Do(req)
	require.ErrorIs(t, err, context.DeadlineExceeded)
	require.Eventually(t, func() bool { return s.files.Waiting() == 0 }, time.Minute, 10*time.Millisecond)

	done := make(chan string, 1)
	go func() { _, page := s.get(at); done <- page }()
	require.Eventually(t, func() bool { return s.files.Waiting() == 1 }, time.Minute, 10*time.Millisecond)
	for _, free := range leave {
		free()
	}
	assert.Contains(t, <-done, "Sweden", "it is read once there is a place")
}

// 10,000 drawn areas in a file are previewed in a few seconds, and a small file of somebody else meanwhile.
func TestManyAreasArePreviewed(t *testing.T) {
	s := lauha(t)
	for _, kml := range []bool{false, true} {
		code, page := s.send("/zones/areas", "areas.geojson", string(child.Features(10_000, kml)))
		assert.Equal(t, http.StatusOK, code)
		assert.Contains(t, page, "Area 9999")
	}
}
