package sheet

import (
	"bytes"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"github.com/gogs/chardet"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/htmlindex"
	utf "golang.org/x/text/encoding/unicode"
	"golang.org/x/text/language"
	"golang.org/x/text/language/display"
	"golang.org/x/text/transform"
)

// UTF8 and UTF16 are the names of the encodings of Unicode.
const (
	UTF8  = "UTF-8"
	UTF16 = "UTF-16"
)

// candidate is an encoding with the languages that are mostly written in it where Unicode is not used.
type candidate struct {
	name, html string // what people call it, and its label in the encoding standard of the WHATWG
	languages  string
}

// candidates are the encodings that a text which is not Unicode may be in; of those that fit alike the first is taken.
var candidates = []candidate{
	{"Windows-1252", "windows-1252", "de fr es fi sv en da nb nl pt it"},
	{"ISO 8859-15", "iso-8859-15", "de fr es fi sv en da nb nl pt it"},
	{"Mac Roman", "macintosh", "de fr es fi sv en da nb nl pt it"},
	{"Windows-1250", "windows-1250", "cs pl hu sk hr sl ro"},
	{"Windows-1257", "windows-1257", "et lv lt"},
	{"Windows-1251", "windows-1251", "ru uk bg"},
	{"Windows-1253", "windows-1253", "el"},
	{"Windows-1254", "windows-1254", "tr"},
	{"Shift_JIS", "shift_jis", "ja"},
	{"EUC-JP", "euc-jp", "ja"},
	{"GB18030", "gb18030", "zh"},
	{"Big5", "big5", "zh-Hant"},
	{"EUC-KR", "euc-kr", "ko"},
}

// Encodings are the names of the encodings that [ReadAs] reads, besides those of Unicode.
func Encodings() (names []string) {
	for _, c := range candidates {
		names = append(names, c.name)
	}
	return names
}

// looked is how much of a text shows its encoding, in bytes.
const looked = 64 << 10

// Detect names the encoding that a text is in by its first bytes: the encodings of Unicode by their marks and forms, and
// others by what the text would say in them. "UTF-16LE" and "UTF-16BE" are UTF-16 without a mark.
func Detect(data []byte) string {
	switch {
	case bytes.HasPrefix(data, []byte{0xff, 0xfe}), bytes.HasPrefix(data, []byte{0xfe, 0xff}):
		return UTF16
	case bytes.HasPrefix(data, []byte{0xef, 0xbb, 0xbf}):
		return UTF8
	}
	if name := unmarked(data); name != "" {
		return name
	}
	start := data[:min(len(data), looked)]
	if utf8.Valid(whole(start)) {
		return UTF8
	}
	return guessed(start)
}

// whole is a text without a letter that its end cuts.
func whole(data []byte) []byte {
	for i := 1; i <= min(utf8.UTFMax, len(data)); i++ {
		if c := data[len(data)-i]; utf8.RuneStart(c) {
			if c >= utf8.RuneSelf && !utf8.FullRune(data[len(data)-i:]) {
				return data[:len(data)-i]
			}
			break
		}
	}
	return data
}

// unmarked names UTF-16 without a mark: in text of letters of Europe each second byte is 0.
func unmarked(data []byte) string {
	start := data[:min(len(data), 4096)&^1]
	var zeros [2]int
	for i, c := range start {
		if c == 0 {
			zeros[i%2]++
		}
	}
	switch half := len(start) / 2; {
	case half < 4:
	case zeros[1]*10 > half*6 && zeros[0]*10 < half:
		return "UTF-16LE"
	case zeros[0]*10 > half*6 && zeros[1]*10 < half:
		return "UTF-16BE"
	}
	return ""
}

// guessed names the encoding in which a text that is not Unicode says most: names of countries in a language that is
// written in it, and words of letters. What a detector by frequencies of letters finds counts where these say nothing.
func guessed(start []byte) string {
	best, most := candidates[0].name, -1<<30
	found := map[string]int{}
	if list, err := chardet.NewTextDetector().DetectAll(start); err == nil {
		for _, r := range list {
			found[strings.ToLower(r.Charset)] = r.Confidence
		}
	}
	for _, c := range candidates {
		decoded, ok := decodeAs(start, c.name)
		if !ok {
			continue
		}
		score := 10*plausible(decoded) + 400*knownWords(decoded, c.languages)
		if score += found[c.html] / 10; score > most {
			best, most = c.name, score
		}
	}
	return best
}

