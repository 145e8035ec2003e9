package main

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const testKey = auth.SecretPrefix + "key-of-the-test-of-nodes"

// priced is a store in which two methods have the prices of an edition: its number and 10, its number and 30.
func pricedFor(edition int) *store.File {
	f := storetest.Small.Store()
	for i, base := range []int{10, 30} {
		d := decimal.FromInt(int64(edition + base))
		f.Methods[i].Tables[0].Rows[1].Charges[0] = &rate.Charge{Base: &d}
		f.Methods[i].Free = nil
	}
	return f
}

// clients is how many keys the shop has besides.
const clients = 8

// nodeShop is a shop with a published edition and a key that may do everything, with its nodes.
type nodeShop struct {
	t       *testing.T
	dir     string
	brokers *brokers
	bench   *exec.Cmd
	host    *host  // of the bench
	url     string // of the bench
	join    string
	nodes   []*nodeProcess
	next    atomic.Int64 // of the balancer
}

type nodeProcess struct {
	dir, url string
	metrics  string // the address of its metrics, "" for none
	host     *host
	cmd      *exec.Cmd
}

func startNodeShop(t *testing.T, net *network, brokers, nodes int) *nodeShop {
	s := &nodeShop{t: t, dir: t.TempDir(), brokers: startBrokers(t, net, brokers), host: net.host()}
	ctx := context.Background()
	db, err := sqlite.Open(ctx, s.dir)
	require.NoError(t, err)
	_, err = draft.Open(ctx, db, nil, pricedFor(1))
	require.NoError(t, err)
	_, err = db.AddPerson(ctx, "Aino", auth.Owner, "hash", true)
	require.NoError(t, err)
	require.NoError(t, db.AddAPIKey(ctx, auth.Key{Name: "test", Rights: auth.Rights}, auth.Kept(testKey), 1))
	for i := range clients {
		require.NoError(
			t,
			db.AddAPIKey(ctx, auth.Key{Name: fmt.Sprint("client ", i)}, auth.Kept(testKey+fmt.Sprint(i)), 1),
		)
	}
	require.NoError(t, db.Close())
	s.startBench()
	t.Cleanup(func() { storetest.Kill(s.bench) })
	s.publish(1)
	out, errs, code := call(
		t,
		"node-file",
		"--data",
		s.dir,
		"--nodes",
		strings.Join(s.brokers.urls(), ","),
		"--nodes-shop",
		"lauha",
	)
	require.Zero(t, code, errs)
	s.join = filepath.Join(t.TempDir(), "join.json")
	require.NoError(t, os.WriteFile(s.join, []byte(out), 0o600))
	for range nodes {
		h := net.host()
		n := &nodeProcess{dir: t.TempDir(), host: h, url: fmt.Sprintf("%s:%d", h.address(), freePort(t))}
		s.nodes = append(s.nodes, n)
		s.startNode(n)
	}
	t.Cleanup(func() {
		for _, n := range s.nodes {
			storetest.Kill(n.cmd)
		}
	})
	return s
}

func (s *nodeShop) startBench() {
	listen := s.host.address() + ":0"
	if s.url != "" {
		listen = strings.TrimPrefix(s.url, "http://")
	}
	s.bench = s.host.command(
		binary,
		"serve",
		"--data",
		s.dir,
		"--listen",
		listen,
		"--nodes",
		strings.Join(s.brokers.urls(), ","),
		"--nodes-shop",
		"lauha",
		"--log-level",
		cmp.Or(os.Getenv("DIADROM_TEST_LOG"), "error"),
	)
	if os.Getenv("DIADROM_TEST_LOG") != "" {
		s.bench.Stderr = os.Stderr
	}
	out, err := s.bench.StdoutPipe()
	require.NoError(s.t, err)
	require.NoError(s.t, s.bench.Start())
	if s.url == "" {
		buffer := make([]byte, 4096)
		text := ""
		for !strings.Contains(text, "Ctrl+C") {
			n, err := out.Read(buffer)
			text += string(buffer[:n])
			require.NoError(s.t, err)
		}
		_, rest, _ := strings.Cut(text, "Open ")
		s.url, _, _ = strings.Cut(rest, "\n")
		s.url = storetest.Base(s.url)
	}
	go io.Copy(io.Discard, out) //nolint:errcheck // until it ends
	require.Eventually(s.t, func() bool { return get(s.url+"/healthz") == "ok\n" }, 20*time.Second, 20*time.Millisecond)
}

