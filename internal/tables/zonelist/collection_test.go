package zonelist

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"diadrom/internal/core/place"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/heads"
	"diadrom/internal/tables/notes"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// said are the zones of a reading in one line.
func said(r *Reading, reader typed.Reader) string {
	var zones []string
	for i := range r.Zones {
		z := &r.Zones[i]
		zones = append(zones, z.Name+": "+Text(z.Places, z.Except, reader))
	}
	return strings.Join(zones, " | ")
}

// collectedList is a list of the collection, with what a careful person reads in it.
type collectedList struct{ name, list, want string }

// collected reads the lists of testdata/collection.
func collected(t *testing.T) (lists []collectedList) {
	t.Helper()
	files, err := filepath.Glob("testdata/collection/*.txt")
	require.NoError(t, err)
	for _, file := range files {
		body, err := os.ReadFile(file)
		require.NoError(t, err)
		for _, part := range strings.Split(string(body), "\n## ")[1:] {
			name, rest, _ := strings.Cut(part, "\n")
			text, want, ok := strings.Cut(rest, "\n=> ")
			require.True(t, ok, name)
			lists = append(lists, collectedList{name, text + "\n", strings.TrimSpace(want)})
		}
	}
	return lists
}

// Lists in the shapes of the trade, each with what a careful person reads in it, which was written before the reader was
// run on it: none is read wrongly without a question. A list begins with "## NAME" and ends with "=> ZONES" or "=> ask
// CODE,…".
func TestTheCollectionOfZoneLists(t *testing.T) {
	figures := map[string]int{}
	for _, c := range collected(t) {
		name, want := c.name, c.want
		f := storetest.Lauha(t)
		f.Zones = nil
		if name == "a zone of the shop has the place" {
			f.Zones = []store.Zone{{ID: "baltic", Name: "Baltic", Enabled: true, Places: []place.Rule{{Country: "EE"}}}}
		}
		reader := typed.For(f, nil)
		r, err := Open(grid.Bytes(c.list), f, reader, Choices{})
		require.NoError(t, err, name)
		var asks []string
		for _, a := range r.Asks {
			asks = append(asks, a.Code)
		}
		codes, isAsked := strings.CutPrefix(want, "ask ")
		got := said(r, reader)
		verdict := ""
		switch {
		case isAsked && slices.ContainsFunc(strings.Split(codes, ","), func(c string) bool { return slices.Contains(asks, c) }):
			verdict = "asked"
		case isAsked && len(asks) > 0:
			verdict = "asked beside the point"
		case !isAsked && len(asks) > 0:
			verdict = "asked though clear"
		case !isAsked && got == want:
			verdict = "right"
		default:
			verdict = "WRONG"
			assert.Fail(t, verdict, "%s\n%s\nwant %s\ngot  %s", name, c.list, want, got)
		}
		figures[verdict]++
		if strings.HasPrefix(verdict, "asked ") {
			t.Logf("%s: %s\n%s\nwant %s\ngot  %s\n%v", verdict, name, c.list, want, got, r.Asks)
		}
		for line, left := range r.Ledger.Left() {
			assert.Fail(t, "left", "%s: %v %v", name, line, left)
		}
	}
	t.Log(figures)
}

// Where a digit of a list changes, the zones change, or a question, or what is told: no number is passed over, but in a
// column whose heading says that it is no place. Each cell has an account.
func TestNoNumberOfAZoneListIsPassedOver(t *testing.T) {
	lists := collected(t)
	f := storetest.Lauha(t)
	f.Zones = nil
	reader := typed.For(f, nil)
	told := func(r *Reading) string {
		return said(r, reader) + fmt.Sprint(r.Asks, r.Unknown, r.Slips, r.Ledger.Counts())
	}
	rapid.Check(t, func(t *rapid.T) {
		c := rapid.SampledFrom(lists).Draw(t, "list")
		var digits []int
		for i := range len(c.list) {
			if c.list[i] >= '0' && c.list[i] <= '9' {
				digits = append(digits, i)
			}
		}
		if len(digits) == 0 || strings.Contains(c.list, `"`) {
			t.Skip("no digit, or cells in quotes")
		}
		open := func(text string) *Reading {
			r, err := Open(grid.Bytes(text), f, reader, Choices{})
			require.NoError(t, err)
			assert.Empty(t, r.Ledger.Left(), text)
			return r
		}
		at := rapid.SampledFrom(digits).Draw(t, "digit")
		to := byte('0' + rapid.IntRange(0, 9).Draw(t, "to"))
		if c.list[at] == to {
			t.Skip("the same")
		}
		was, is := open(c.list), open(c.list[:at]+string(to)+c.list[at+1:])
		line := 1 + strings.Count(c.list[:at], "\n")
		begin := strings.LastIndexByte(c.list[:at], '\n') + 1
		column := strings.Count(c.list[begin:at], string(was.Grid.Separator))
		if was.Ledger.At(line, column) == grid.SetAside {
			text := c.list[begin:]
			head := strings.Split(strings.Split(c.list, "\n")[max(was.Head-1, 0)], string(was.Grid.Separator))
			assert.True(t, column < len(head) && heads.Aside(heads.Fold(head[column])) ||
				!notes.Says(text[:strings.IndexByte(text, '\n')], nil), "%s: line %d", c.name, line)
			return
		}
		if was.Ledger.At(line, column) == grid.AskedAbout && is.Ledger.At(line, column) == grid.AskedAbout {
			return // a question has it
		}
		assert.NotEqual(t, told(was), told(is), "%s: line %d: a digit is %c, and nothing changed", c.name, line, to)
	})
}
