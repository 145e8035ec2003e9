// Package browser tests Diadrom as its users meet it: the real program, its real database, a real browser.
package browser

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	_ "diadrom/internal/shop/demo" // what the program is made of, so that a kept result
	"diadrom/internal/test/storetest"
	_ "diadrom/internal/web" // of these tests is not taken for a program that has changed since

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/launcher"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/require"
)

var (
	binary   string
	browsers = make(chan *rod.Browser, sideBySide)

	having sync.Mutex
	has    = map[testing.TB]*rod.Browser{}
)

// sideBySide is how many tests run at once, each in a Chromium of its own: a page waits for much that is no work.
const sideBySide = 4

// browserOf gives a test its browser, until it ends, and has it run beside others.
func browserOf(t *testing.T) *rod.Browser {
	t.Helper()
	having.Lock()
	b := has[t]
	having.Unlock()
	if b != nil {
		return b
	}
	t.Parallel()
	b = <-browsers
	t.Cleanup(func() {
		having.Lock()
		delete(has, t)
		having.Unlock()
		browsers <- b
	})
	having.Lock()
	has[t] = b
	having.Unlock()
	return b
}

func TestMain(m *testing.M) {
	code, err := run(m)
	if err != nil {
		fmt.Fprintln(os.Stderr, "browser tests:", err)
		code = 1
	}
	os.Exit(code)
}

func run(m *testing.M) (int, error) {
	dir, err := os.MkdirTemp("", "diadrom-browser-")
	if err != nil {
		return 0, err
	}
	defer os.RemoveAll(dir)
	binary = filepath.Join(dir, "diadrom")
	if out, err := exec.Command("go", "build", "-o", binary, "diadrom/cmd/diadrom").CombinedOutput(); err != nil {
		return 0, fmt.Errorf("%w: %s", err, out)
	}
	chromium, err := exec.LookPath("chromium")
	if err != nil {
		return 0, fmt.Errorf("chromium is not installed: make test installs it, or apt-get install chromium")
	}
	for i := range sideBySide {
		l := launcher.New().Bin(chromium).Headless(true).NoSandbox(true).Leakless(false).
			Set("disable-gpu").Set("disable-quic").Set("no-first-run").Set("disable-background-networking").
			Set(
				"disable-component-update",
			).Set("disable-sync").Set("user-data-dir", filepath.Join(dir, fmt.Sprint("profile-", i)))
		url, err := l.Launch()
		if err != nil {
			return 0, err
		}
		defer l.Kill()
		b := rod.New().ControlURL(url)
		if err := b.Connect(); err != nil {
			return 0, err
		}
		browsers <- b
	}
	return m.Run(), nil
}

// shop is a running server.
type shop struct {
	dir, url string
	begin    string // path to the first page, with the code of the first start
	cmd      *exec.Cmd
}

// start runs a command of the program that serves ("demo" or "serve") on a folder and waits for its address.
func start(t *testing.T, command, dir string) *shop {
	t.Helper()
	browserOf(t)
	s := &shop{dir: dir}
	address, cmd := storetest.Start(t, binary, command, dir)
	s.url, s.cmd = storetest.Base(address), cmd
	s.begin = strings.TrimPrefix(address, s.url)
	t.Cleanup(s.kill)
	return s
}

// kill ends the server without warning (SIGKILL).
func (s *shop) kill() { storetest.Kill(s.cmd) }

// open opens a page of the shop in a window of the given size.
func (s *shop) open(t *testing.T, path string, width, height int) *rod.Page {
	t.Helper()
	page, err := browserOf(t).Page(proto.TargetCreateTarget{})
	require.NoError(t, err)
	t.Cleanup(func() { _, _ = proto.TargetCloseTarget{TargetID: page.TargetID}.Call(page.Browser()) }) // asks nothing
	page = page.Timeout(20 * time.Minute)
	listen(t, page)
	require.NoError(
		t,
		page.SetViewport(
			&proto.EmulationSetDeviceMetricsOverride{Width: width, Height: height, DeviceScaleFactor: 1},
		),
	)
	require.NoError(t, page.Navigate(s.url+path))
	require.NoError(t, page.WaitLoad())
	page.MustWaitIdle()
	return page
}

