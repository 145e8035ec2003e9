// Command attack starts the program as it is built, in an address space of its own size, and does to it what was done to
// bring it down: hostile files, hostile askers, and a clock that jumps. It prints a line for each: what was tried, what
// came of it, how long that took, and by how much the server's memory grew meanwhile. It exits with 1 where something
// did not hold.
//
//	go run ./tools/attack            all of it
//	go run ./tools/attack -only files,askers,tests,clock
package main

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"mime/multipart"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"diadrom/internal/test/child"
)

// space is the address space of the server in kB (ulimit -v).
const space = 6 << 20

// grown is by how many bytes the server's memory may grow while a file is read or askers ask.
const grown = 64 << 20

type attack struct {
	folder string
	failed int
}

func main() {
	only := flag.String("only", "files,askers,tests,clock", "which attacks, with commas between")
	flag.Parse()
	a := &attack{}
	if err := a.run(strings.Split(*only, ",")); err != nil {
		fmt.Fprintln(os.Stderr, "attack:", err)
		os.Exit(1)
	}
	if a.failed > 0 {
		fmt.Printf("%d did not hold\n", a.failed)
		os.Exit(1)
	}
}

func (a *attack) run(only []string) (err error) {
	if a.folder, err = os.MkdirTemp("", "diadrom-attack-"); err != nil {
		return err
	}
	defer os.RemoveAll(a.folder)
	for _, part := range []struct {
		name string
		do   func() error
	}{{"files", a.files}, {"askers", a.askers}, {"tests", a.tests}, {"clock", a.clock}} {
		if !slices.Contains(only, part.name) {
			continue
		}
		fmt.Printf("\n%s\n%-62s %-9s %8s %8s  %s\n", part.name, "tried", "", "seconds", "MB more", "result")
		if err := part.do(); err != nil {
			return err
		}
	}
	return nil
}

// row prints what came of an attack.
func (a *attack) row(tried string, held bool, took time.Duration, more int, result string) {
	word := "held"
	if !held {
		word = "NOT HELD"
		a.failed++
	}
	memory := "–"
	if more >= 0 {
		memory = strconv.Itoa(more >> 20)
	}
	result = strings.Join(strings.Fields(result), " ")
	fmt.Printf("%-62.62s %-9s %8.1f %8s  %.110s\n", tried, word, took.Seconds(), memory, result)
}

// server is the demo shop, served by the program as it is built.
type server struct {
	url string
	cmd *exec.Cmd
}

func build(flags ...string) (string, error) {
	folder, err := os.MkdirTemp("", "diadrom-attack-bin-")
	if err != nil {
		return "", err
	}
	path := filepath.Join(folder, "diadrom")
	out, err := exec.Command("go", append(append([]string{"build"}, flags...), "-o", path, "./cmd/diadrom")...).CombinedOutput()
	if err != nil {
		return "", fmt.Errorf("%w: %s", err, out)
	}
	return path, nil
}

func (a *attack) start(binary string, environment ...string) (*server, error) {
	dir, err := os.MkdirTemp(a.folder, "shop-")
	if err != nil {
		return nil, err
	}
	cmd := exec.Command("bash", "-c", fmt.Sprintf("ulimit -v %d; exec %q demo --data %q --listen 127.0.0.1:0", space, binary,
		dir))
	cmd.Env = append(os.Environ(), environment...)
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	found := make(chan string, 1)
	go func() {
		text := make([]byte, 4<<10)
		said := ""
		for {
			n, err := out.Read(text)
			said += string(text[:n])
			if m := regexp.MustCompile(`http://[0-9.:]+`).FindString(said); m != "" && len(found) == 0 {
				found <- m
			}
			if err != nil {
				return
			}
		}
	}()
	select {
	case url := <-found:
		return &server{url, cmd}, nil
	case <-time.After(2 * time.Minute):
		cmd.Process.Kill() //nolint:errcheck // it has ended otherwise
		return nil, errors.New("the server said no address")
	}
}

