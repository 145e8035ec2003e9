package quote

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// What a request says of its goods is quoted alike, whether it is written in full or for the store that has them.
func TestARequestThatIsWrittenIsReadAlike(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		e := engineOf(t, drawStore(t))
		requests, _, faults := e.ReadRequest(encode(t, drawRequest(t)))
		require.Empty(t, faults)
		q := requests[0]
		want, err := json.Marshal(e.Quote(&q))
		require.NoError(t, err)
		for _, form := range []json.Marshaler{&q, q.For(e.Store())} {
			data, err := json.Marshal(form)
			require.NoError(t, err)
			read, _, faults := e.ReadRequest(data)
			require.Empty(t, faults, string(data))
			got, err := json.Marshal(e.Quote(&read[0]))
			require.NoError(t, err)
			assert.JSONEq(t, string(want), string(got), string(data))
		}
	})
}

// What is appended is what package json writes, whatever the answer has.
func TestAnswersAreAppendedAsJSONWritesThem(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		file := drawStore(t)
		e := engineOf(t, file)
		request := drawRequest(t)
		for _, more := range []string{"parcels", "costs", "checkout"} {
			request[more] = rapid.Bool().Draw(t, more)
		}
		a := ask(t, e, request)
		if rapid.Bool().Draw(t, "odd") {
			a.Message = rapid.String().Draw(t, "message")
			a.Held = &Held{"a", "b", "c"}
			a.Language = "fi"
			for i := range a.Options {
				a.Options[i].Label, a.Options[i].Point = rapid.String().Draw(t, "label"), rapid.String().Draw(t, "point")
			}
		}
		require.Equal(t, string(encode(t, a)), string(a.AppendJSON(nil)))
	})
	for _, text := range []string{"\u2028", "<&>", "\xff", "\x7f", "×", "\"\\\n"} {
		require.Equal(t, string(encode(t, text)), string(appendText(nil, text)), text)
	}
}
