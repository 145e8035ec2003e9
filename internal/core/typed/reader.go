// Package typed reads places and addresses as people type them, and offers what may be meant while they type.
//
// A text of places is scanned into parts; each part goes through recognisers in a fixed order, and the first whose form
// it has reads it, or says what is wrong with it. What is ambiguous is asked about, never guessed.
package typed

import (
	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/store"

	"github.com/paulmach/orb"
)

// Reader reads places and addresses as they are typed for one shop.
type Reader struct {
	Home      string               // the country that codes and towns are in where none is named; "" for none
	Gazetteer *gazetteer.Gazetteer // what is known of towns and codes; may be nil
	Locations []Location           // what circles may be around
	Metres    float64              // in the shop's unit of distance; 0 for kilometres
}

// Location is a place of the shop's own.
type Location struct {
	ID, Name string
	Point    *orb.Point // nil where nobody knows
}

// TextError is a part of a typed text that is not understood.
type TextError struct {
	Part    string
	Reason  string
	Choices []Choice // what may have been meant
}

// Choice is one meaning of a text: what to write for it, and what it is.
type Choice struct{ Text, Means string }

// Error says what is wrong.
func (e *TextError) Error() string { return e.Reason }

// Text is what a typed text of places means.
type Text struct {
	Places, Except []place.Rule
	Parts          []Part       // what was typed one behind the other, of Places
	Taken          int          // parts that are in the rules
	Repeats        []string     // parts that stood before, and are in the rules once
	Unknown        []string     // parts that are in the rules though no list of places knows them
	Slips          []*TextError // parts that are not understood, and are in no rule
}

// Part is what one part of a typed text stands for.
type Part struct {
	Name   string // of a ready-made area; "" for what is called by what it has
	Places []place.Rule
}

// For is the reader of a store's places. A gazetteer may be nil.
func For(f *store.File, g *gazetteer.Gazetteer) Reader {
	r := Reader{Home: f.Home(), Gazetteer: g, Metres: f.Store.Metres()}
	for i := range f.Locations {
		l := Location{ID: f.Locations[i].ID, Name: f.Locations[i].Name}
		if p, ok := f.Locations[i].Point(g); ok {
			l.Point = &p
		}
		r.Locations = append(r.Locations, l)
	}
	return r
}

// unknown says whether no list of places has what a rule names, though there are lists of its country.
func (r Reader) unknown(rule *place.Rule) bool {
	switch rule.Level() {
	case place.City:
		return !r.lists(rule.Country, rule.City)
	case place.Postcode:
		if e := rule.Postcodes[0]; e.Single() && r.Gazetteer != nil {
			known, lists := r.Gazetteer.Knows(rule.Country, postcode.Read(rule.Country, e.String()))
			return lists && !known
		}
	}
	return false
}

// lists says whether a list of places has a town.
func (r Reader) lists(country, town string) bool {
	return r.Gazetteer != nil && len(r.Gazetteer.Named(country, town)) > 0
}

// Unknown says whether no list of places has the part of a rule at a position, though its kind of part may be
// listed: a town, or a single code of a country that has a list.
func (r Reader) Unknown(rule *place.Rule, part int) bool {
	if rule.Level() == place.Postcode {
		one := place.Rule{Country: rule.Country, Postcodes: rule.Postcodes[part : part+1]}
		return r.unknown(&one)
	}
	return r.unknown(rule)
}
