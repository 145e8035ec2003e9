package ground

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestCornersReadBackAsTheyAreWritten(t *testing.T) {
	for _, text := range []string{
		"60.4 22\n60.5 22.1\n60.4 22.2\n",
		"60.4 22\n60.5 22.1\n60.4 22.2\n\n-33.5 -70.1\n-33.6 -70\n-33.7 -70.2\n",
		"60 22\n60 23\n61 23\n61 22\n\nhole\n60.2 22.2\n60.2 22.4\n60.4 22.4\n",
	} {
		a, err := pointsArea(text)
		require.NoError(t, err, text)
		assert.Equal(t, text, pointsText(a))
	}
	a, err := pointsArea(" 60,4.0 \r\n\r\n")
	require.Error(t, err)
	assert.Nil(t, a)
}

// Whatever is typed is read, and reads back, or is refused in words.
func FuzzCorners(f *testing.F) {
	f.Add("60.4 22\n60.5 22.1\n60.4 22.2")
	f.Add("60 22\n60 23\n61 23\n\nhole\n60.2 22.2\n60.2 22.4\n60.4 22.4")
	f.Fuzz(func(t *testing.T, text string) {
		a, err := pointsArea(text)
		if err != nil {
			if strings.TrimSpace(err.Error()) == "" {
				t.Fatal("refused without a word")
			}
			return
		}
		again, err := pointsArea(pointsText(a))
		if err != nil || pointsText(again) != pointsText(a) {
			t.Fatalf("%q reads back as %v", pointsText(a), err)
		}
	})
}
