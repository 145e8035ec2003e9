package productlist

import (
	"errors"
	"fmt"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/oneline"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/core/world"
)

// Type sets a field of a product as it is typed: weights and sizes with or without a unit, a class by its name
// or id, yes or no. What is empty is none; a name is needed. The sku cannot be typed anew. Its errors say in
// words what would be right.
func Type(f *store.File, p *store.Product, field Field, text string) error {
	text = strings.TrimSpace(text)
	switch field {
	case Name:
		name, err := oneline.Read(text)
		if err != nil {
			return err
		}
		switch n := len([]rune(name)); {
		case n == 0:
			return errors.New("a name is needed")
		case n > longest:
			return fmt.Errorf("a name has at most %d letters; this has %d", longest, n)
		}
		p.Name = name
	case Price:
		d, err := measure.Number(text, f.Store.Currency)
		if err != nil {
			return fmt.Errorf("%w: write a price as 12.50", err)
		}
		p.Price = d
	case Weight:
		return typed(&p.Weight, measure.Weight, text, f.Store.WeightUnit)
	case Length:
		return typed(&p.Length, measure.Length, text, f.Store.LengthUnit)
	case Width:
		return typed(&p.Width, measure.Length, text, f.Store.LengthUnit)
	case Height:
		return typed(&p.Height, measure.Length, text, f.Store.LengthUnit)
	case Class:
		id, err := ClassOf(f, text)
		if err != nil {
			return err
		}
		p.Class = id
	case From:
		id, err := terms.LocationCalled(f, text)
		if err != nil {
			return err
		}
		p.From = id
	case NeedsShipping, ShipsFree, OwnParcel, Upright:
		into := flag(p, field)
		if reason := yesNo(into, text); reason != "" {
			return errors.New(reason)
		}
		if text == "" {
			*into = false
		}
	default:
		return errors.New("this field cannot be changed here")
	}
	return nil
}

// flag is a field that is yes or no.
func flag(p *store.Product, field Field) *bool {
	return map[Field]*bool{NeedsShipping: &p.NeedsShipping, ShipsFree: &p.ShipsFree, OwnParcel: &p.OwnParcel,
		Upright: &p.Upright}[field]
}

func typed(into **decimal.Decimal, kind measure.Kind, text, unit string) error {
	if text == "" {
		*into = nil
		return nil
	}
	d, err := measure.Parse(kind, text, unit)
	if err != nil {
		return err
	}
	*into = &d
	return nil
}

// ClassOf finds a class by its id or name; "" is none.
func ClassOf(f *store.File, text string) (string, error) {
	folded := world.Fold(text)
	if folded == "" {
		return "", nil
	}
	for i := range f.Classes {
		if world.Fold(f.Classes[i].ID) == folded {
			return f.Classes[i].ID, nil
		}
	}
	for i := range f.Classes {
		if world.Fold(f.Classes[i].Name) == folded {
			return f.Classes[i].ID, nil
		}
	}
	return "", fmt.Errorf("there is no class %.40q: make it first, above the list", text)
}
