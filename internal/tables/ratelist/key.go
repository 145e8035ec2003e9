package ratelist

import (
	"slices"
	"strings"

	"diadrom/internal/core/world"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
)

// key says where zones are that a list calls by a number or a letter: "Zone 1: Finland, Sweden".
type key map[string]keyed // by the folded label

// keyed is what a key says of a zone.
type keyed struct {
	label  string
	places []string
	codes  []keyCodes
	line   int // where it was first said
}

// keyCodes are postcodes of a zone as a key has them.
type keyCodes struct {
	country, codes string // country is "" where the key names none
	number         bool   // it is a number of a workbook, which has lost the zero that it began with
	line           int
}

// zoneLabel says whether a text is what a carrier calls a zone.
func zoneLabel(text string, bare bool) bool { return destination.ZoneLabel(text, bare) != "" }

// add notes that a zone has some places, as a cell lists them.
func (k key) add(label, places string, line int) { k.note(label, destination.Places(places), line) }

// note notes that a zone has some places, each as it is typed.
func (k key) note(label string, places []string, line int) {
	one := k.begun(label, line)
	for _, place := range places {
		if !slices.Contains(one.places, place) {
			one.places = append(one.places, place)
		}
	}
	k[keyAt(label)] = one
}

// noteCodes notes that a zone has some postcodes.
func (k key) noteCodes(label string, codes keyCodes) {
	one := k.begun(label, codes.line)
	one.codes = append(one.codes, codes)
	k[keyAt(label)] = one
}

// keyAt is by what a zone is found.
func keyAt(label string) string {
	at := destination.ZoneLabel(label, true)
	if at == "" {
		at = world.Fold(label)
	}
	return at
}

// begun is what is known of a zone so far.
func (k key) begun(label string, line int) keyed {
	one := k[keyAt(label)]
	if one.line == 0 {
		one.line, one.label = line, strings.Trim(label, ": ")
	}
	return one
}

// of is what the key says of a zone.
func (k key) of(label string) (keyed, bool) {
	one, ok := k[keyAt(label)]
	return one, ok
}

// join adds what another key says of zones that this one does not know.
func (k key) join(other key) {
	for at, one := range other {
		if _, known := k[at]; !known {
			k[at] = one
		}
	}
}

// take reads a row of a key: a label and places, or a country and the label of its zone. cur is the block that the row
// would be of.
func (k key) take(cur *block, row *grid.Row) bool {
	label, places := -1, -1
	if cur != nil && cur.keyish() {
		at := cur.keyColumns()
		if at.codes >= 0 {
			return k.takeCodes(&at, row)
		}
		label, places = at.label, at.places
	} else if row.Filled() == 2 {
		label, places = labelAndPlaces(row)
	}
	if label < 0 || places < 0 || row.Cells[label].Text == "" || len(destination.Places(row.Cells[places].Text)) == 0 {
		return false
	}
	k.add(row.Cells[label].Text, row.Cells[places].Text, row.Line)
	return true
}

// takeCodes reads a row of a key with postcodes.
func (k key) takeCodes(at *keyColumns, row *grid.Row) bool {
	codes := row.Cells[at.codes]
	if row.Cells[at.label].Text == "" || codes.Text == "" {
		return false
	}
	c := keyCodes{codes: codes.Text, number: codes.Number, line: row.Line}
	if at.to >= 0 && row.Cells[at.to].Text != "" && row.Cells[at.to].Text != c.codes {
		c.codes += "-" + row.Cells[at.to].Text
	}
	if at.places >= 0 {
		c.country = row.Cells[at.places].Text
	}
	k.noteCodes(row.Cells[at.label].Text, c)
	return true
}

// keyColumns are the columns of a key with the labels, the countries, the postcodes or their first ends, and their last
// ends; −1 for none.
type keyColumns struct{ label, places, codes, to int }

func (b *block) keyColumns() keyColumns {
	at := keyColumns{-1, -1, -1, -1}
	for i := range b.head.Cells {
		switch field, _ := meaning(b.headText(i)); {
		case field == Zone && at.label < 0:
			at.label = i
		case (field == Country || field == Region) && at.places < 0:
			at.places = i
		case (field == Postcode || field == CodeFrom) && at.codes < 0:
			at.codes = i
		case field == CodeTo && at.to < 0:
			at.to = i
		}
	}
	return at
}

// labelAndPlaces are the two cells of a row that say a label and places; −1 for one that does not.
func labelAndPlaces(row *grid.Row) (label, places int) {
	label, places = -1, -1
	first := true
	for i := range row.Cells {
		text := row.Cells[i].Text
		switch {
		case text == "":
			continue
		case label < 0 && zoneLabel(text, first):
			label = i
		case places < 0 && !unpriced(text):
			places = i
		}
		first = false
	}
	return label, places
}

// single reads a row with one cell that says where a zone is: "Zone 1: Finland, Sweden".
func (k key) single(row *grid.Row) bool {
	label, places, ok := inName(row.Said())
	if !ok || !zoneLabel(label, true) {
		return false
	}
	k.add(label, strings.Join(places, ", "), row.Line)
	return true
}

// keyish says whether the heads are those of a key: a zone and countries or postcodes, and no price or bound.
func (b *block) keyish() bool {
	if b.keyLine != b.head.Line {
		b.keyLine, b.isKey = b.head.Line, keyHeads(b)
	}
	return b.isKey
}

func keyHeads(b *block) bool {
	zone, places := false, false
	for i := range b.head.Cells {
		text := b.head.Cells[i].Text
		if band, ok := ParseBand(text); ok && !band.Whole || isPrice(text) {
			return false
		}
		field, by := meaning(text)
		switch {
		case by != "", field == Price, field == From, field == To, field == PerWeight:
			return false
		case field == Zone:
			zone = true
		case field == Country, field == Region, field == Postcode, field == CodeFrom:
			places = true
		}
	}
	return zone && places
}
