package web

import (
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// fieldNames are the fields that the handlers of the screens read.
func fieldNames(t *testing.T) (names []string) {
	t.Helper()
	takesFile, err := filepath.Glob("*/*.go")
	require.NoError(t, err)
	read := regexp.MustCompile(`PostForm(?:Array)?\("([^"]+)"`)
	for _, name := range takesFile {
		body, err := os.ReadFile(name)
		require.NoError(t, err)
		for _, m := range read.FindAllStringSubmatch(string(body), -1) {
			if !slices.Contains(names, m[1]) && !strings.HasSuffix(name, "_test.go") {
				names = append(names, m[1])
			}
		}
	}
	require.Greater(t, len(names), 30)
	return names
}

// nasty are values that forms meet: of the shop, of its grammar, at its bounds, and none that anybody means well.
var nasty = []string{
	"",
	" ",
	"0",
	"1",
	"-1",
	"2",
	"5",
	"10",
	"999999999999999",
	"1000000",
	"99999999999999999999",
	"1e9",
	"NaN",
	"0.000000000001",
	"1,5",
	"1,200",
	"½",
	"on",
	"off",
	"yes",
	"no",
	"finland",
	"aland",
	"eu",
	"world",
	"home",
	"parcel",
	"letter",
	"van",
	"freight",
	"list",
	"bulky",
	"soft",
	"TOWEL-70",
	"STONE-20",
	"weight",
	"billed_weight",
	"subtotal",
	"quantity",
	"distance",
	"order",
	"from",
	"up_to",
	"up",
	"down",
	"left",
	"right",
	"add",
	"dearest",
	"together",
	"edit",
	"enabled",
	"label",
	"name",
	"note",
	"price",
	"days",
	"free",
	"needs",
	"at_most",
	"offered",
	"not_offered",
	"zone",
	"Finland",
	"FI 22*",
	"FI 96000 to 99999",
	"GB BT",
	"IE T12",
	"within 15 km of the workshop",
	"not FI 21660",
	"everywhere",
	"XX",
	"FI ***",
	"FI 99999 to 00000",
	"6.90",
	"free",
	"3.00 + 1.00 per item",
	"9.90 + 0.80 per started kg above 10",
	"5 % of goods",
	"1.00 per 0 kg",
	"4.00 first item, 1.50 each next",
	"100000000 % of goods",
	"1 per started 0.000000000001 kg",
	"2 to 4 working days",
	"from 120.00",
	"up to 15 kg",
	"14:00",
	"25:99",
	"Europe/Helsinki",
	"mon, fri",
	"2026-12-24",
	"FI",
	"EUR",
	"kg",
	"g",
	"a\tb\nc\td",
	"1\t2\t3\n4\t5\t6\n",
	strings.Repeat("x", 5000),
	strings.Repeat("FI 21100, ", 300),
	"\x00",
	"\u202e",
	"<script>",
	"';DROP TABLE item;--",
	"../../etc/passwd",
	"%s%n",
	"{{.}}",
	"\xff\xfe",
	"ÄÖ",
	"🧖",
}

// Whatever is sent to whatever form, in whatever order, no answer is an error of ours, and all pages answer after it.
func TestNoFormFailsWhateverIsSent(t *testing.T) {
	s := lauha(t)
	fields := fieldNames(t)
	var paths []string
	for _, route := range s.server.router.Routes() {
		if route.Method == http.MethodPost && !strings.HasPrefix(route.Path, "/api/") && !takesFile[route.Path] {
			paths = append(paths, route.Path)
		}
	}
	require.Greater(t, len(paths), 50)
	random := rand.New(rand.NewPCG(13, 2026))
	pick := func(list []string) string { return list[random.IntN(len(list))] }
	param := regexp.MustCompile(`:[a-z]+`)
	statuses := map[int]int{}
	for i := range 2000 {
		path := param.ReplaceAllStringFunc(
			paths[i%len(paths)],
			func(string) string { return url.PathEscape(pick(nasty[1:60])) },
		)
		form := url.Values{}
		for range random.IntN(7) {
			form.Add(pick(fields), pick(nasty))
		}
		req, err := http.NewRequest(http.MethodPost, s.URL+path, strings.NewReader(form.Encode()))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		if random.IntN(4) > 0 {
			req.Header.Set("HX-Request", "true")
		}
		resp, err := http.DefaultTransport.RoundTrip(req)
		require.NoError(t, err)
		resp.Body.Close()
		statuses[resp.StatusCode]++
		if resp.StatusCode >= 500 && resp.StatusCode != http.StatusServiceUnavailable {
			t.Errorf("%d: POST %s %s", resp.StatusCode, path, form.Encode())
		}
	}
	assert.Positive(t, statuses[http.StatusOK], "%v", statuses)
	for _, path := range []string{"/zones", "/goods", "/methods", "/rates", "/quotes", "/promises", "/warnings",
		"/live", "/people", "/checkout", "/checkout/element", "/policy"} {
		status, body := s.get(path)
		assert.Equal(t, http.StatusOK, status, path)
		assert.NotContains(t, body, "could not be shown", path)
	}
}
