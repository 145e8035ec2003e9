package sheet

import (
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/japanese"
	"golang.org/x/text/encoding/korean"
	"golang.org/x/text/encoding/simplifiedchinese"
	"golang.org/x/text/encoding/unicode"
	"pgregory.net/rapid"
)

// Lists as programs of their countries write them; the encodings are those of golang.org/x/text. The names of countries
// are those of Unicode CLDR.
func TestTheEncodingOfAList(t *testing.T) {
	little := unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM)
	for _, c := range []struct {
		name string
		in   encoding.Encoding
		text string
	}{
		{"Windows-1252", charmap.Windows1252, "Land;Preis\nÖsterreich;6,90 €\nDänemark;9,90 €\n"},
		{"Windows-1252", charmap.Windows1252, "Pays;Prix\nItalie;6,90 €\nLa Réunion;19,90 €\n"},
		{"Windows-1252", charmap.Windows1252, "Vyöhyke;Hinta\nÅland;6,90\nKöyliö;9,90\n"},
		{"Windows-1252", charmap.Windows1252, "Größe;Preis\nbis 2 kg;6,90\n"},
		{"ISO 8859-15", charmap.ISO8859_15, "Land;Preis\nÖsterreich;6,90 €\nDänemark;9,90 €\n"},
		{"Mac Roman", charmap.Macintosh, "Land;Preis\nÖsterreich;6,90\nDänemark;9,90\n"},
		{"Mac Roman", charmap.Macintosh, "Pays;Prix\nLa Réunion;6,90\nNouvelle-Calédonie;9,90\n"},
		{"Windows-1250", charmap.Windows1250, "Země;Cena\nČesko;6,90\nŠvédsko;9,90\nŘecko;12\n"},
		{"Windows-1250", charmap.Windows1250, "Kraj;Cena\nWęgry;6,90\nŁotwa;9,90\nWłochy;1\n"},
		{"Windows-1251", charmap.Windows1251, "Страна;Цена\nРоссия;690\nГермания;1200\n"},
		{"Shift_JIS", japanese.ShiftJIS, "国;料金\n日本;690\nアメリカ合衆国;1200\n"},
		{"EUC-JP", japanese.EUCJP, "国;料金\n日本;690\nアメリカ合衆国;1200\n"},
		{"GB18030", simplifiedchinese.GB18030, "国家;价格\n中国;690\n德国;1200\n"},
		{"EUC-KR", korean.EUCKR, "국가;가격\n대한민국;690\n독일;1200\n"},
		{"UTF-16", little, "Land;Preis\nÖsterreich;6,90 €\n"},
		{"UTF-16", unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM), "Land;Preis\nÖsterreich;6,90 €\n"},
		{"UTF-16", unicode.UTF16(unicode.LittleEndian, unicode.UseBOM), "Land;Preis\nÖsterreich;6,90 €\n"},
		{"UTF-8", encoding.Nop, "Land;Preis\nÖsterreich;6,90 €\n"},
		{"UTF-8", encoding.Nop, "\ufeffLand;Preis\nÖsterreich;6,90 €\n"},
		{"UTF-8", encoding.Nop, "Land;Preis\nGermany;6.90\n"},
	} {
		data, err := c.in.NewEncoder().Bytes([]byte(c.text))
		require.NoError(t, err, c.name)
		decoded, name := Decode(data)
		assert.Equal(t, c.name, name, c.text)
		assert.Equal(t, strings.TrimPrefix(c.text, "\ufeff"), string(decoded), c.name)
	}
}

// A chosen encoding counts, and a text always becomes UTF-8.
func TestAChosenEncoding(t *testing.T) {
	data, err := charmap.Macintosh.NewEncoder().Bytes([]byte("Pays;Prix\nSuède;9\n"))
	require.NoError(t, err)
	table, err := ReadAs(data, "Mac Roman", 0)
	require.NoError(t, err)
	assert.Equal(t, "Suède", table.Rows[1].Cells[0])
	assert.Equal(t, "Mac Roman", table.Encoding)
	for _, name := range Encodings() {
		assert.NotNil(t, Decoder(name), name)
	}
	assert.Nil(t, Decoder("EBCDIC"))
}

func TestAnyBytesBecomeText(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		data := rapid.SliceOf(rapid.Byte()).Draw(t, "data")
		decoded, name := Decode(data)
		assert.True(t, utf8.Valid(decoded), name)
		if text := rapid.String().Draw(t, "text"); !strings.ContainsRune(text, 0) && !strings.HasPrefix(text, "\ufeff") {
			decoded, name = Decode([]byte(text))
			assert.Equal(t, text, string(decoded), name)
		}
	})
}

// Digits as they are written in East Asia, in Arabic and in Persian (Unicode, blocks Halfwidth and Fullwidth Forms and
// Arabic).
func TestNumbersInOtherDigits(t *testing.T) {
	for text, want := range map[string]string{
		"１２．５０":      "12.50",
		"２ｋｇ":        "2kg",
		"１，２００":      "1,200",
		"１９％":        "19%",
		"٦٫٩٠":       "6.90",
		"١٬٢٠٠":      "1,200",
		"۱۲٫۵":       "12.5",
		"ＡＢＣ":        "ＡＢＣ",
		"1.20":       "1.20",
		"日本 １２":      "日本 12",
		"Österreich": "Österreich",
	} {
		assert.Equal(t, want, PlainDigits(text), text)
	}
}
