package edit

import (
	"strings"

	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
)

// AddSellsTo adds places to where the shop sells, as they are typed: "Finland, Estonia".
func AddSellsTo(f *store.File, r typed.Reader, text string) error {
	if strings.TrimSpace(text) == "" {
		return Problemf("name a country, a region or a group of countries, such as Finland or EU")
	}
	read := r.Text(text)
	switch {
	case len(read.Slips) > 0:
		return Problemf("%s", Reasons(read.Slips))
	case len(read.Except) > 0:
		return Problemf("say here only where you sell; what a zone leaves out is typed into the zone")
	}
	sold := store.Zone{Places: f.Store.SellsTo}
	if err := nothingTaken(&read); err != nil {
		return err
	}
	for _, more := range read.Places {
		var again []string
		if sold.Places, again = addRule(sold.Places, more); len(again) > 0 {
			return Problemf("%s is named already", FirstFew(again))
		}
	}
	f.Store.SellsTo = sold.Places
	return nil
}

// RemoveSellsTo removes a place from where the shop sells, as the owner reads it.
func RemoveSellsTo(f *store.File, word string) error {
	for i := range f.Store.SellsTo {
		for j, w := range f.Store.SellsTo[i].Words() {
			if w != word {
				continue
			}
			sold := store.Zone{Places: f.Store.SellsTo}
			err := RemovePlace(&sold, Part{Rule: i, Code: j}, word)
			f.Store.SellsTo = sold.Places
			return err
		}
	}
	return Problemf("%s was removed meanwhile; nothing was changed", word)
}
