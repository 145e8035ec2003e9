package held

import (
	"encoding/json"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Whatever a buyer adds to a request, or changes in it, is named: each of these makes a price that the shop did not mean.
// The examples in Node and the static one compare by themselves, with these cases too.
func TestARequestIsComparedWithTheOrder(t *testing.T) {
	text, err := os.ReadFile("testdata/order.json")
	require.NoError(t, err)
	var cases []struct {
		About   string
		Request json.RawMessage
		Order   Order
		Differs []string
	}
	require.NoError(t, json.Unmarshal(text, &cases))
	require.Greater(t, len(cases), 15)
	for _, c := range cases {
		got, err := Differences(c.Request, c.Order)
		require.NoError(t, err, c.About)
		assert.ElementsMatch(t, c.Differs, got, c.About)
	}
	_, err = Differences([]byte(`{`), nil)
	assert.Error(t, err)
	_, err = Differences([]byte(`{"lines":[]}`), Order{"lines": json.RawMessage(`[`)})
	assert.Error(t, err)
}

// A request for an order does not differ from it, and one with a member changed does.
func TestEveryChangeOfALineIsSeen(t *testing.T) {
	value := rapid.OneOf(rapid.Map(rapid.String(), func(s string) any { return s }),
		rapid.Map(rapid.IntRange(-9, 9), func(n int) any { return n }), rapid.Map(rapid.Bool(), func(b bool) any { return b }))
	rapid.Check(t, func(t *rapid.T) {
		lines := rapid.SliceOfN(rapid.MapOfN(rapid.StringMatching(`[a-z/~]{1,4}`), value, 1, 4), 1, 4).Draw(t, "lines")
		asJSON := func() []byte {
			b, err := json.Marshal(lines)
			require.NoError(t, err)
			return b
		}
		of := Order{"lines": asJSON()}
		got, err := Differences([]byte(`{"lines":`+string(of["lines"])+`}`), of)
		require.NoError(t, err)
		assert.Empty(t, got)
		line := rapid.SampledFrom(lines).Draw(t, "line")
		for name := range line {
			line[name] = []any{line[name]}
			break
		}
		got, err = Differences([]byte(`{"lines":`+string(asJSON())+`}`), of)
		require.NoError(t, err)
		assert.NotEmpty(t, got)
	})
}