func (s *server) stop() {
	s.cmd.Process.Kill() //nolint:errcheck // it has ended otherwise
	s.cmd.Wait()         //nolint:errcheck // killed
}

// resident is how many bytes the server has in memory.
func (s *server) resident() int {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/statm", s.cmd.Process.Pid))
	if err != nil {
		return 0
	}
	var size, pages int
	fmt.Sscan(string(text), &size, &pages) //nolint:errcheck // 0 then
	return pages * os.Getpagesize()
}

// watch gives by how much the server's memory has grown at most until its function is called.
func (s *server) watch() (more func() int) {
	before, done, most := s.resident(), make(chan struct{}), make(chan int, 1)
	go func() {
		peak := before
		for {
			select {
			case <-done:
				most <- peak - before
				return
			case <-time.After(5 * time.Millisecond):
				peak = max(peak, s.resident())
			}
		}
	}()
	return func() int { close(done); return <-most }
}

const small = `{"to":{"country":"FI","postcode":"21100"},"lines":[{"sku":"TOWEL-70","quantity":1}]}`

// quote asks for a small quote.
func (s *server) quote(body string, headers ...string) (int, string, time.Duration) {
	begun := time.Now()
	req, err := http.NewRequest(http.MethodPost, s.url+"/api/v1/quotes", strings.NewReader(body))
	if err != nil {
		return 0, err.Error(), 0
	}
	req.Header.Set("Content-Type", "application/json")
	for i := 0; i+1 < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return 0, err.Error(), time.Since(begun)
	}
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	if err != nil {
		return 0, err.Error(), time.Since(begun)
	}
	return resp.StatusCode, string(text), time.Since(begun)
}

// quoting asks for small quotes until its function is called, and gives the 99th percentile of how long they took.
func (s *server) quoting(headers ...string) (p99 func() (time.Duration, int)) {
	done, all := make(chan struct{}), make(chan []time.Duration, 1)
	failed := 0
	go func() {
		var took []time.Duration
		for {
			select {
			case <-done:
				all <- took
				return
			default:
			}
			status, _, d := s.quote(small, headers...)
			if status != http.StatusOK {
				failed++
			}
			took = append(took, d)
			time.Sleep(2 * time.Millisecond)
		}
	}()
	return func() (time.Duration, int) {
		close(done)
		took := <-all
		slices.Sort(took)
		return took[len(took)*99/100], failed
	}
}

// paths are where files of a kind are sent.
var paths = map[string]string{"table": "/rates-file", "areas": "/zones/areas", "store": "/live/file",
	"promises": "/promises/file"}

// send sends a file and waits for its preview, as a browser does.
func (s *server) send(path string, data []byte) (status int, page string, err error) {
	var b bytes.Buffer
	form := multipart.NewWriter(&b)
	w, err := form.CreateFormFile("file", "file")
	if err == nil {
		_, err = w.Write(data)
	}
	if err = errors.Join(err, form.Close()); err != nil {
		return 0, "", err
	}
	resp, err := http.Post(s.url+path, form.FormDataContentType(), &b)
	for {
		if err != nil {
			return 0, "", err
		}
		text, readErr := io.ReadAll(resp.Body)
		resp.Body.Close()
		if readErr != nil {
			return 0, "", readErr
		}
		if !bytes.Contains(text, []byte(`id="reading"`)) {
			return resp.StatusCode, string(text), nil
		}
		time.Sleep(200 * time.Millisecond)
		resp, err = http.Get(resp.Request.URL.String())
	}
}

var said = regexp.MustCompile(`(?s)<p class="(?:note|slip-note)[^>]*>(.*?)</p>`)

