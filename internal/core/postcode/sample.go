package postcode

import (
	"strconv"
	"strings"
)

// Samples gives codes of the country at the edges of an entry: the least and the greatest that begin as it
// does, of each length that the country has, and their neighbours outside. Whatever another entry cuts off it,
// one of both entries' samples tells.
func Samples(country string, e Entry) []Code {
	var out []Code
	seen := map[string]bool{}
	add := func(code string) {
		if code != "" && !seen[code] {
			seen[code] = true
			out = append(out, Read(country, code))
		}
	}
	starts := []string{e.from}
	if e.to != "" {
		starts = append(starts, e.to)
	}
	for _, start := range starts {
		for _, t := range formatOf(country) {
			if !t.starts(start) || !HasFormat(country) && len(t) > len(start)+1 {
				continue
			}
			low, high := t.fill(start, false), t.fill(start, true)
			add(low)
			add(high)
			add(t.beside(low, -1))
			add(t.beside(high, +1))
		}
	}
	return out
}

// Examples gives codes that a British entry takes: of a range of districts one for each district.
func Examples(country string, e Entry) []Code {
	if e.kind != districts {
		return []Code{Read(country, e.First(country))}
	}
	area, _, suffix := splitDistrict(e.from)
	var out []Code
	for n := e.first; n <= e.last; n++ {
		out = append(out, Read(country, area+strconv.Itoa(n)+suffix+"1AA"))
	}
	return out
}

// First is the least code of the country that begins so, of those with the fewest characters; "" where none does.
func First(country, start string) string {
	least := ""
	for _, t := range formatOf(country) {
		if t.starts(start) && len(t) > 0 {
			if code := t.fill(start, false); least == "" || len(code) < len(least) ||
				len(code) == len(least) && code < least {
				least = code
			}
		}
	}
	return least
}

// Next lists the characters that may stand behind a beginning, in order.
func Next(country, start string) []byte {
	var all class
	for _, t := range formatOf(country) {
		if len(t) > len(start) && t.starts(start) {
			all |= t[len(start)]
		}
	}
	var out []byte
	for _, c := range []byte(characters) {
		if all.has(c) {
			out = append(out, c)
		}
	}
	return out
}

const characters = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ"

// British says whether the country's codes have areas and districts.
func British(country string) bool { return british[country] }

// Area says whether a text is a postcode area of the United Kingdom, in letters of either case.
func Area(text string) bool { return britishAreas[strings.ToUpper(text)] }

// britishAreas are the 124 postcode areas of Royal Mail's Postcode Address File (PAF), from memory.
var britishAreas = func() map[string]bool {
	list := map[string]bool{}
	for _, area := range strings.Fields(`AB AL B BA BB BD BH BL BN BR BS BT CA CB CF CH CM CO CR CT CV CW DA DD DE DG
		DH DL DN DT DY E EC EH EN EX FK FY G GL GU GY HA HD HG HP HR HS HU HX IG IM
		IP IV JE KA KT KW KY L LA LD LE LL LN LS LU M ME MK ML N NE NG NN NP NR NW
		OL OX PA PE PH PL PO PR RG RH RM S SA SE SG SK SL SM SN SO SP SR SS ST SW SY
		TA TD TF TN TQ TR TS TW UB W WA WC WD WF WN WR WS WV YO ZE`) {
		list[area] = true
	}
	return list
}()

// Outward splits a British code, or the outward part of one, into its area and its district: BT, BT1.
func Outward(code Code) (area, district string) {
	district = outward(code.Text)
	area, _, _ = splitDistrict(district)
	return area, district
}

// CompareDistricts orders districts as people do: BT2 before BT10, EC1 before EC1A.
func CompareDistricts(a, b string) int {
	areaA, numberA, suffixA := splitDistrict(a)
	areaB, numberB, suffixB := splitDistrict(b)
	switch {
	case areaA != areaB:
		return compareText(areaA, areaB)
	case numberA != numberB:
		return numberA - numberB
	}
	return compareText(suffixA, suffixB)
}

func compareText(a, b string) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	}
	return 0
}

// fill completes a beginning with the least, or the greatest, characters of the template.
func (t template) fill(start string, greatest bool) string {
	code := []byte(start)
	for _, c := range t[len(start):] {
		code = append(code, c.end(greatest))
	}
	return string(code)
}

func (c class) end(greatest bool) byte {
	for i := range len(characters) {
		at := i
		if greatest {
			at = len(characters) - 1 - i
		}
		if c.has(characters[at]) {
			return characters[at]
		}
	}
	return 0
}

// beside is the neighbouring code of the template, one up or one down; "" where there is none.
func (t template) beside(code string, step int) string {
	next := []byte(code)
	for i := len(next) - 1; i >= 0; i-- {
		at := int(ordinal(next[i])) - 1
		for at += step; at >= 0 && at < len(characters); at += step {
			if t[i].has(characters[at]) {
				next[i] = characters[at]
				for j := i + 1; j < len(next); j++ {
					next[j] = t[j].end(step < 0)
				}
				return string(next)
			}
		}
	}
	return ""
}

// First is the least code that the entry takes.
func (e Entry) First(country string) string {
	switch e.kind {
	case single, span:
		return e.from
	case area:
		return First(country, e.from+"1")
	case district, districts:
		return e.from + "1AA"
	}
	return First(country, e.from)
}

// Ends gives the ends of a range of codes; false for other entries.
func (e Entry) Ends() (from, to string, ok bool) { return e.from, e.to, e.kind == span }

// Beginning is what all codes of the entry begin with, as far as it is the same letters and digits in all of them.
func (e Entry) Beginning() string {
	if e.kind != districts && e.kind != span {
		return e.from
	}
	n := 0
	for n < len(e.from) && n < len(e.to) && e.from[n] == e.to[n] {
		n++
	}
	return e.from[:n]
}
