package gazetteer

import (
	"bytes"
	"strings"
	"testing"

	"diadrom/internal/core/postcode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestLinesInTheGeoNamesPostalLayout(t *testing.T) {
	// GeoNames' own code for the region
	list := "\ufeffFI\t21100\tNaantali\tVarsinais-Suomi\t02\tNaantali\t529\t\t\t60.4674\t22.0243\t4\r\n" +
		"FI\t21100\tLuonnonmaa\t\t19\t\t\t\t\t\t\t\n" + // no point
		"\n" +
		// Latin-1
		"XX\t1\tNowhere\n" + "FI\t\tNo code\n" + "FI\t1\n" + "FI\t00100\tHelsinki\tUusimaa\t01\t\t\t\t\tnorth\t24\t\n" +
		"FI\t00100\t\xe4\n" +
		"FI\t" + strings.Repeat(
		"9",
		5000,
	) + "\tLong\n" +
		"FIN\t22100\tMariehamn\tÅland\t01\t\t\t\t\t60.09\t19.93" // no line end
	g, skipped, err := Read(strings.NewReader(list))
	require.NoError(t, err)
	assert.Equal(t, 3, g.Len())
	var lines []int
	for _, s := range skipped {
		lines = append(lines, s.Line)
	}
	assert.Equal(t, []int{4, 5, 6, 7, 8, 9}, lines)
	found := g.Postcode("FI", postcode.Read("FI", "FI-21 100"))
	require.Len(t, found, 2)
	assert.Equal(t, "FI-19", found[0].Region, "by its name, as the list's codes are its own")
	assert.Equal(t, "FI-19", found[1].Region, "by its code where there is no name")
	p, ok := g.Locate("FI", postcode.Read("FI", "21100"), "Luonnonmaa")
	assert.True(t, ok)
	assert.Equal(t, "Naantali", p.Name, "a place without a point stands back")
	p, ok = g.Locate("FI", postcode.Code{}, "MARIEHAMN")
	assert.True(t, ok)
	assert.Equal(t, "22100", p.Postcode)
	_, ok = g.Locate("SE", postcode.Read("SE", "21100"), "")
	assert.False(t, ok)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("FI\t21100\tNaantali\t\t19\t\t\t\t\t60.4\t22.0\t4\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		g, skipped, err := Read(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		if n := bytes.Count(data, []byte("\n")) + 1; g.Len()+len(skipped) > n {
			t.Fatalf("%d places and %d faults of %d lines", g.Len(), len(skipped), n)
		}
	})
}