// files sends what takes more to read than it holds.
func (a *attack) files() error {
	binary, err := build()
	if err != nil {
		return err
	}
	s, err := a.start(binary)
	if err != nil {
		return err
	}
	defer s.stop()
	s.quote(small)
	if _, _, err := s.send("/zones/areas", child.Features(10, false)); err != nil { // what every file needs once
		return err
	}
	hostiles := append([]child.Hostile{
		{Name: "10,000 areas as GeoJSON", Kind: "areas", Make: func() []byte { return child.Features(10_000, false) }},
		{Name: "10,000 areas as KML", Kind: "areas", Make: func() []byte { return child.Features(10_000, true) }},
	}, child.Hostiles...)
	for _, h := range hostiles {
		data := h.Make()
		p99, more, begun := s.quoting(), s.watch(), time.Now()
		status, page, err := s.send(paths[h.Kind], data)
		took, grew := time.Since(begun), more()
		slow, failed := p99()
		result := "read"
		if m := said.FindStringSubmatch(page); m != nil {
			result = regexp.MustCompile(`<[^>]*>`).ReplaceAllString(m[1], "")
		}
		if err != nil {
			result = err.Error()
		}
		// The file itself is in the server's memory twice, as it comes and as it is kept.
		a.row(h.Name, err == nil && status < 500 && failed == 0 && grew < grown+4*len(data), took, grew,
			fmt.Sprintf("%d, quotes within %.0f ms: %s", status, slow.Seconds()*1000, result))
	}
	return nil
}

func zipped(text string) []byte {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	z.Write([]byte(text)) //nolint:errcheck // it is in memory
	z.Close()             //nolint:errcheck // it is in memory
	return b.Bytes()
}

// askers asks for what is dear, while somebody else asks for small quotes with a key.
func (a *attack) askers() error {
	binary, err := build()
	if err != nil {
		return err
	}
	s, err := a.start(binary)
	if err != nil {
		return err
	}
	defer s.stop()
	key, err := s.key("Small")
	if err != nil {
		return err
	}
	other, err := s.key("Attack")
	if err != nil {
		return err
	}
	mine, theirs := []string{"Authorization", "Bearer " + key}, []string{"Authorization", "Bearer " + other}
	wait := s.quoting(mine...)
	time.Sleep(3 * time.Second)
	alone, _ := wait()
	bulky := `{"to":{"country":"FI","postcode":"21100"},"parcels":true,"lines":[{"price":"1","weight":"1","own_parcel":true,` +
		`"quantity":10000}]}`
	packed := string(zipped(strings.Repeat(" ", 4<<20-len(bulky)) + bulky))
	var cart strings.Builder
	cart.WriteString(`{"to":{"country":"FI","postcode":"21100"},"lines":[`)
	for i := range 10_000 {
		fmt.Fprintf(&cart, `{"name":"%d","price":"1.%02d","weight":"0.%03d","quantity":1},`, i, i%100, i%1000+1)
	}
	large := strings.TrimSuffix(cart.String(), ",") + "]}"
	coupons := `{"to":{"country":"FI"},"lines":[],"coupons":[` + strings.Repeat(`"x",`, 250_000) + `"x"]}`
	patch := string(zipped(strings.Repeat("{}\n", 32<<20/3)))
	for _, t := range []struct {
		name string
		do   func()
	}{
		{"2 requests of 4 MB in 4.9 kB, whose answers are read slowly", func() {
			for range 2 {
				s.hang(packed, theirs, true)
			}
			time.Sleep(3 * time.Second)
		}},
		{"16 of them, read at once, for 5 s", func() {
			s.many(16, func() { s.quote(packed, append(theirs, "Content-Encoding", "gzip")...) })
		}},
		{"8 carts of 10,000 different lines, for 5 s", func() { s.many(8, func() { s.quote(large, theirs...) }) }},
		{"16 requests for 10,000 parcels each, for 5 s", func() { s.many(16, func() { s.quote(bulky, theirs...) }) }},
		{"250,000 coupons in one request, for 5 s", func() { s.many(8, func() { s.quote(coupons, theirs...) }) }},
		{"PATCH of 32 MB in 204 kB, for 5 s", func() {
			s.many(4, func() {
				req, err := http.NewRequest(http.MethodPatch, s.url+"/api/v1/products", strings.NewReader(patch))
				if err != nil {
					return
				}
				req.Header.Set("Content-Type", "application/x-ndjson")
				req.Header.Set("Content-Encoding", "gzip")
				if resp, err := http.DefaultClient.Do(req); err == nil { // as the demo's owner
					io.Copy(io.Discard, resp.Body) //nolint:errcheck // it is thrown away
					resp.Body.Close()
				}
			})
		}},
	} {
		p99, more, begun := s.quoting(mine...), s.watch(), time.Now()
		t.do()
		grew, took := more(), time.Since(begun)
		slow, failed := p99()
		a.row(t.name, failed == 0 && slow < max(5*alone, 10*time.Millisecond), took, grew,
			fmt.Sprintf("small quotes: p99 %.1f ms, %.1f times what it is alone (%.1f ms); %d failed", slow.Seconds()*1000,
				float64(slow)/float64(alone), alone.Seconds()*1000, failed))
	}
	return nil
}

