package main

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"html"
	"io"
	"net"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// pagesKey makes a key for pages of a site in the demo shop.
func pagesKey(t *testing.T, s *served, site string) string {
	t.Helper()
	resp, err := http.PostForm(s.url+"/keys", url.Values{"name": {"Pages"}, "kind": {"pages"}, "sites": {site}})
	require.NoError(t, err)
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	key := regexp.MustCompile(`diadrom_pub_[A-Z2-7]{26}`).FindString(string(body))
	require.NotEmpty(t, key, string(body))
	return key
}

// exampleShop starts an example of a shop's server, and gives its address.
func exampleShop(t *testing.T, folder string, environment []string, program string, args ...string) string {
	t.Helper()
	path, err := exec.LookPath(program)
	require.NoError(t, err, "make test installs it")
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	_, port, err := net.SplitHostPort(l.Addr().String())
	require.NoError(t, err)
	require.NoError(t, l.Close())
	cmd := exec.Command(path, args...)
	cmd.Dir = "../../examples/" + folder
	cmd.Env = append(append(os.Environ(), environment...), "PORT="+port)
	var log bytes.Buffer
	cmd.Stdout, cmd.Stderr = &log, &log
	require.NoError(t, cmd.Start())
	t.Cleanup(func() {
		cmd.Process.Kill()
		cmd.Wait()
		if t.Failed() {
			t.Log(folder, log.String())
		}
	})
	address := "http://127.0.0.1:" + port
	require.Eventually(t, func() bool {
		got, err := http.Get(address + "/")
		if err != nil {
			return false
		}
		got.Body.Close()
		return got.StatusCode == http.StatusOK
	}, 2*time.Minute, 50*time.Millisecond)
	return address
}

