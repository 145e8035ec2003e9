package roads

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/paulmach/orb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// service answers every question with a body, and counts the questions.
func service(t *testing.T, answer func(path string) (status int, body string)) (*Client, *atomic.Int64) {
	t.Helper()
	var asked atomic.Int64
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		status, body := answer(r.URL.Path + "?" + r.URL.RawQuery)
		w.WriteHeader(status)
		w.Write([]byte(body))
	}))
	t.Cleanup(s.Close)
	return New(s.URL, true), &asked
}

// The three points of the example of OSRM's table service (docs/http.md, from memory), and what it answers about them.
var points = []orb.Point{{13.388860, 52.517037}, {13.397634, 52.529407}, {13.428555, 52.523219}}

func TestTheTableServiceOfOSRM(t *testing.T) {
	recorded, err := os.ReadFile("testdata/table.json")
	require.NoError(t, err)
	var path string
	c, asked := service(t, func(p string) (int, string) { path = p; return http.StatusOK, string(recorded) })
	c.Ahead(context.Background(), points, points)
	assert.Equal(t, "/table/v1/driving/13.38886,52.517037;13.397634,52.529407;13.428555,52.523219;13.38886,52.517037;"+
		"13.397634,52.529407;13.428555,52.523219?sources=0;1;2&destinations=3;4;5&annotations=distance", path)
	for j, want := range [][]string{{"0", "1824", "3275.36"}, {"1886.89", "0", "2361.73"}, {"3791.3", "2838.09", "0"}} {
		metres, why := c.Metres(points, points[j])
		require.Empty(t, why)
		for i := range metres {
			assert.Equal(t, want[i], metres[i].String(), "from %d to %d: a way there and a way back are two", i, j)
		}
	}
	assert.EqualValues(t, 1, asked.Load(), "what was said is remembered")
}

func TestWhatAServiceCannotSayIsSaid(t *testing.T) {
	ok := func(body string) func(string) (int, string) {
		return func(string) (int, string) { return http.StatusOK, body }
	}
	for name, c := range map[string]struct {
		answer func(string) (int, string)
		why    string
	}{
		"no way":       {ok(`{"code":"Ok","distances":[[null]]}`), "the road service knows no way"},
		"HTML":         {ok(`<!doctype html><title>Welcome</title>`), "did not answer in the form that was expected"},
		"null":         {ok(`null`), "did not answer in the form that was expected"},
		"other JSON":   {ok(`{"distances":"far"}`), "did not answer in the form that was expected"},
		"too few":      {ok(`{"code":"Ok","distances":[]}`), "did not answer for every place"},
		"a short row":  {ok(`{"code":"Ok","distances":[[]]}`), "did not answer for every place"},
		"too short":    {ok(`{"code":"Ok","distances":[[900]]}`), "shorter than the straight line"},
		"negative":     {ok(`{"code":"Ok","distances":[[-1]]}`), "shorter than the straight line"},
		"without end":  {ok(`{"code":"Ok","distances":[[1e999999999]]}`), "length that cannot be"},
		"next to none": {ok(`{"code":"Ok","distances":[[1e-999999999]]}`), "shorter than the straight line"},
		"endless":      {ok(`{"code":"Ok","distances":[[1e300]]}`), "length that cannot be"},
		"refused": {func(string) (int, string) { return 400, `{"code":"NoSegment","message":"One"}` },
			"(NoSegment One)"},
		"out of order":  {func(string) (int, string) { return 500, `oops` }, "answered with status 500"},
		"moved":         {func(string) (int, string) { return 302, `` }, "sends elsewhere, which is not followed"},
		"a huge answer": {ok(`{"code":"Ok","x":"` + strings.Repeat("x", 5<<20) + `"}`), "more than 4 MB"},
		"late": {func(string) (int, string) { time.Sleep(1200 * time.Millisecond); return 200, "{}" },
			"within 1 s"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			client, _ := service(t, c.answer)
			metres, why := client.Metres(points[:1], points[1])
			require.Len(t, metres, 1)
			assert.Nil(t, metres[0])
			assert.Contains(t, why, c.why)
		})
	}
	c := New("http://127.0.0.1:1", true)
	_, why := c.Metres(points[:1], points[1])
	assert.Equal(t, "the road service is not there: nothing listens at its address", why)
}