// many does something in so many goroutines for five seconds.
func (s *server) many(n int, do func()) {
	until := time.Now().Add(5 * time.Second)
	var all sync.WaitGroup
	for range n {
		all.Go(func() {
			for time.Now().Before(until) {
				do()
			}
		})
	}
	all.Wait()
}

// hang sends a request and reads no answer.
func (s *server) hang(body string, headers []string, packed bool) {
	conn, err := net.Dial("tcp", strings.TrimPrefix(s.url, "http://"))
	if err != nil {
		return
	}
	encoding := ""
	if packed {
		encoding = "Content-Encoding: gzip\r\n"
	}
	fmt.Fprintf(conn, "POST /api/v1/quotes HTTP/1.1\r\nHost: %s\r\nContent-Type: application/json\r\n%s%s: %s\r\n"+
		"Content-Length: %d\r\n\r\n%s", strings.TrimPrefix(s.url, "http://"), encoding, headers[0], headers[1], len(body), body)
}

// key makes a key for servers.
func (s *server) key(name string) (string, error) {
	resp, err := http.PostForm(s.url+"/keys", map[string][]string{"name": {name}, "kind": {"server"}})
	if err != nil {
		return "", err
	}
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	key := regexp.MustCompile(`diadrom_[A-Z2-7]{26}`).FindString(string(text))
	if key == "" {
		return "", errors.Join(err, errors.New("no key was made"))
	}
	return key, nil
}

// tests are those of what held before, each a real server or browser of its own.
func (a *attack) tests() error {
	for _, t := range []struct{ what, packages, run string }{
		{"hostile files in child processes, one by one", "./internal/shop/files", "Hostile|Hold"},
		{"whatever is sent to whatever form", "./internal/web", "TestNoFormFails"},
		{"rights of every path for every asker", "./internal/web", "TestAHelperEdits|TestAKeyOfTheAPI|TestWhoMay|Locks|Right"},
		{"a session alone, replayed and guessed codes", "./internal/web", "TestASecondFactor|TestWrong|TestGuess"},
		{"other sites, names and hosts", "./internal/web", "CrossSite|OtherSites|Host|Origin"},
		{"the same change twice, and at once", "./internal/web", "Idempot|Products|Match|Twice"},
		{"redirects, drips, endless answers of services outside", "./internal/outside/...", "."},
		{"forged, respelt and expired tokens", "./internal/shop/held", "."},
		{"forged, older and foreign manifests", "./internal/shop/node ./internal/shop/manifest", "."},
		{"coupons by trying, clocks of buyers, strict verifying", "./internal/web/api", "."},
		{"numbers such as NaN and 1e308, deep nesting", "./internal/core/jsonread ./internal/core/decimal ./internal/core/store", "."},
	} {
		begun := time.Now()
		cmd := exec.Command("go", append([]string{"test", "-count=1", "-run", t.run}, strings.Fields(t.packages)...)...)
		cmd.Env = append(os.Environ(), "DIADROM_ATTACK=1")
		out, err := cmd.CombinedOutput()
		result := "passed"
		if err != nil {
			result = string(out)
		}
		a.row(t.what, err == nil, time.Since(begun), -1, result)
	}
	return nil
}

