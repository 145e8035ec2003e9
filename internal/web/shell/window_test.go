package shell

import (
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestALongListIsShownInParts(t *testing.T) {
	of := func(query string) *Window {
		q, _ := url.ParseQuery(query)
		return WindowOf(q, "zones", 12, 40)
	}
	assert.Equal(t, &Window{1, 12, 40, "", "?zones=13"}, of(""))
	assert.Equal(t, &Window{13, 24, 40, "?find=x&zones=1", "?find=x&zones=25"}, of("find=x&zones=13"))
	assert.Equal(t, &Window{37, 40, 40, "?zones=25", ""}, of("zones=40"))
	assert.Equal(t, of(""), of("zones=-3"), "what no part has is the first")
	assert.Equal(t, of("zones=40").From, of("zones=4000").From, "or the last")
	assert.Nil(t, WindowOf(nil, "zones", 12, 12), "a short list is shown whole")
	assert.Equal(t, 25, WindowWith(url.Values{}, "zones", 12, 40, 30).From, "the part that has a place")
	assert.Equal(t, 1, WindowWith(url.Values{"zones": {"1"}}, "zones", 12, 40, 30).From, "unless one is asked for")
}

// Going on from part to part shows everything once.
func TestPartsShowEverythingOnce(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		size, n := rapid.IntRange(1, 30).Draw(t, "size"), rapid.IntRange(0, 300).Draw(t, "n")
		seen := 0
		for query := "?"; query != ""; {
			q, err := url.ParseQuery(query[1:])
			assert.NoError(t, err)
			w := WindowOf(q, "at", size, n)
			from, to := w.Bounds(n)
			assert.Equal(t, seen, from)
			seen = to
			if query = ""; w != nil {
				query = w.Next
			}
		}
		assert.Equal(t, n, seen)
	})
}
