package main

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// 200 buyers ask while the owner edits and publishes ten times: every answer is of one edition. make load does
// it for 20 s, and looks at how long the slowest wait, and with 2,000 buyers (DIADROM_TEST_BUYERS).
func TestBuyersAskWhileTheOwnerPublishes(t *testing.T) {
	seconds, buyers := count(t, "DIADROM_TEST_LOAD", 2), count(t, "DIADROM_TEST_BUYERS", 200)
	s := serveFolder(t, t.TempDir())
	defer s.kill()
	// Edition n has the parcel for n+10 and the locker for n+30; the draft is in between most of the time.
	price := func(method, zone string, was, is int) {
		text := fmt.Sprintf("%d.00", was)
		if was == 0 {
			text = map[string]string{"parcel": "6.90", "locker": "5.90"}[method]
		}
		require.NoError(
			t,
			s.post(
				"/rates/"+method+"/list/cell",
				"zone",
				zone,
				"at",
				map[string]string{"parcel": "2", "locker": "5"}[method],
				"was",
				text,
				"text",
				fmt.Sprintf("%d.00", is),
			),
		)
	}
	_, revision, live := int64(1), int64(1), int64(1)
	edition := func(n int) {
		was := 0
		if n > 1 {
			was = n - 1
		}
		from := func(base int) int {
			if was == 0 {
				return 0
			}
			return was + base
		}
		price("parcel", "finland", from(10), n+10)
		price("locker", "finland", from(30), n+30)
		revision += 2
		require.NoError(t, s.post("/live", "revision", fmt.Sprint(revision), "turn", fmt.Sprint(live)))
		live++
	}
	edition(1)
	client := &http.Client{
		Transport: &http.Transport{MaxIdleConnsPerHost: buyers, MaxConnsPerHost: buyers},
		Timeout:   30 * time.Second,
	}
	one := `{"to":{"country":"FI","postcode":"00100"},"lines":[{"sku":"TOWEL-70","quantity":2}]}`
	many := "[" + one + "," + one + "," + one + "]"
	type option struct{ Method, Charge string }
	type answer struct{ Options []option }
	ask := func(body string) (string, error) {
		resp, err := client.Post(s.url+"/api/v1/quotes", "application/json", strings.NewReader(body))
		if err != nil {
			return "", err
		}
		defer resp.Body.Close()
		data, err := io.ReadAll(resp.Body)
		if err != nil || resp.StatusCode != http.StatusOK {
			return "", fmt.Errorf("%d %s %w", resp.StatusCode, data, err)
		}
		var answers []answer
		if body == many {
			err = json.Unmarshal(data, &answers)
		} else {
			answers = make([]answer, 1)
			err = json.Unmarshal(data, &answers[0])
		}
		if err != nil {
			return "", err
		}
		seen := map[string]bool{}
		for _, a := range answers {
			pair := ""
			for _, o := range a.Options {
				if o.Method == "parcel" || o.Method == "locker" {
					pair += o.Method + " " + o.Charge + " "
				}
			}
			seen[pair] = true
		}
		if len(seen) != 1 {
			return "", fmt.Errorf("answers of one exchange are of several editions: %v", seen)
		}
		for pair := range seen {
			return pair, nil
		}
		return "", nil
	}
	const editions = 10
	right := map[string]bool{}
	for n := 1; n <= editions+1; n++ {
		right[fmt.Sprintf("parcel %d.00 locker %d.00 ", n+10, n+30)] = true
	}
	var stop atomic.Bool
	var all sync.WaitGroup
	var mu sync.Mutex
	var waits []time.Duration
	pairs := map[string]int{}
	for i := range buyers {
		all.Go(func() {
			var mine []time.Duration
			seen := map[string]int{}
			for k := 0; !stop.Load(); k++ {
				body := one
				if (i+k)%10 == 0 {
					body = many
				}
				begun := time.Now()
				pair, err := ask(body)
				if !assert.NoError(t, err) {
					return
				}
				mine = append(mine, time.Since(begun))
				seen[pair]++
			}
			mu.Lock()
			defer mu.Unlock()
			waits = append(waits, mine...)
			for pair, n := range seen {
				pairs[pair] += n
			}
		})
	}
	for n := range editions {
		time.Sleep(time.Duration(seconds) * time.Second / (editions + 1))
		edition(n + 2)
	}
	time.Sleep(time.Duration(seconds) * time.Second / (editions + 1))
	stop.Store(true)
	all.Wait()
	for pair := range pairs {
		assert.True(t, right[pair], "no edition has %s", pair)
	}
	assert.Greater(t, len(pairs), editions/2, "editions were published while buyers asked")
	require.NotEmpty(t, waits)
	slices.Sort(waits)
	median, slow := waits[len(waits)/2], waits[len(waits)*99/100]
	t.Logf(
		"%d exchanges of %d clients in %d s over %d editions: median %v, 99th percentile %v, %.1f times",
		len(waits),
		buyers,
		seconds,
		len(pairs),
		median,
		slow,
		float64(slow)/float64(median),
	)
	if seconds >= 20 && buyers <= 200 {
		assert.LessOrEqual(t, slow, 5*median)
	}
}