func TestAServiceInTheOwnNetworkHasToBeAllowed(t *testing.T) {
	s := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { t.Error("was asked") }))
	defer s.Close()
	for _, url := range []string{s.URL, strings.Replace(s.URL, "127.0.0.1", "localhost", 1),
		strings.Replace(s.URL, "127.0.0.1", "[::ffff:127.0.0.1]", 1)} {
		_, why := New(url, false).Metres(points[:1], points[1])
		assert.Contains(t, why, "--local-services", url)
	}
}

func TestAServiceThatFailsIsLeftAlone(t *testing.T) {
	c, asked := service(t, func(string) (int, string) { return 500, "" })
	for i := range 20 {
		to := orb.Point{13.5 + float64(i)/100, 52.5}
		_, why := c.Metres(points[:1], to)
		if i >= 5 {
			assert.Contains(t, why, "failed 5 times in a row")
		}
		c.Metres(points[:1], to) // the same question again
	}
	assert.EqualValues(t, 5, asked.Load(), "a failure is remembered for a moment, and five in a row are enough")
}

func TestTheSameQuestionAtTheSameTimeIsOne(t *testing.T) {
	c, asked := service(t, func(string) (int, string) {
		time.Sleep(50 * time.Millisecond)
		return http.StatusOK, `{"code":"Ok","distances":[[5000.5]]}`
	})
	var wait sync.WaitGroup
	for range 20 {
		wait.Go(func() {
			metres, why := c.Metres(points[:1], points[1])
			assert.Empty(t, why)
			assert.Equal(t, "5000.5", metres[0].String())
		})
	}
	wait.Wait()
	assert.EqualValues(t, 1, asked.Load())
}

func TestManyWaysAreAskedForTogether(t *testing.T) {
	c, asked := service(t, func(path string) (int, string) {
		n := strings.Count(strings.Split(path, "?")[0], ";") // one source
		assert.Less(t, n, 100, "an OSRM takes a hundred coordinates")
		return http.StatusOK, `{"code":"Ok","distances":[[` + strings.TrimSuffix(strings.Repeat("9e6,", n), ",") + `]]}`
	})
	var to []orb.Point
	for i := range 1000 {
		to = append(to, orb.Point{14 + float64(i)/1e4, 52})
	}
	c.Ahead(context.Background(), points[:1], append(to, to...))
	assert.EqualValues(t, 11, asked.Load(), "1,000 ways in questions of 99")
	for _, p := range to {
		metres, why := c.Remembered(points[:1], p)
		require.Empty(t, why)
		require.Equal(t, "9000000", metres[0].String())
	}
	_, why := c.Remembered(points[:1], orb.Point{1, 1})
	assert.Equal(t, "the road service was not asked in time", why)
}

func ExampleClient_Metres() {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Write([]byte(`{"code":"Ok","distances":[[1886.89]]}`))
	}))
	defer s.Close()
	metres, _ := New(s.URL, true).Metres([]orb.Point{{13.38886, 52.517037}}, orb.Point{13.397634, 52.529407})
	fmt.Println(metres[0], "m")
	// Output: 1886.89 m
}

// Whatever a service answers, each way gets a length that can be, or a reason.
func FuzzAnswer(f *testing.F) {
	f.Add(`{"code":"Ok","distances":[[1886.89]]}`)
	f.Add(`{"code":"Ok","distances":[[null]]}`)
	f.Add(`{"code":"Ok","distances":[[1e9999999]]}`)
	body := ""
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { w.Write([]byte(body)) }))
	f.Cleanup(s.Close)
	f.Fuzz(func(t *testing.T, answer string) {
		body = answer
		metres, why := New(s.URL, true).Metres(points[:1], points[1])
		if len(metres) != 1 || (metres[0] == nil) != (why != "") {
			t.Fatalf("%v %q", metres, why)
		}
		if metres[0] != nil && metres[0].Float64() < 1000 {
			t.Fatalf("%s m are shorter than the straight line", metres[0])
		}
	})
}