// plausible counts how much of a decoded text is no text: letters that could not be decoded, control codes, and signs or
// capitals within words.
func plausible(decoded []byte) (score int) {
	before := ' '
	for _, r := range string(decoded) {
		if unicode.IsLetter(r) && unicode.IsLetter(before) && unicode.Is(unicode.Latin, r) != unicode.Is(unicode.Latin, before) {
			score -= 8 // a word in two scripts
		}
		switch {
		case r < utf8.RuneSelf:
		case r == utf8.RuneError, unicode.IsControl(r), unicode.Is(unicode.Co, r):
			score -= 20
		case strings.ContainsRune("€£°ºª–—’‘“”„«»·×±²³½§ø", r), unicode.IsSpace(r):
		case !unicode.IsLetter(r) && !unicode.Is(unicode.Han, r):
			score -= 3
			if unicode.IsLetter(before) {
				score -= 3
			}
		case unicode.IsUpper(r) && unicode.IsLower(before):
			score -= 6
		case unicode.Is(unicode.Katakana, r) && r >= 0xff61:
			score -= 2 // half-width letters of Japan are rare
		}
		if before >= utf8.RuneSelf && !unicode.IsLetter(before) && unicode.IsLower(r) && !unicode.IsSpace(before) {
			score -= 3 // a sign that begins a word
		}
		before = r
	}
	return score
}

// knownWords counts the cells of a text that are names of countries with letters beyond those of English.
func knownWords(decoded []byte, languages string) (n int) {
	names := countryNames(languages)
	for _, cell := range strings.FieldsFunc(string(decoded), func(r rune) bool { return strings.ContainsRune("\t\r\n;,|\"", r) }) {
		if names[strings.ToLower(strings.TrimSpace(cell))] {
			n++
		}
	}
	return n
}

var (
	namesMu sync.Mutex
	names   = map[string]map[string]bool{}
)

// countryNames are the names of countries in languages that have letters beyond those of English, in small letters, as
// Unicode CLDR has them by way of golang.org/x/text.
func countryNames(languages string) map[string]bool {
	namesMu.Lock()
	defer namesMu.Unlock()
	if have, ok := names[languages]; ok {
		return have
	}
	list := map[string]bool{}
	for _, tag := range strings.Fields(languages) {
		namer := display.Regions(language.Make(tag))
		for a := 'A'; namer != nil && a <= 'Z'; a++ {
			for b := 'A'; b <= 'Z'; b++ {
				region, err := language.ParseRegion(string([]rune{a, b}))
				if err != nil {
					continue
				}
				name := strings.ToLower(namer.Name(region))
				if strings.ContainsFunc(name, func(r rune) bool { return r >= utf8.RuneSelf }) {
					list[name] = true
				}
			}
		}
	}
	names[languages] = list
	return list
}

// Decoder decodes a text in an encoding by its name; nil for UTF-8 and for a name that is none.
func Decoder(name string) *encoding.Decoder {
	switch name {
	case UTF16:
		return utf.UTF16(utf.LittleEndian, utf.UseBOM).NewDecoder()
	case "UTF-16LE":
		return utf.UTF16(utf.LittleEndian, utf.IgnoreBOM).NewDecoder()
	case "UTF-16BE":
		return utf.UTF16(utf.BigEndian, utf.IgnoreBOM).NewDecoder()
	}
	for _, c := range candidates {
		if c.name == name {
			if e, err := htmlindex.Get(c.html); err == nil {
				return e.NewDecoder()
			}
		}
	}
	return nil
}

// decodeAs decodes a text in an encoding by its name.
func decodeAs(data []byte, name string) ([]byte, bool) {
	d := Decoder(name)
	if d == nil {
		return data, false
	}
	decoded, err := d.Bytes(data)
	return decoded, err == nil
}

// Decode turns a file's bytes into UTF-8 without a byte order mark, and names the encoding that it was in.
func Decode(data []byte) ([]byte, string) {
	name := Detect(data)
	if name == UTF8 {
		data = bytes.TrimPrefix(data, []byte("\ufeff"))
		if utf8.Valid(data) {
			return data, name
		}
		name = guessed(data) // it is not Unicode further on
	}
	decoded, ok := decodeAs(data, name)
	if !ok {
		decoded, _, _ = transform.Bytes(encoding.Replacement.NewDecoder(), data)
	}
	if strings.HasPrefix(name, UTF16) {
		name = UTF16
	}
	return bytes.TrimPrefix(decoded, []byte("\ufeff")), name
}