// clock has the clock of a server jump: an hour back, a day ahead, and over both changes of summer time.
func (a *attack) clock() error {
	out, err := exec.Command("go", "run", "./tools/days", "-overlay", a.folder).Output()
	if err != nil {
		return err
	}
	binary, err := build("-overlay=" + strings.TrimSpace(string(out)))
	if err != nil {
		return err
	}
	file := filepath.Join(a.folder, "clock")
	var offset time.Duration
	set := func(d time.Duration) error {
		offset = d
		err := os.WriteFile(file, []byte(strconv.FormatInt(int64(d/time.Second), 10)+"\n"), 0o600)
		time.Sleep(50 * time.Millisecond) // until the server has read it
		return err
	}
	if err := set(0); err != nil {
		return err
	}
	s, err := a.start(binary, "DIADROM_TEST_CLOCK="+file)
	if err != nil {
		return err
	}
	defer s.stop()
	now := func() time.Time { return time.Now().Add(offset) }
	live := func() (number int64) {
		resp, err := http.Get(s.url + "/readyz")
		if err != nil {
			return 0
		}
		defer resp.Body.Close()
		var is struct{ Edition int64 }
		json.NewDecoder(resp.Body).Decode(&is) //nolint:errcheck // 0 then
		return is.Edition
	}
	held := func() (token, total string) {
		_, text, _ := s.quote(small[:len(small)-1] + `,"hold":"PT30M"}`)
		var answer struct {
			Options []struct{ Method, Total string }
			Quote   struct{ Token string }
		}
		json.Unmarshal([]byte(text), &answer) //nolint:errcheck // "" then
		for _, o := range answer.Options {
			if o.Method == "parcel" {
				total = o.Total
			}
		}
		return answer.Quote.Token, total
	}
	verified := func(token, total string) string {
		body := fmt.Sprintf(`{"token":%q,"request":%s,"method":"parcel","total":%q}`, token, small, total)
		resp, err := http.Post(s.url+"/api/v1/quotes/verify", "application/json", strings.NewReader(body))
		if err != nil {
			return err.Error()
		}
		defer resp.Body.Close()
		text, _ := io.ReadAll(resp.Body)
		var v struct {
			Valid bool
			Why   string
		}
		if json.Unmarshal(text, &v) == nil && (v.Valid || v.Why != "") {
			return map[bool]string{true: "valid", false: v.Why}[v.Valid]
		}
		return string(text)
	}
	token, total := held()
	check := func(tried string, want, got any) {
		a.row(tried, want == got, 0, -1, fmt.Sprintf("%v", got))
	}
	check("a quote that is held, before any jump", "valid", verified(token, total))
	if err := set(-time.Hour); err != nil {
		return err
	}
	check("an hour back: the quote that was held", "valid", verified(token, total))
	status, _, _ := s.quote(small)
	check("an hour back: a quote", http.StatusOK, status)
	if err := set(24 * time.Hour); err != nil {
		return err
	}
	check("a day ahead: the quote that was held", "expired", verified(token, total))
	token, total = held()
	check("a day ahead: a quote that is held now", "valid", verified(token, total))

	helsinki, err := time.LoadLocation("Europe/Helsinki")
	if err != nil {
		return err
	}
	for _, change := range []struct {
		name  string
		month time.Month
	}{{"summer time begins", time.March}, {"summer time ends", time.October}} {
		year := now().Year() + 1
		sunday := time.Date(year, change.month, 31, 1, 0, 0, 0, time.UTC) // Directive 2000/84/EC: the last Sunday, 01:00 UTC
		sunday = sunday.AddDate(0, 0, -int(sunday.Weekday()))
		if err := set(time.Until(sunday.Add(-2 * time.Hour))); err != nil {
			return err
		}
		time.Sleep(50 * time.Millisecond)
		before := live()
		at := sunday.Add(30 * time.Minute).In(helsinki).Add(time.Hour) // 04:30 or so, after the change
		if err := s.schedule(at); err != nil {
			a.row(change.name+": an edition is scheduled", false, 0, -1, err.Error())
			continue
		}
		if err := set(time.Until(at.Add(-time.Minute))); err != nil {
			return err
		}
		time.Sleep(2 * time.Second)
		check(change.name+": an edition is not live a minute before", before, live())
		if err := set(time.Until(at.Add(time.Second))); err != nil {
			return err
		}
		within, stop := context.WithTimeout(context.Background(), 90*time.Second)
		for live() == before && within.Err() == nil {
			time.Sleep(100 * time.Millisecond)
		}
		stop()
		check(change.name+": it is live after its time", true, live() > before)
		status, text, _ := s.quote(small[:len(small)-1] + `,"at":"` + now().Format(time.RFC3339) + `"}`)
		check(change.name+": a quote with dates", true, status == http.StatusOK && strings.Contains(text, `"dates"`))
	}
	return nil
}

