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
	line   int // where it was first said
}

// zoneLabel says whether a text is what a carrier calls a zone.
func zoneLabel(text string, bare bool) bool { return destination.ZoneLabel(text, bare) != "" }

// add notes that a zone has some places, as a cell lists them.
func (k key) add(label, places string, line int) { k.note(label, destination.Places(places), line) }

// note notes that a zone has some places, each as it is typed.
func (k key) note(label string, places []string, line int) {
	at := destination.ZoneLabel(label, true)
	if at == "" {
		at = world.Fold(label)
	}
	one := k[at]
	if one.line == 0 {
		one.line, one.label = line, strings.Trim(label, ": ")
	}
	for _, place := range places {
		if !slices.Contains(one.places, place) {
			one.places = append(one.places, place)
		}
	}
	k[at] = one
}

// of is what the key says of a zone.
func (k key) of(label string) (keyed, bool) {
	at := destination.ZoneLabel(label, true)
	if at == "" {
		at = world.Fold(label)
	}
	one, ok := k[at]
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
		label, places = cur.keyColumns()
	} else if row.Filled() == 2 {
		label, places = labelAndPlaces(row)
	}
	if label < 0 || places < 0 || row.Cells[label].Text == "" || len(destination.Places(row.Cells[places].Text)) == 0 {
		return false
	}
	k.add(row.Cells[label].Text, row.Cells[places].Text, row.Line)
	return true
}

// keyColumns are the columns of a key with the labels and the places.
func (b *block) keyColumns() (label, places int) {
	label, places = -1, -1
	for i := range b.head.Cells {
		switch field, _ := meaning(b.headText(i)); {
		case field == Zone && label < 0:
			label = i
		case (field == Country || field == Region) && places < 0:
			places = i
		}
	}
	return label, places
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

// keyish says whether the heads are those of a key: a zone and countries, and no price or bound.
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
		case field == Country, field == Region:
			places = true
		}
	}
	return zone && places
}