func (s *nodeShop) startNode(n *nodeProcess) {
	n.cmd = n.host.command(binary, "node", "--join", s.join, "--data", n.dir, "--listen", n.url, "--metrics", n.metrics,
		"--log-level", cmp.Or(os.Getenv("DIADROM_TEST_LOG"), "error"))
	require.NoError(s.t, n.cmd.Start())
}

// publish makes the next edition on the bench, by its command line.
func (s *nodeShop) publish(edition int) {
	file := filepath.Join(s.t.TempDir(), "store.json")
	require.NoError(s.t, os.WriteFile(file, pricedFor(edition).Write(), 0o600))
	for _, args := range [][]string{{"import", "--server", s.url, "--store", file, "--yes"},
		{"publish", "--server", s.url, "--yes"}} {
		cmd := exec.Command(binary, args...)
		cmd.Env = append(os.Environ(), keyVariable+"="+testKey)
		out, err := cmd.CombinedOutput()
		if err != nil && strings.Contains(string(out), "nothing") { // the draft is so already
			continue
		}
		require.NoError(s.t, err, string(out))
	}
}

func get(url string) string {
	resp, err := http.Get(url)
	if err != nil {
		return ""
	}
	defer resp.Body.Close()
	body, _ := io.ReadAll(resp.Body)
	return string(body)
}

// ready is the edition that a node quotes from; 0 for none.
func (n *nodeProcess) ready() int64 {
	var is struct {
		Ready   bool
		Edition int64
	}
	json.Unmarshal([]byte(get("http://"+n.url+"/readyz")), &is) //nolint:errcheck // then it is not ready
	return is.Edition
}

// all waits until all nodes quote from an edition, and says how long that took.
func (s *nodeShop) all(edition int64, within time.Duration) time.Duration {
	begun := time.Now()
	for {
		behind := ""
		for i, n := range s.nodes {
			if is := n.ready(); is != edition {
				behind += fmt.Sprintf(" node %d quotes from edition %d;", i, is)
			}
		}
		if behind == "" {
			return time.Since(begun)
		}
		if time.Since(begun) > within {
			s.t.Errorf("edition %d after %s:%s", edition, within, behind)
			return time.Since(begun)
		}
		time.Sleep(20 * time.Millisecond)
	}
}

var client = &http.Client{Timeout: time.Second, Transport: &http.Transport{MaxIdleConnsPerHost: 64,
	DialContext: (&net.Dialer{Timeout: 300 * time.Millisecond}).DialContext}}

// balanced asks one node after another, the next where one does not answer or answers that it cannot: what a balancer
// does. pin is the edition that the answer is to be of, "" for any.
func (s *nodeShop) balanced(body, pin string) (status int, edition string, answer []byte, err error) {
	for range 24 { // some two seconds, as a balancer that is told to ask again after one
		n := s.nodes[int(s.next.Add(1))%len(s.nodes)]
		r, _ := http.NewRequest(http.MethodPost, "http://"+n.url+"/api/v1/quotes", strings.NewReader(body))
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("Authorization", "Bearer "+testKey)
		if pin != "" {
			r.Header.Set("Diadrom-Edition", pin)
		}
		var resp *http.Response
		if resp, err = client.Do(r); err != nil {
			time.Sleep(20 * time.Millisecond)
			continue
		}
		answer, err = io.ReadAll(resp.Body)
		resp.Body.Close()
		if status = resp.StatusCode; err == nil && status != http.StatusServiceUnavailable {
			return status, resp.Header.Get("Diadrom-Edition"), answer, nil
		}
		time.Sleep(80 * time.Millisecond)
	}
	return status, "", answer, fmt.Errorf("no node answers: %d %s %w", status, answer, err)
}

const nodeRequest = `{"to":{"country":"FI","postcode":"99999"},"lines":[{"name":"Goods","price":"20","weight":"2","quantity":1}]}`

// of is the edition whose prices an answer has; an error where they are of two.
func of(answer []byte) (edition string, err error) {
	var a struct {
		Options []struct{ Method, Charge string }
	}
	if err := json.Unmarshal(answer, &a); err != nil {
		return "", err
	}
	for _, o := range a.Options {
		base := map[string]int{"m0": 10, "m1": 30}[o.Method]
		if base == 0 {
			continue
		}
		var charge int
		if _, err := fmt.Sscanf(o.Charge, "%d.00", &charge); err != nil {
			return "", fmt.Errorf("%s costs %s", o.Method, o.Charge)
		}
		is := fmt.Sprint(charge - base)
		if edition != "" && is != edition {
			return "", fmt.Errorf("an answer is of two editions: %s", answer)
		}
		edition = is
	}
	if edition == "" {
		return "", fmt.Errorf("nothing is offered: %s", answer)
	}
	return edition, nil
}

