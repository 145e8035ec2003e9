// Command scale measures what one core of this machine serves of the quote API and what shops take of memory, and
// simulates nodes behind a balancer with the times that it measured. docs/scale.md says what follows from that.
package main

import (
	"flag"
	"fmt"
	"io"
	"log/slog"
	"math"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/demo"
	"diadrom/internal/shop/held"
	"diadrom/internal/test/storetest"
	"diadrom/internal/web/api"

	"github.com/gin-gonic/gin"
)

func main() {
	daily := flag.Float64("daily", 1e9, "quotes in a day")
	peak := flag.Float64("peak", 5, "the busiest minute of a day ÷ an average one")
	overhead := flag.Float64(
		"overhead",
		2.2,
		"processor time of a quote over a real connection ÷ inside the process, as make wrk shows it",
	)
	busy := flag.Float64("busy", 0.5, "the share of their time that the cores of nodes are to be busy at the peak")
	cores := flag.Int("cores", 2, "cores of a node")
	length := flag.Float64("length", 30, "seconds that are simulated")
	flag.Parse()
	if err := run(*daily, *peak, *overhead, *busy, *cores, *length); err != nil {
		fmt.Fprintln(os.Stderr, "scale:", err)
		os.Exit(1)
	}
}

func run(daily, peak, overhead, busy float64, cores int, length float64) error {
	debug.SetGCPercent(300) // as the program runs
	shop, err := demo.Store()
	if err != nil {
		return err
	}
	if err := memory(shop); err != nil {
		return err
	}
	service, err := times(shop)
	if err != nil {
		return err
	}
	mean := 0.0
	for i := range service {
		service[i] *= overhead
		mean += service[i] / float64(len(service))
	}
	slices.Sort(service)
	fmt.Printf(
		"\na quote of the demo shop, all of HTTP: mean %.0f µs, median %.0f, 99 %% %.0f, 99.9 %% %.0f; one core serves %.0f a second\n",
		mean*1e6,
		service[len(service)/2]*1e6,
		service[len(service)*99/100]*1e6,
		service[len(service)*999/1000]*1e6,
		1/mean,
	)
	rate := daily / 86_400 * peak
	nodes := int(math.Ceil(rate * mean / busy / float64(cores)))
	fmt.Printf(
		"%.3g quotes a day are %.0f a second, %.0f at a peak of %g times: %d cores %.0f %% busy, %d nodes of %d\n\n",
		daily,
		daily/86_400,
		rate,
		peak,
		nodes*cores,
		100*busy,
		nodes,
		cores,
	)
	fmt.Println("| what happens | median | 99 % | 99.9 % | longest | sent again | failed | busiest node |")
	fmt.Println("|---|---|---|---|---|---|---|---|")
	third := max(nodes/3, 1)
	more := (nodes + 1) / 2
	for _, c := range []struct {
		what string
		more int
		list []failure
	}{
		{"nothing", 0, nil},
		{"one process of a node is killed for 5 s", 0, []failure{{1, length / 3, length/3 + 5, false}}},
		{"one host is gone for good", 0, []failure{{1, length / 3, math.Inf(1), true}}},
		{fmt.Sprintf("a third of all hosts (%d) is gone for good", third), 0, []failure{{third, length / 3, math.Inf(1), true}}},
		{fmt.Sprintf("the same with half as many nodes again (%d)", nodes+more), more, []failure{{third, length / 3, math.Inf(1), true}}},
		{"each node is restarted in turn, 1 s each", 0, turns(nodes, length)},
	} {
		o := simulate(
			farm{nodes: nodes + c.more, cores: cores, rate: rate, service: service, length: length, failures: c.list,
				connect: 0.25, check: 1, random: rand.New(rand.NewPCG(23, 1))},
		)
		all := float64(len(o.waits) + o.failed)
		fmt.Printf(
			"| %s | %s | %s | %s | %s | %.4f %% | %d of %.2g | %.0f %% |\n",
			c.what,
			ms(o.at(0.5)),
			ms(o.at(0.99)),
			ms(o.at(0.999)),
			ms(o.at(1)),
			100*float64(o.retried)/all,
			o.failed,
			all,
			100*o.busiest,
		)
	}
	return nil
}

