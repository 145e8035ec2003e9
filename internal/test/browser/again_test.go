package browser

import (
	"os"
	"path/filepath"
	"testing"

	"diadrom/internal/test/child"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A key asks for the passphrase again, in sight of where it is made, and what was typed stays until it is right.
func TestAKeyAsksForThePassphraseAgain(t *testing.T) {
	s := ownShop(t)
	page := slow(t, s.open(t, "/people", 1280, 800))
	page.MustElement("#k-name").MustInput("My shop")
	page.MustElementR("button", "Make key").MustClick()
	waitText(t, page, "#again-slip", "type your passphrase here first")
	assert.Equal(t, "again", page.MustEval(`() => document.activeElement.id`).Str(), "it can be typed at once")
	assert.True(t, page.MustEval(`() => { const r = document.querySelector("#again").getBoundingClientRect();
		return r.top >= 0 && r.bottom <= window.innerHeight; }`).Bool(), "and is in sight")
	page.MustElement("#again").MustInput("three words of tea")
	page.MustElementR("button", "Make key").MustClick()
	waitText(t, page, "#again-slip", "this is not your passphrase")
	assert.Equal(t, "My shop", page.MustElement("#k-name").MustProperty("value").String())
	page.MustElement("#again").MustSelectAllText().MustInput("three words of löyly")
	page.MustElementR("button", "Make key").MustClick()
	waitText(t, page, "#new-key", "diadrom_")
	page.MustElementR("button", "Replace signing key").MustClick()
	waitText(t, page, "#h-events ~ .grid-wrap", "signs held quotes")
	assert.Empty(t, page.MustElements("#again"), "once in ten minutes")
}

// A file that takes long to read says so, and its preview opens by itself.
func TestALongReadingOpensByItself(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/zones/areas/0", 1280, 800)
	name := filepath.Join(t.TempDir(), "areas.geojson")
	require.NoError(t, os.WriteFile(name, child.Features(10_000, false), 0o600))
	page.MustElement("#areas-file").MustSetFiles(name)
	wait := nextPage(t, page)
	page.MustElementR("button", "Preview import").MustClick()
	wait()
	waitText(t, page, "main", "Area 9999")
}