// load has buyers check out over the balancer until it is told to stop: each checkout asks three times, pinned to the
// edition of its first answer.
func (s *nodeShop) load(buyers int) (stop func() (checkouts, quotes int64, problems []string)) {
	var done atomic.Bool
	var checkouts, quotes atomic.Int64
	var mu sync.Mutex
	var problems []string
	problem := func(format string, args ...any) {
		mu.Lock()
		defer mu.Unlock()
		if len(problems) < 10 {
			problems = append(problems, fmt.Sprintf(format, args...))
		}
	}
	var all sync.WaitGroup
	for range buyers {
		all.Go(func() {
			for !done.Load() {
				pin := ""
				for range 3 {
					status, named, answer, err := s.balanced(nodeRequest, pin)
					if err != nil || status != http.StatusOK {
						problem("pinned to %q: %d %s %v", pin, status, answer, err)
						break
					}
					edition, err := of(answer)
					switch {
					case err != nil:
						problem("%v", err)
					case edition != named:
						problem("the header names edition %s, the prices are of %s", named, edition)
					case pin != "" && named != pin:
						problem("a checkout that is pinned to edition %s was quoted from %s", pin, named)
					}
					pin = named
					quotes.Add(1)
				}
				checkouts.Add(1)
				time.Sleep(time.Duration(10+rand.IntN(40)) * time.Millisecond)
			}
		})
	}
	return func() (int64, int64, []string) {
		done.Store(true)
		all.Wait()
		return checkouts.Load(), quotes.Load(), problems
	}
}

// Buyers check out while brokers, nodes and the bench are killed without warning, one at a time, and the owner
// publishes: no quote fails beyond what a balancer asks another node for, no answer is of two editions, no checkout
// sees two, and all nodes quote from the last edition two seconds after everything runs again. DIADROM_TEST_FAULTS=60
// takes a minute.
func TestNodesQuoteWhileWhatTheyRestOnIsKilled(t *testing.T) {
	seconds := count(t, "DIADROM_TEST_FAULTS", 6)
	s := startNodeShop(t, nil, 3, 3)
	s.all(1, 20*time.Second)
	stop := s.load(6)
	begun, edition := time.Now(), 1
	publish := func() {
		edition++
		s.publish(edition)
	}
	turns := []func(){
		func() { s.brokers.kill(edition % 3); publish(); s.brokers.start((edition - 1) % 3) },
		func() {
			publish()
			storetest.Kill(s.nodes[1].cmd)
			time.Sleep(200 * time.Millisecond)
			s.startNode(s.nodes[1])
		},
		func() { publish(); storetest.Kill(s.bench); time.Sleep(300 * time.Millisecond); s.startBench() },
		publish,
		func() {
			s.brokers.kill((edition + 1) % 3)
			time.Sleep(500 * time.Millisecond)
			s.brokers.start((edition + 1) % 3)
			publish()
		},
		func() { storetest.Kill(s.nodes[0].cmd); publish(); s.startNode(s.nodes[0]) },
	}
	for i := 0; edition < 11 || time.Since(begun) < time.Duration(seconds)*time.Second; i++ {
		turns[i%len(turns)]()
		if pause := time.Duration(seconds) * time.Second / 15; time.Since(begun) < time.Duration(seconds)*time.Second {
			time.Sleep(min(pause, 3*time.Second))
		}
	}
	took := s.all(int64(edition), 2*time.Second)
	checkouts, quotes, problems := stop()
	assert.Empty(t, problems)
	assert.Greater(t, quotes, int64(200))
	t.Logf(
		"%d checkouts, %d quotes, %d editions; all nodes had the last one after %s",
		checkouts,
		quotes,
		edition,
		took,
	)
}

