package addresslist

import (
	"bytes"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"diadrom/internal/core/place"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/sheet"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func read(t *testing.T, text string) ([]Entry, []RowError) {
	t.Helper()
	r, err := Open(grid.Bytes(text), "FI", Choices{Zeros: destination.ZerosNone})
	require.NoError(t, err)
	return r.Entries, r.Slips
}

// Address books that people have, each with what a careful person reads in it, which was written before the reader was run
// on it: none is read wrongly without a question.
func TestTheCollectionOfAddressBooks(t *testing.T) {
	body, err := os.ReadFile("testdata/collection/books.txt")
	require.NoError(t, err)
	for _, part := range strings.Split(string(body), "\n## ")[1:] {
		name, rest, _ := strings.Cut(part, "\n")
		text, want, ok := strings.Cut(rest, "\n=> ")
		require.True(t, ok, name)
		r, err := Open(grid.Bytes(text+"\n"), "FI", Choices{})
		require.NoError(t, err, name)
		assert.Empty(t, r.Ledger.Left(), name)
		var asks, entries []string
		for _, a := range r.Asks {
			asks = append(asks, a.Code)
		}
		if len(r.Slips) > 0 {
			asks = append(asks, "slip")
		}
		for _, e := range r.Entries {
			a := e.Address
			entries = append(entries, fmt.Sprintf("%s (%s, %s): %s, %s %s, %s", e.Name, e.Customer, e.Group, a.Street, a.Postcode, a.City,
				strings.TrimSpace(a.Region+" "+a.Country)))
		}
		got := strings.Join(entries, " | ")
		if len(asks) > 0 {
			got = "ask " + strings.Join(asks, ",")
		}
		if codes, isAsked := strings.CutPrefix(strings.TrimSpace(want), "ask "); isAsked {
			assert.True(t, slices.ContainsFunc(strings.Split(codes, ","), func(c string) bool { return slices.Contains(asks, c) }),
				"%s: want %s, got %s", name, want, got)
			continue
		}
		assert.Equal(t, strings.TrimSpace(want), got, name)
	}
}

func TestAnAddressBookAsATable(t *testing.T) {
	entries, slips := read(t, "City;Name;Customer;Street;Postcode;Country;Region\n"+
		"Naantali;Hotel Aurora;C-1007;Rantakatu 2;21100;;\n"+
		"Tallinn;Pikk Inn;;Pikk 5;10111;Estonia;\n"+
		"Austin;Clinic;;12 Oak Road;78701;us;TX\n"+
		";Trade counter;T-1;;;;\n")
	require.Empty(t, slips)
	assert.Equal(t, []Entry{
		{Name: "Hotel Aurora", Customer: "C-1007",
			Address: place.Address{Country: "FI", Postcode: "21100", City: "Naantali", Street: "Rantakatu 2"}},
		{Name: "Pikk Inn", Address: place.Address{Country: "EE", Postcode: "10111", City: "Tallinn", Street: "Pikk 5"}},
		{Name: "Clinic", Address: place.Address{Country: "US", Region: "US-TX", Postcode: "78701", City: "Austin",
			Street: "12 Oak Road"}},
		{Name: "Trade counter", Customer: "T-1", Address: place.Address{Country: "FI"}},
	}, entries)
	var b bytes.Buffer
	require.NoError(t, sheet.Write(&b, Write(entries)))
	again, slips := read(t, b.String())
	assert.Empty(t, slips)
	assert.Equal(t, entries, again, "what is written reads back")
}

func TestRowsOfAnAddressBookThatCannotBeUsed(t *testing.T) {
	for row, want := range map[string]string{
		",C-1,,20100,":                     "this has no name",
		"Inn,,,2010,":                      "2010 cannot be a postcode of Finland",
		"Inn,,,20100,Atlantis":             `there is no country "Atlantis"`,
		"Inn,,,,":                          "neither an address nor a customer",
		"INN,C-1,,,\ninn,C-2,,,":           "inn stands in line 2 already",
		"Inn,,\x01street,20100,":           "street",
		strings.Repeat("n", 130) + ",C,,,": "at most 120 letters",
	} {
		_, slips := read(t, "name,customer,street,postcode,country\n"+row+"\n")
		require.Len(t, slips, 1, row)
		assert.ErrorContains(t, slips[0], want)
	}
	for head, want := range map[string]string{
		"name,street,colour": "These columns are not used: “colour”",
		"name,name,street":   "These columns are not used: “name”",
		"street,city":        "Which column has the names?",
	} {
		r, err := Open(grid.Bytes(head+"\na,b,c\n"), "FI", Choices{})
		require.NoError(t, err)
		require.NotEmpty(t, r.Asks, head)
		assert.Contains(t, r.Asks[0].Message, want)
		assert.NotEmpty(t, r.Problem())
	}
}

func TestALongAddressBookWithSomeWrongLines(t *testing.T) {
	var b strings.Builder
	b.WriteString("name,street,postcode\n")
	for i := range 20_000 {
		code := fmt.Sprintf("%05d", 20000+i%900)
		if i%500 == 7 {
			code = "2010"
		}
		fmt.Fprintf(&b, "Inn %d,Road %d,%s\n", i, i, code)
	}
	entries, slips := read(t, b.String())
	assert.Len(t, entries, 19_960)
	assert.Len(t, slips, 40)
	assert.Equal(t, 9, slips[0].Line)
}

func FuzzRead(f *testing.F) {
	f.Add("name,street,postcode,country\nInn,Road 1,20100,FI\n")
	f.Fuzz(func(t *testing.T, text string) {
		r, err := Open(grid.Bytes(text), "FI", Choices{})
		if err != nil {
			return
		}
		if len(r.Entries)+len(r.Slips) > len(r.Grid.Rows) || len(r.Ledger.Left()) > 0 {
			t.Fatalf("%d entries and %d slips of %d rows", len(r.Entries), len(r.Slips), len(r.Grid.Rows))
		}
		entries := r.Entries
		for _, e := range entries {
			if e.Name == "" || e.Address.Country == "" {
				t.Fatalf("%+v", e)
			}
		}
	})
}