// listen has a test fail on what the browser says on its console: an error of a script, of the security policy,
// of a page. Answers that refuse what was typed (4xx) are told there too, and are no error.
func listen(t *testing.T, page *rod.Page) {
	said := func(format string, args ...any) { t.Errorf("the console says: "+format, args...) }
	require.NoError(t, proto.LogEnable{}.Call(page))
	go page.EachEvent(func(e *proto.RuntimeExceptionThrown) {
		said("%s %v", e.ExceptionDetails.Text, e.ExceptionDetails.Exception.Description)
	}, func(e *proto.RuntimeConsoleAPICalled) {
		if e.Type == proto.RuntimeConsoleAPICalledTypeError {
			var args []string
			for _, a := range e.Args {
				args = append(args, a.Value.String()+a.Description)
			}
			if text := strings.Join(args, " "); !lost.MatchString(text) {
				said("%s", text)
			}
		}
	}, func(e *proto.LogEntryAdded) {
		if e.Entry.Level == proto.LogLogEntryLevelError && e.Entry.Source != proto.LogLogEntrySourceNetwork {
			said("%s %s", e.Entry.Text, e.Entry.URL)
		}
	})()
}

// lost is what htmx says of an exchange that was given up for a later one, or whose server was killed.
var lost = regexp.MustCompile(`^htmx:(sendAbort|sendError|afterRequest)\b`)

// slow has every exchange of a page take 150 ms longer, as from far away.
func slow(t *testing.T, page *rod.Page) *rod.Page { return slowBy(t, page, 150) }

// slowBy has every exchange of a page take some milliseconds longer.
func slowBy(t *testing.T, page *rod.Page, latency float64) *rod.Page {
	require.NoError(t, proto.NetworkEnable{}.Call(page))
	require.NoError(
		t,
		proto.NetworkEmulateNetworkConditions{
			Latency:            latency,
			DownloadThroughput: -1,
			UploadThroughput:   -1,
		}.Call(page),
	)
	return page
}

// ownShop is a shop of one's own: its first owner has begun it, with keys alone, and is signed in in this browser.
func ownShop(t *testing.T) *shop {
	t.Helper()
	s := start(t, "serve", t.TempDir())
	page := s.open(t, s.begin, 1280, 800)
	wait := nextPage(t, page)
	page.MustInsertText("Aino Esimerkki") // the field has the focus
	page.KeyActions().Press(input.Tab).MustDo()
	page.MustInsertText("three words of löyly")
	page.KeyActions().Press(input.Enter).MustDo()
	wait()
	waitText(t, page, ".maker", "Aino Esimerkki")
	return s
}

func demoShop(t *testing.T) *shop { return start(t, "demo", t.TempDir()) }

// quiet waits until the page has no exchange under way. Where it is left for another meanwhile, that one is waited for.
func quiet(page *rod.Page) {
	const none = `() => !document.querySelector(".htmx-request, .htmx-settling, .htmx-swapping")`
	if page.Wait(rod.Eval(none)) != nil {
		page.MustWaitLoad()
		page.MustWait(none)
	}
}

// nextPage marks the page that is open now and gives a function that waits until another stands in its place, whole and
// still. Events of the browser do not tell: one of the page before may come late.
func nextPage(t *testing.T, page *rod.Page) func() {
	t.Helper()
	page.MustEval(`() => { window.before = true; }`)
	return func() {
		t.Helper()
		require.Eventually(t, func() bool {
			there, err := page.Eval(`() => !window.before && document.readyState === "complete" &&
				!document.querySelector("#reading")`)
			return err == nil && there.Value.Bool() // an error where the page goes just then
		}, patient, 20*time.Millisecond, "the next page never came")
		quiet(page)
	}
}

// goTo opens another page and waits until its scripts have begun, and what comes after it is there: what is clicked
// before may move away.
func goTo(page *rod.Page, url string) {
	page.MustNavigate(url).MustWaitLoad()
	page.MustWaitIdle()
	quiet(page)
}