var revisionOf = regexp.MustCompile(`&#34;revision&#34;:&#34;(\d+)|"revision":"(\d+)`)

// schedule changes a price and has the draft go live at a time.
func (s *server) schedule(at time.Time) error {
	get := func(path string) string {
		resp, err := http.Get(s.url + path)
		if err != nil {
			return ""
		}
		defer resp.Body.Close()
		text, _ := io.ReadAll(resp.Body)
		return string(text)
	}
	price := regexp.MustCompile(`id="c-list-0-0"[^>]*value="([0-9.]+)"|value="([0-9.]+)"[^>]*id="c-list-0-0"`).
		FindStringSubmatch(get("/rates/parcel"))
	was := "6.90"
	if price != nil {
		was = price[1] + price[2]
	}
	n, err := strconv.ParseFloat(was, 64)
	if err != nil {
		return err
	}
	post := func(path string, pairs map[string][]string) error {
		resp, err := http.PostForm(s.url+path, pairs)
		if err != nil {
			return err
		}
		defer resp.Body.Close()
		if text, _ := io.ReadAll(resp.Body); resp.StatusCode != http.StatusOK {
			return fmt.Errorf("%s: %d %.2000s", path, resp.StatusCode, said.FindString(string(text)))
		}
		return nil
	}
	if err := post("/goods/cell", map[string][]string{"sku": {"TOWEL-70"}, "field": {"price"}, "was": {s.price()},
		"text": {fmt.Sprintf("%.2f", n+30+float64(at.YearDay())/100)}}); err != nil {
		return err
	}
	revision := revisionOf.FindStringSubmatch(get("/live"))
	if revision == nil {
		return errors.New("the page does not say the revision")
	}
	return post("/live/later", map[string][]string{"revision": {revision[1] + revision[2]}, "at": {at.Format("2006-01-02 15:04")}})
}

// price is what a towel costs in the draft.
func (s *server) price() string {
	resp, err := http.Get(s.url + "/api/v1/products/TOWEL-70")
	if err != nil {
		return ""
	}
	defer resp.Body.Close()
	var p struct{ Price string }
	json.NewDecoder(resp.Body).Decode(&p) //nolint:errcheck // "" then
	n, _ := strconv.ParseFloat(p.Price, 64)
	return fmt.Sprintf("%.2f", n)
}
