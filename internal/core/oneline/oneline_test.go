package oneline

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestNamesAreOneLineThatCanBeSeen(t *testing.T) {
	for text, want := range map[string]string{"  Aino \n Esimerkki\t": "Aino Esimerkki",
		"Äiti\u00a0ja\u2028isä": "Äiti ja isä", "نام\u200cه": "نام\u200cه", "": ""} {
		got, err := Read(text)
		require.NoError(t, err)
		assert.Equal(t, want, got)
	}
	for text, names := range map[string]string{"a\x00b": "U+0000", "a\u202etxt.exe": "U+202E", "\u2066x": "U+2066",
		"x\x1b[31m": "U+001B", "\ufeffx": "U+FEFF", "A\u200b": "U+200B", "A\u2060B": "U+2060", "a\xff": "not UTF-8"} {
		_, err := Read(text)
		require.ErrorContains(t, err, names)
	}
}

func TestWhatIsReadReadsTheSame(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		got, err := Read(rapid.String().Draw(t, "text"))
		if err != nil {
			return
		}
		again, err := Read(got)
		require.NoError(t, err)
		assert.Equal(t, got, again)
		assert.False(t, strings.ContainsAny(got, "\n\r\x00"))
	})
}