// TestScreenshots takes the pictures of docs/screenshots when DIADROM_TEST_SCREENSHOTS names a folder.
func TestScreenshots(t *testing.T) {
	into := os.Getenv("DIADROM_TEST_SCREENSHOTS")
	if into == "" {
		t.Skip("only on demand: make screenshots")
	}
	require.NoError(t, os.MkdirAll(into, 0o755))
	s := demoShop(t)
	for _, shot := range []struct {
		name, path string
		width      int
		prepare    func(*rod.Page)
	}{
		{"zones", "/zones", 1280, nil},
		{"shop", "/shop", 1280, nil},
		{"warnings", "/warnings", 1280, nil},
		{"rates", "/rates/parcel", 1280, func(p *rod.Page) {
			p.MustElement(`#till details[data-method=parcel] summary`).MustClick()
		}},
		{"goods", "/goods", 1280, nil},
		{"parcels", "/quotes/parcels?method=parcel", 1280, func(p *rod.Page) {
			p.MustElement("#till-cart").MustSelect("A whole sauna: two parcels and stones")
			waitText(t, p, ".packing-slip", "3 parcels")
			p.MustElement("#till-cart").MustSelect("A whole sauna: two parcels and stones")
			quiet(p)
		}},
		{"methods", "/methods", 1280, nil},
		{"quotes", "/quotes", 1280, nil},
		{"past", "/past", 1280, func(p *rod.Page) {
			waitText(t, p, "#past-result", "a method that this shop does not have under that name")
			p.MustElement(".past-names select").MustEval(`() => { this.value = "parcel" }`)
			wait := nextPage(t, p)
			p.MustElement(".past-names .go").MustClick()
			wait()
			waitText(t, p, "#past-result", "Orders")
		}},
		{"what-if", "/past/free", 1280, nil},
		{"carriers", "/carriers", 1280, func(p *rod.Page) {
			typeOver(p, "#till-to", "EE 10111 Tallinn")
			p.KeyActions().Press(input.Enter).MustDo()
			waitText(t, p, "#till-options", "Express parcel")
			p.MustElement("[aria-label='Test Kuikka']").MustClick()
			waitText(t, p, "#carrier-kuikka .tried", "Kuikka Express")
			p.MustEval(`() => document.activeElement.blur()`)
		}},
		{"checkout", "/checkout", 1280, func(p *rod.Page) { waitText(t, p, "#total", "€") }},
		{"element", "/checkout/element?accent=%230b6b4f&radius=12", 1280, func(p *rod.Page) {
			waitIn(t, p,
				`r.querySelector(".option.on")`)
		}},
		{"price-file", "/rates/parcel", 1280, func(p *rod.Page) {
			name := filepath.Join(t.TempDir(), "Prices 2027.csv")
			require.NoError(t, os.WriteFile(name,
				[]byte("Prices from 1 January 2027\n\nWeight (kg);Finland;Lapland;Zone 3\n"+
					"0–2;7,20;9,40;15,00\n2–5;8,60;11,40;18,00\n5–10;10,20;13,90;22,00\n"+
					"each further kg;0,85;1,10;1,60\n"+
					"Fuel surcharge 4 %\n\nZone;Countries\nZone 3;Estonia, Latvia, Lithuania\n"), 0o600))
			p.MustEval(`() => document.querySelectorAll("details").forEach(d => d.open = true)`)
			p.MustElement("#rates-file").MustSetFiles(name)
			wait := nextPage(t, p)
			p.MustElement(`form[action="/rates-file"] .go`).MustClick()
			wait()
			wait = nextPage(t, p)
			p.MustElement(".asks .answer").MustClick()
			wait()
		}},
		{"why", "/quotes/why?method=parcel", 1280, nil},
		{"promises", "/rates/parcel", 1280, func(p *rod.Page) {
			typeOver(p, "#c-list-0-0", "7.20")
			waitText(t, p, "#history", "promises broken")
			wait := nextPage(t, p)
			p.MustElement("#history .promised").MustClick()
			wait()
			p.MustElement(`#till details[data-method=parcel] summary`).MustClick()
		}},
		{"live", "/live", 1280, nil},
		{"map", "/map?zone=van-round&method=van", 1280, func(p *rod.Page) {
			drawnMap(t, p)
			p.MustElementR(".ground-tools button", "Area round the shop").MustClick()
			waitText(t, p, "#ground-facts", "km at its widest")
			drawnMap(t, p)
			zoom(p, 60.47, 22.05, 10)
			waitFor(t, p, `() => !document.querySelector("#ground .leaflet-tile:not(.leaflet-tile-loaded)")`)
			time.Sleep(2 * time.Second) // until all of its tiles are faded in
		}},
	} {
		height := 800
		if shot.width < 500 {
			height = 844
		}
		page := s.open(t, shot.path, shot.width, height)
		if shot.prepare != nil {
			shot.prepare(page)
		}
		picture(t, page, filepath.Join(into, shot.name+".png"))
	}
	page := ownShop(t).open(t, "/", 1280, 800)
	picture(t, page, filepath.Join(into, "first-hour.png"))
}

func picture(t *testing.T, page *rod.Page, name string) {
	t.Helper()
	quiet(page)
	page.MustEval(`() => document.fonts.ready.then(() => 1)`)
	png, err := page.Screenshot(false, &proto.PageCaptureScreenshot{Format: proto.PageCaptureScreenshotFormatPng})
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(name, png, 0o644))
}

// readAxe is axe-core's script, vendored with the screens' tests.
func readAxe(t *testing.T) string {
	t.Helper()
	body, err := os.ReadFile("testdata/vendor/axe.min.js")
	require.NoError(t, err)
	return string(body)
}