// A buyer changes in the page whatever can be changed there: each example of a shop takes the order as it was quoted,
// and none of what was quoted otherwise. A quote by a buyer's own request is signed by the shop's Diadrom all the same.
func TestTheExamplesTakeNoOrderThatWasQuotedOtherwise(t *testing.T) {
	t.Parallel()
	s := serveFolder(t, t.TempDir())
	defer s.kill()
	const site = "https://shop.example"
	key := pagesKey(t, s, site)
	environment := []string{"DIADROM=" + s.url, "KEY=" + key, "SERVER_KEY=" + serverKey(t, s)}
	inNode := exampleShop(t, "node-shop", environment, "node", "server.mjs")
	inPython := exampleShop(t, "python-shop", environment, "python3", "shop.py")

	quote := func(t *testing.T, request string) map[string]any {
		t.Helper()
		req, err := http.NewRequest("POST", s.url+"/api/v1/quotes", strings.NewReader(request))
		require.NoError(t, err)
		for name, value := range map[string]string{"Authorization": "Bearer " + key, "Origin": site,
			"Content-Type": "application/json"} {
			req.Header.Set(name, value)
		}
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer resp.Body.Close()
		text, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		require.Equal(t, http.StatusOK, resp.StatusCode, "%s: %s", request, text)
		var answer struct {
			Options []struct{ Method, Total string }
			Quote   json.RawMessage
		}
		require.NoError(t, json.Unmarshal(text, &answer))
		for _, o := range answer.Options {
			if o.Method == "van" {
				return map[string]any{"method": o.Method, "total": o.Total, "quote": answer.Quote,
					"request": json.RawMessage(request)}
			}
		}
		t.Fatalf("the van does not go there: %s", text)
		return nil
	}
	const (
		to    = `{"country":"FI","postcode":"20100"}`
		lines = `[{"sku":"TOWEL-70","quantity":2}]`
	)
	request := func(to, lines, more string) string {
		return fmt.Sprintf(`{"to":%s,"lines":%s,"checkout":true,"hold":"PT30M"%s}`, to, lines, more)
	}
	type misuse struct {
		about    string
		delivery map[string]any
		why      string
	}
	fair := func() map[string]any { return quote(t, request(to, lines, "")) }
	with := func(change func(map[string]any)) map[string]any {
		d := fair()
		change(d)
		return d
	}
	near := quote(t, request(`{"country":"FI","postcode":"20100","lat":"60.4674","lon":"22.0260"}`, lines, ""))
	assert.NotEqual(t, fair()["total"], near["total"], "a point at the shop's door makes another price")
	var held struct{ Token string }
	require.NoError(t, json.Unmarshal(fair()["quote"].(json.RawMessage), &held))
	for _, c := range []misuse{
		{"a point at the shop's door", near, "differs"},
		{"a town", quote(t, request(`{"country":"FI","postcode":"20100","city":"Naantali"}`, lines, "")), "differs"},
		{"another postcode", quote(t, request(`{"country":"FI","postcode":"21100"}`, lines, "")), "differs"},
		{"a price of a line", quote(t, request(to, `[{"sku":"TOWEL-70","quantity":2,"price":"990"}]`, "")), "differs"},
		{"a weight of a line", quote(t, request(to, `[{"sku":"TOWEL-70","quantity":2,"weight":"0.001"}]`, "")), "differs"},
		{"fewer goods", quote(t, request(to, `[{"sku":"TOWEL-70","quantity":1}]`, "")), "differs"},
		{"another product", quote(t, request(to, `[{"sku":"SEAT-1","quantity":2}]`, "")), "differs"},
		{"a code that the shop does not know", quote(t, request(to, lines, `,"coupons":["FREE"]`)), "differs"},
		{"a place to collect", quote(t, request(to, lines, `,"point":"workshop"`)), "differs"},
		{"a day of last year", quote(t, request(to, lines, `,"at":"2020-01-01T00:00:00Z"`)), "differs"},
		{"a lower total", with(func(d map[string]any) { d["total"] = "0.01" }), "changed"},
		{"a request put right afterwards", with(func(d map[string]any) {
			d["quote"] = near["quote"]
		}), "changed"},
		{"another method", with(func(d map[string]any) { d["method"] = "drone" }), "not_offered"},
		{"a forged token", with(func(d map[string]any) {
			d["quote"] = map[string]string{"token": held.Token[:len(held.Token)-8] + "AAAAAAAA"}
		}), "forged"},
		{"no token", with(func(d map[string]any) { d["quote"] = map[string]string{"token": "x.y.z"} }), "forged"},
		{"nothing but that it was not available", map[string]any{"unavailable": true}, ""},
		{"nothing", map[string]any{}, ""},
	} {
		body, err := json.Marshal(map[string]any{"cart": json.RawMessage(lines), "to": json.RawMessage(to),
			"delivery": c.delivery})
		require.NoError(t, err)
		for name, shop := range map[string]string{"Node": inNode, "Python": inPython} {
			resp, err := http.Post(shop+"/orders", "application/json", bytes.NewReader(body))
			require.NoError(t, err)
			text, err := io.ReadAll(resp.Body)
			require.NoError(t, err)
			resp.Body.Close()
			if c.why == "" {
				assert.Equal(t, http.StatusBadRequest, resp.StatusCode, "%s, %s: %s", name, c.about, text)
				continue
			}
			var answer struct{ Why string }
			require.NoError(t, json.Unmarshal(text, &answer), "%s: %s", name, text)
			assert.Equal(t, http.StatusConflict, resp.StatusCode, "%s, %s: %s", name, c.about, text)
			assert.Equal(t, c.why, answer.Why, "%s, %s: %s", name, c.about, text)
		}
		cmd := exec.Command("node", "../../examples/static/check.mjs", s.url)
		cmd.Stdin = bytes.NewReader(body)
		out, err := cmd.Output()
		assert.Error(t, err, "static, %s: %s", c.about, out)
		assert.Contains(t, string(out), "Refused: "+c.why, c.about)
	}
	body, err := json.Marshal(map[string]any{"cart": json.RawMessage(lines), "to": json.RawMessage(to),
		"delivery": fair()})
	require.NoError(t, err)
	for name, shop := range map[string]string{"Node": inNode, "Python": inPython} {
		for _, want := range []int{http.StatusCreated, http.StatusConflict} {
			resp, err := http.Post(shop+"/orders", "application/json", bytes.NewReader(body))
			require.NoError(t, err)
			text, err := io.ReadAll(resp.Body)
			require.NoError(t, err)
			resp.Body.Close()
			assert.Equal(t, want, resp.StatusCode, "%s: an order as it was quoted is taken, once: %s", name, text)
		}
	}
	cmd := exec.Command("node", "../../examples/static/check.mjs", s.url)
	cmd.Stdin = bytes.NewReader(body)
	assert.Regexp(t, `^Take it once: quote [A-Z2-7]+, van for \d+\.\d\d\n$`, output(t, cmd))
}

