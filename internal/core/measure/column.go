package measure

import (
	"errors"
	"fmt"
	"regexp"
	"strings"

	"diadrom/internal/core/decimal"
)

// Column knows how a column of numbers writes them: with which decimal sign.
type Column struct {
	Decimal byte // '.' or ','; 0: no cell shows it, and nobody chose it
	line    int  // of the cell that shows it; 0: it was chosen
	shown   string
}

var grouped = regexp.MustCompile(`^[1-9][0-9]{0,2}(?:([., '’\x{a0}\x{202f}])[0-9]{3})+(?:([.,])[0-9]+)?$`)

// indian are numbers as India parts them: behind the last three digits in pairs, 1,25,000.00.
var indian = regexp.MustCompile(`^[1-9][0-9]?(?:,[0-9]{2})+,[0-9]{3}(?:\.[0-9]+)?$`)

var plainNumber = regexp.MustCompile(`^[0-9]+(?:([.,])[0-9]+)?$`)

// sign is the decimal sign that a number's own form shows: two kinds of signs, or digits behind the only one
// that are not three; 0 where it could be read either way or has none.
func sign(number string) byte {
	if s, ok := plain(number); ok &&
		// the common case: no group of three behind the sign
		(s < 0 || len(number)-s-1 != 3 || s > 3 || number[0] == '0') {
		if s < 0 {
			return 0
		}
		return number[s]
	}
	if m := grouped.FindStringSubmatch(number); m != nil {
		switch {
		case m[2] != "":
			return m[2][0]
		case strings.Count(number, m[1]) > 1 && (m[1] == "." || m[1] == ","): // 1.200.300
			return other(m[1][0])
		case m[1] == "." || m[1] == ",":
			return 0
		}
		return 0
	}
	if m := plainNumber.FindStringSubmatch(number); m != nil && m[1] != "" {
		return m[1][0]
	}
	if indian.MatchString(number) {
		return '.'
	}
	return 0
}

// plain says whether a text is digits with at most one point or comma among them, and where that stands; −1 for
// nowhere.
func plain(text string) (at int, ok bool) {
	at = -1
	for i := range len(text) {
		switch c := text[i]; {
		case c >= '0' && c <= '9':
		case (c == '.' || c == ',') && at < 0 && i > 0 && i < len(text)-1:
			at = i
		default:
			return at, false
		}
	}
	return at, text != ""
}

func other(sign byte) byte {
	if sign == '.' {
		return ','
	}
	return '.'
}

// Numbers looks at the cells of a column, which stand on the given lines; the first that shows its decimal sign
// tells it for all. Where none does, a number that may be read in two ways (1.200) is an error of
// [Column.Parse]. Currency signs and units around the numbers do not matter.
func Numbers(cells []string, line func(int) int) Column {
	for i, cell := range cells {
		if s := sign(bareNumber(cell)); s != 0 {
			return Column{s, line(i), cell}
		}
	}
	return Column{}
}

var around = regexp.MustCompile(`^[^0-9.,+−-]*|[^0-9.,]*$`)

func bareNumber(cell string) string {
	if _, ok := plain(cell); ok {
		return cell
	}
	return strings.TrimSpace(around.ReplaceAllString(cell, ""))
}

// TwoWays is the error of a number that may be a thousand or one: 1.200.
type TwoWays struct {
	Cell, Thousand, One string
	Sign                byte // that may be a decimal sign or part thousands
}

// Error says what the number may be.
func (e *TwoWays) Error() string {
	return fmt.Sprintf("%.20s is %s or %s: choose the decimal sign", e.Cell, e.Thousand, e.One)
}

// Given is what the number is where the decimal sign is the one given.
func (e *TwoWays) Given(decimal byte) string {
	if decimal == e.Sign {
		return e.One
	}
	return e.Thousand
}

// Parse reads a number of the column; what stands around it, a currency or a unit, is returned.
func (c Column) Parse(cell string) (d decimal.Decimal, around string, err error) {
	if at, ok := plain(cell); ok && (at < 0 || cell[at] == c.Decimal) { // the common case
		if at >= 0 && c.Decimal == ',' {
			cell = cell[:at] + "." + cell[at+1:]
		}
		if d, err = decimal.Parse(cell); err != nil {
			return d, "", fmt.Errorf("%.20q is not a number", cell)
		}
		return d, "", nil
	}
	number := bareNumber(cell)
	if strings.HasPrefix(strings.TrimSpace(cell), "-") || strings.HasPrefix(number, "-") ||
		strings.HasPrefix(number, "−") {
		return d, "", errors.New("it is below 0")
	}
	bare := strings.TrimPrefix(number, "+")
	if err := c.readable(cell, bare); err != nil {
		return d, "", err
	}
	clean := strings.Map(func(r rune) rune {
		switch {
		case r == rune(c.Decimal):
			return '.'
		case r >= '0' && r <= '9':
			return r
		}
		return -1
	}, bare)
	if d, err = decimal.Parse(clean); err != nil {
		return d, "", fmt.Errorf("%.20q is not a number", cell)
	}
	before, after, _ := strings.Cut(cell, number)
	return d, strings.TrimSpace(strings.TrimSpace(before) + " " + strings.TrimSpace(after)), nil
}

// readable says why the number of a cell cannot be read in this column, or only in two ways.
func (c Column) readable(cell, bare string) error {
	if shown := sign(bare); shown != 0 && shown != c.Decimal {
		if c.line > 0 {
			return fmt.Errorf("its decimal sign is the other way round than in line %d (%.20s)", c.line, c.shown)
		}
		return fmt.Errorf("its decimal sign is not the %s that was set", map[byte]string{'.': "point",
			',': "comma"}[c.Decimal])
	}
	m := grouped.FindStringSubmatch(bare)
	switch {
	case m == nil && !plainNumber.MatchString(bare) && !indian.MatchString(bare):
		return fmt.Errorf("%.20q is not a number", cell)
	case c.Decimal == 0 && m != nil && (m[1] == "." || m[1] == ","):
		whole, parted := strings.Replace(bare, m[1], "", 1), strings.Replace(bare, m[1], ".", 1)
		return &TwoWays{Cell: cell, Thousand: whole, One: parted, Sign: m[1][0]}
	}
	return nil
}
