package productlist

import (
	"slices"

	"diadrom/internal/tables/heads"
)

// headings are the fields by the headings that name them, without units.
var headings = heads.Fields(map[Field][]heads.Concept{
	SKU:           {heads.SKU, heads.Code, heads.OrderNumber},
	Name:          {heads.Name, heads.ProductName, heads.Article},
	Price:         {heads.Price, heads.UnitPrice},
	Weight:        {heads.Weight},
	Length:        {heads.Length},
	Width:         {heads.Width},
	Height:        {heads.Height},
	Size:          {heads.Size},
	Variant:       {heads.Variant},
	Class:         {heads.Class},
	NeedsShipping: {heads.NeedsShipping},
	ShipsFree:     {heads.ShipsFree},
	OwnParcel:     {heads.OwnParcel},
	Upright:       {heads.Upright},
	From:          {heads.Warehouse},
})

// besides are words beside the name of a column that do not change what it holds.
var besides = []string{"excl", "incl", "excluding", "including", "ex", "inc", "exkl", "inkl", "zzgl", "vat", "tax",
	"mwst",
	"ust", "tva", "ht", "ttc", "iva", "alv", "moms", "netto", "brutto", "net", "0", "sin", "con", "hors", "veroton",
	"verollinen", "sis", "euro", "per", "piece", "stuck", "unit", "lxbxh", "lxwxh", "l", "b", "w", "h", "x", "lxlxh",
	"pxlxk",
	"variant", "each"}

// The words for yes and no in the languages of the lists, folded.
var (
	yesWords = []string{"yes", "y", "true", "1", "x", "on", "ja", "j", "wahr", "oui", "vrai", "si", "verdadero",
		"kylla", "tosi", "sant", "✓", "✔", "☑"}
	noWords = []string{"no", "n", "false", "0", "-", "–", "off", "nein", "falsch", "non", "faux", "falso", "ei",
		"epatosi", "nej", "falskt", "✗", "✘", "☐"}
)

func isYes(folded string) bool { return slices.Contains(yesWords, folded) }
func isNo(folded string) bool  { return slices.Contains(noWords, folded) }