// The function of the examples compares as the server does, with the same cases.
func TestTheExamplesCompareAsTheServerDoes(t *testing.T) {
	const program = `import { differences } from "../../examples/node-shop/quotes.mjs";
import { readFileSync } from "node:fs";
for (const c of JSON.parse(readFileSync("../../internal/shop/held/testdata/order.json"))) {
  const got = differences(c.request, c.order).sort().join(" "), want = c.differs.sort().join(" ");
  if (got !== want) console.log(c.about + ": " + got);
}
console.log("compared");`
	assert.Equal(t, "compared\n", output(t, exec.Command("node", "--input-type=module", "-e", program)))
}

// Each line of docs/integrate.md quotes: those of programs that are here.
func TestTheLinesOfTheManualQuote(t *testing.T) {
	t.Parallel()
	s := serveFolder(t, t.TempDir())
	defer s.kill()
	text, err := os.ReadFile("../../docs/integrate.md")
	require.NoError(t, err)
	environment := append(os.Environ(), "DIADROM="+s.url, "KEY="+serverKey(t, s))
	ran := map[string]bool{}
	for _, block := range regexp.MustCompile("(?s)\n```(sh|go)\n(.*?)\n```").FindAllStringSubmatch(string(text), -1) {
		program, _, _ := strings.Cut(block[2], " ")
		cmd := exec.Command("sh", "-c", block[2])
		if block[1] == "go" {
			program = "go"
			file := filepath.Join(t.TempDir(), "main.go")
			require.NoError(t, os.WriteFile(file, []byte(block[2]), 0o600))
			cmd = exec.Command("go", "run", file)
		}
		if _, err := exec.LookPath(program); err != nil {
			t.Logf("%s is not here", program)
			continue
		}
		cmd.Env = environment
		var answer struct {
			Options []struct{ Method, Total string }
		}
		require.NoError(t, json.Unmarshal([]byte(output(t, cmd)), &answer), program)
		assert.Contains(t, answer.Options, struct{ Method, Total string }{"parcel", "6.90"}, program)
		ran[program] = true
	}
	for _, program := range []string{"node", "python3", "go"} {
		assert.True(t, ran[program], program)
	}
}

// The example takes what Diadrom has signed, once, and nothing else.
func TestTheExampleHearsWhatChanges(t *testing.T) {
	t.Parallel()
	s := serveFolder(t, t.TempDir())
	defer s.kill()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	address := "http://" + l.Addr().String()
	require.NoError(t, l.Close())
	resp, err := http.PostForm(s.url+"/webhooks", url.Values{"url": {address},
		"type": {"edition.live", "products.changed"}})
	require.NoError(t, err)
	body, err := io.ReadAll(resp.Body)
	resp.Body.Close()
	require.NoError(t, err)
	secret := regexp.MustCompile(`whsec_[A-Za-z0-9+/]{43}=`).FindString(html.UnescapeString(string(body)))
	require.NotEmpty(t, secret)
	_, port, err := net.SplitHostPort(strings.TrimPrefix(address, "http://"))
	require.NoError(t, err)
	cmd := exec.Command("node", "../../examples/node-shop/events.mjs")
	cmd.Env = append(os.Environ(), "SECRET="+secret, "PORT="+port)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	cmd.Stderr = os.Stderr
	require.NoError(t, cmd.Start())
	defer func() { cmd.Process.Kill(); cmd.Wait() }()
	require.Eventually(t, func() bool {
		resp, err := http.Get(address)
		if err == nil {
			resp.Body.Close()
		}
		return err == nil
	}, time.Minute, 50*time.Millisecond)
	forged, err := http.NewRequest(http.MethodPost, address, strings.NewReader(`{"id":"1","type":"forged","data":{}}`))
	require.NoError(t, err)
	forged.Header.Set("webhook-id", "1")
	forged.Header.Set("webhook-timestamp", fmt.Sprint(time.Now().Unix()))
	forged.Header.Set("webhook-signature", "v1,AAAA")
	resp, err = http.DefaultClient.Do(forged)
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, http.StatusUnauthorized, resp.StatusCode)
	require.NoError(t, s.post("/webhooks/1/try"))
	heard := bufio.NewReader(out)
	line, err := heard.ReadString('\n')
	require.NoError(t, err)
	// the first edition, which goes live while the server starts
	for strings.HasPrefix(line, "edition.live") || strings.HasPrefix(line, "products.changed") {
		line, err = heard.ReadString('\n')
		require.NoError(t, err)
	}
	assert.Equal(t, "test {}\n", line)
}