func ms(d time.Duration) string { return fmt.Sprintf("%.2f ms", float64(d)/float64(time.Millisecond)) }

// turns ends one node after the other, so that one is away at a time.
func turns(nodes int, length float64) (list []failure) {
	for i := range nodes {
		if at := 1 + 1.2*float64(i); at+1 < length {
			list = append(list, failure{1, at, at + 1, false})
		}
	}
	return list
}

// times measures quotes to drawn postcodes through the API's handler, one at a time, in seconds.
func times(shop *store.File) ([]float64, error) {
	places, err := demo.Gazetteer()
	if err != nil {
		return nil, err
	}
	engine := quote.Compile(shop, places)
	gin.SetMode(gin.ReleaseMode)
	none, err := held.Of(nil, nil, slog.New(slog.NewTextHandler(io.Discard, nil)))
	if err != nil {
		return nil, err
	}
	live := &api.Edition{Engine: engine, Kept: engine, Number: 1, Hash: strings.Repeat("0", 64)}
	owner := auth.Person{Role: auth.Owner}
	r := gin.New()
	api.New(api.Shops{
		Node: true, Live: func() *api.Edition { return live }, Pinned: func(int64) *api.Edition { return nil },
		Draft: func() *quote.Engine { return nil }, Sites: func(string) bool { return false }, Holds: func() *held.Keys { return none },
		Asker: func(*http.Request) api.Asker { return api.Asker{Kind: api.Person, Person: owner} }, // no limit of a key
		Log:   slog.New(slog.NewTextHandler(io.Discard, nil)),
	}).Routes(r)
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(1)) // with what it costs to collect garbage
	random := rand.New(rand.NewPCG(23, 23))
	const warm, count = 2000, 40_000
	list := make([]float64, 0, count)
	for i := range warm + count {
		body := fmt.Sprintf(`{"to":{"country":"FI","postcode":"%05d"},"lines":[{"sku":"TOWEL-70","quantity":2},`+
			`{"price":"24.00","weight":"0.4","quantity":1}]}`, 100+random.IntN(99_900))
		req := httptest.NewRequest(http.MethodPost, "/api/v1/quotes", strings.NewReader(body))
		req.Header.Set("Content-Type", "application/json")
		rec := httptest.NewRecorder()
		began := time.Now()
		r.ServeHTTP(rec, req)
		took := time.Since(began)
		if rec.Code != http.StatusOK {
			return nil, fmt.Errorf("%d %s", rec.Code, rec.Body)
		}
		if i >= warm {
			list = append(list, took.Seconds())
		}
	}
	return list, nil
}

// memory measures what engines take that are ready to quote.
func memory(shop *store.File) error {
	fmt.Println("| a shop that is ready to quote | memory | beside its store file |")
	fmt.Println("|---|---|---|")
	for _, s := range []struct {
		what  string
		text  []byte
		count int
	}{
		{"small: 10 zones, 50 products, 3 methods", storetest.Small.Text(), 200},
		{"the demo shop", shop.Write(), 50},
		{"large: 1,000 zones, 10,000 products, 50 methods", storetest.Large.Text(), 1},
	} {
		kept := make([]*quote.Engine, s.count)
		before := inUse()
		for i := range kept {
			file, faults := store.Read(s.text)
			if len(faults) > 0 {
				return faults
			}
			kept[i] = quote.Compile(file, nil)
		}
		each := float64(inUse()-before) / float64(s.count)
		fmt.Printf("| %s | %.2f MB | %.1f times |\n", s.what, each/1e6, each/float64(len(s.text)))
		runtime.KeepAlive(kept)
	}
	return nil
}

// inUse is what is taken of the heap, in bytes.
func inUse() uint64 {
	runtime.GC()
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return m.HeapAlloc
}