// With every broker and the bench gone, nodes quote on, also after a start. What nobody of the shop has signed is not
// taken, and neither is what was signed before.
func TestANodeQuotesFromItsDiskAlone(t *testing.T) {
	s := startNodeShop(t, nil, 1, 2)
	s.all(1, 20*time.Second)
	first, err := os.ReadFile(filepath.Join(s.nodes[0].dir, "live.jws"))
	require.NoError(t, err)
	s.publish(2)
	s.all(2, 5*time.Second)
	s.brokers.kill(0)
	storetest.Kill(s.bench)
	storetest.Kill(s.nodes[0].cmd)
	s.startNode(s.nodes[0])
	require.Eventually(t, func() bool { return s.nodes[0].ready() == 2 }, 10*time.Second, 10*time.Millisecond)
	status, named, answer, err := s.balanced(nodeRequest, "")
	require.NoError(t, err)
	assert.Equal(t, http.StatusOK, status, string(answer))
	assert.Equal(t, "2", named)
	status, named, answer, err = s.balanced(nodeRequest, "1")
	require.NoError(t, err)
	assert.Equal(t, http.StatusOK, status, string(answer))
	assert.Equal(t, "1", named, "a checkout that began before goes on as it began")
	status, _, answer, err = s.balanced(nodeRequest, "7")
	assert.Error(t, err, "no node has it yet")
	assert.Equal(t, http.StatusServiceUnavailable, status, string(answer))

	for what, body := range map[string][]byte{"an old manifest": first, "rubbish": []byte("a.b.c"),
		"a manifest that was changed": bytes.Replace(first, []byte("."), []byte(".e"), 1)} {
		storetest.Kill(s.nodes[1].cmd)
		require.NoError(t, os.WriteFile(filepath.Join(s.nodes[1].dir, "live.jws"), body, 0o600))
		s.startNode(s.nodes[1])
		require.Eventually(
			t,
			func() bool { return strings.Contains(get("http://"+s.nodes[1].url+"/healthz"), "ok") },
			10*time.Second,
			10*time.Millisecond,
		)
		if is := s.nodes[1].ready(); what == "an old manifest" {
			assert.Contains(t, []int64{0, 1}, is, "what is on a disk is what was signed then")
		} else {
			assert.Zero(t, is, what)
		}
	}
	s.brokers.start(0)
	s.startBench()
	s.all(2, 10*time.Second)
}

// counter reads a counter of a node, all of its labels together.
func (n *nodeProcess) counter(t *testing.T, name string) (sum float64) {
	for line := range strings.Lines(get("http://" + n.metrics + "/metrics")) {
		if rest, ok := strings.CutPrefix(line, name); ok && strings.ContainsAny(rest[:1], "{ ") {
			fields := strings.Fields(line)
			v, err := strconv.ParseFloat(fields[len(fields)-1], 64)
			require.NoError(t, err)
			sum += v
		}
	}
	return sum
}

// What nodes quote adds up, and what a quote costs a node does not depend on how many others there are: nodes do not
// wait for one another, nor for the bench or a broker. This is by the counters of the nodes themselves.
func TestNodesShareWhatIsAsked(t *testing.T) {
	const most, each = 4, 300
	s := startNodeShop(t, nil, 1, 0)
	for range most {
		n := &nodeProcess{
			dir:     t.TempDir(),
			url:     fmt.Sprintf("127.0.0.1:%d", freePort(t)),
			metrics: fmt.Sprintf("127.0.0.1:%d", freePort(t)),
		}
		s.nodes = append(s.nodes, n)
		s.startNode(n)
	}
	s.all(1, 20*time.Second)
	var alone float64
	for _, count := range []int{1, 2, 4} {
		nodes := s.nodes[:count]
		quotes, cpu := make([]float64, count), make([]float64, count)
		for i, n := range nodes {
			quotes[i], cpu[i] = n.counter(t, "diadrom_quotes_total"), n.counter(t, "process_cpu_seconds_total")
		}
		var all sync.WaitGroup
		for c := range clients {
			all.Go(func() {
				for i := range each {
					r, _ := http.NewRequest(
						http.MethodPost,
						"http://"+nodes[(c+i)%count].url+"/api/v1/quotes",
						strings.NewReader(nodeRequest),
					)
					r.Header.Set("Content-Type", "application/json")
					r.Header.Set("Authorization", "Bearer "+testKey+fmt.Sprint(c))
					resp, err := client.Do(r)
					if !assert.NoError(t, err) {
						return
					}
					body, _ := io.ReadAll(resp.Body)
					resp.Body.Close()
					assert.Equal(t, http.StatusOK, resp.StatusCode, string(body))
				}
			})
		}
		all.Wait()
		seconds := 0.0
		for i, n := range nodes {
			assert.InDelta(
				t,
				each*clients/count,
				n.counter(t, "diadrom_quotes_total")-quotes[i],
				0.5,
				"node %d of %d",
				i,
				count,
			)
			seconds += n.counter(t, "process_cpu_seconds_total") - cpu[i]
		}
		if count == 1 {
			alone = seconds
		}
		t.Logf(
			"%d nodes: %d quotes each, %.0f µs of processor for a quote, %.2f times those of one node",
			count,
			each*clients/count,
			seconds/each/clients*1e6,
			seconds/alone,
		)
	}
	t.Logf("a node takes %.0f MB", s.nodes[0].counter(t, "process_resident_memory_bytes")/1e6)
}
