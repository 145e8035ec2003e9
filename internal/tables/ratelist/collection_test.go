package ratelist

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// collected is a list of the collection with what a careful person makes of it: a table, or a question by one of some
// codes.
type collected struct {
	name, list  string
	table       string // "" where it is asked or refused
	zones       string // the new zones; "" where they are not looked at
	asks        []string
	refuse      bool
	file, where string
}

// collection reads the lists of testdata/collection. A list begins with "## NAME" and ends with "=> TABLE", "=> ask
// CODE,…" or "=> refuse".
func collection(t *testing.T) (list []collected) {
	t.Helper()
	files, err := filepath.Glob("testdata/collection/*.txt")
	require.NoError(t, err)
	for _, file := range files {
		body, err := os.ReadFile(file)
		require.NoError(t, err)
		for _, part := range strings.Split(string(body), "\n## ")[1:] {
			name, rest, _ := strings.Cut(part, "\n")
			text, want, ok := strings.Cut(rest, "\n=> ")
			require.True(t, ok, "%s: %s", file, name)
			c := collected{name: name, list: text + "\n", file: filepath.Base(file)}
			want, more, _ := strings.Cut(want, "\n")
			switch {
			case want == "refuse":
				c.refuse = true
			case strings.HasPrefix(want, "ask "):
				c.asks = strings.Split(strings.TrimPrefix(want, "ask "), ",")
			default:
				c.table = want
			}
			if zones, ok := strings.CutPrefix(strings.TrimSpace(more), "zones: "); ok {
				c.zones = zones
			}
			list = append(list, c)
		}
	}
	return list
}

// Verdicts on how a list of the collection was read.
const (
	right       = "right"              // the table that a careful person types, without a question
	asked       = "asked"              // what a careful person asks
	refusedSo   = "refused"            // with a reason, where it cannot be read
	askedClear  = "asked though clear" // a question where there is none
	askedBeside = "asked beside the point"
	wrongly     = "WRONG" // another table, without a question
	noReason    = "without a reason"
)

// judge reads a list of the collection and says how.
func judge(t *testing.T, c *collected) (verdict, got string) {
	r, table := made(t, storetest.Lauha(t), c.list)
	var asks, zones []string
	for _, a := range r.Asks {
		asks = append(asks, a.Code)
	}
	refused := 0
	if r.Plan != nil {
		for i, z := range r.Plan.Zones {
			if r.Plan.New[i] {
				zones = append(zones, z.Name+"="+wordsOf(z.Places))
			}
		}
		for _, l := range r.Plan.Lines {
			if l.Status == Refused || l.Status == Contradicts {
				refused++
			}
		}
	}
	got = fmt.Sprintf("%s | zones %s | asks %s | refused %d | %s", table, strings.Join(zones, "; "),
		strings.Join(asks, " "), refused,
		r.Missing)
	meant := func(code string) bool { return slices.Contains(c.asks, code) }
	switch {
	case r.Plan == nil && len(asks) == 0:
		if r.Missing == "" {
			return noReason, got
		}
		if c.refuse || c.table == "" {
			return refusedSo, got
		}
		return askedClear, got
	case c.table != "":
		same := table == c.table && (c.zones == "" || strings.Join(zones, "; ") == c.zones)
		switch {
		case same && len(asks) == 0 && refused == 0:
			return right, got
		case len(asks) > 0 || refused > 0:
			return askedClear, got
		}
		return wrongly, got
	case slices.ContainsFunc(asks, meant), refused > 0: // a line that is refused says what is to be answered
		return asked, got
	case len(asks) > 0:
		return askedBeside, got
	}
	return wrongly, got
}

// Lists in the shapes of the trade, each with what a careful person reads in it, which was written before the reader
// was run on it: none is read wrongly without a question.
func TestTheCollectionOfLists(t *testing.T) {
	figures := map[string]int{}
	list := collection(t)
	for i := range list {
		c := &list[i]
		verdict, got := judge(t, c)
		figures[verdict]++
		switch verdict {
		case wrongly, noReason:
			assert.Fail(t, verdict, "%s: %s\n%s\nwant %s %s\ngot  %s", c.file, c.name, c.list, c.table,
				strings.Join(c.asks, ","), got)
		case askedClear, askedBeside:
			t.Logf("%s: %s: %s\nwant %s %s\ngot  %s", verdict, c.file, c.name, c.table, strings.Join(c.asks, ","), got)
		}
	}
	t.Log(len(list), "lists:", figures)
}
