package browser

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// An owner chooses how the element looks, sees it at once, is told what is hard to read, and copies what to put into a page.
func TestAnOwnerChoosesHowTheElementLooks(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/checkout/element", 1280, 900)
	waitIn(t, page, `r && r.querySelector(".option.on")`)
	set := func(name, value string) {
		t.Helper()
		page.MustEval(`(name, value) => { const i = document.querySelector("#look [name=" + name + "]"); i.value = value;
			i.dispatchEvent(new Event("input", {bubbles: true})) }`, name, value)
	}
	snippet := func() string { return page.MustElement("#look-snippet").MustText() }
	assert.NotContains(t, snippet(), "<style>", "what is not chosen is the page's")
	assert.Contains(t, snippet(), `integrity="sha384-`)
	set("accent", "#a05000")
	assert.Equal(t, "rgb(160, 80, 0)", page.MustEval(`() => {`+within+` return getComputedStyle(r.querySelector(".option.on")).borderColor}`).Str())
	set("radius", "0")
	set("lang", "fi")
	waitIn(t, page, `r.textContent.includes("Postinumero")`)
	page.MustElement(`input[name=unavailable][value=allow]`).MustClick()
	for _, want := range []string{"--diadrom-accent: #a05000; --diadrom-radius: 0px;", `lang="fi"`, `when-unavailable="allow"`} {
		assert.Contains(t, snippet(), want)
	}
	// Yellow on white cannot be read: 1.07 to 1, by the formula of WCAG 2.2.
	assert.Empty(t, page.MustElement("#look-contrast").MustText())
	set("text", "#ffff00")
	assert.Contains(t, page.MustElement("#look-contrast").MustText(), "Text: 1.1 to 1 is hard to read; 4.5 to 1 is needed.")
	// The choices lie in the address.
	page.MustReload().MustWaitLoad()
	waitIn(t, page, `r && r.textContent.includes("Postinumero")`)
	assert.Contains(t, snippet(), "--diadrom-text: #ffff00;")
	page.MustElement(`[data-reset=text]`).MustClick()
	assert.NotContains(t, snippet(), "--diadrom-text")
	page.MustElement(`button[type=reset]`).MustClick()
	assert.NotContains(t, snippet(), "<style>")
	page.MustElement("#look-copy").MustClick()
	waitText(t, page, "#look-copied", "ed")
	page.MustSetViewport(390, 800, 1, true)
	assert.LessOrEqual(t, page.MustEval(`() => document.documentElement.scrollWidth`).Int(), 390)
}
