package ratelist

import (
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/measure"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/heads"
	"diadrom/internal/tables/notes"
)

// Field is what a column of a list holds.
type Field string

// The fields. A destination is a zone of the store, or a country with what narrows it. A list has one price a line, in
// a column Price, or several, in columns Prices: each for the zone, or else for the band, that its head names.
const (
	Zone      Field = "zone"
	Country   Field = "country"
	Region    Field = "region"
	City      Field = "city"
	Postcode  Field = "postcode"
	CodeFrom  Field = "postcode_from" // the ends of a range of codes in two columns
	CodeTo    Field = "postcode_to"
	From      Field = "from"
	To        Field = "to"
	Bands     Field = "band" // both bounds in one cell: "0–1 kg"
	Price     Field = "price"
	Prices    Field = "prices"
	Currency  Field = "currency"   // of the price of the line
	PerWeight Field = "per_weight" // a price for each unit of weight, on top of the price of the line where it has one
)

// Fields lists them.
var Fields = []Field{Zone, Country, Region, City, Postcode, CodeFrom, CodeTo, From, To, Bands, Price, Prices, PerWeight,
	Currency}

// destinations are the fields that say where parcels go, in the order in which they narrow.
var destinations = []Field{Zone, Country, Region, City, Postcode, CodeFrom, CodeTo}

// String is the field in words.
func (f Field) String() string { return strings.ReplaceAll(string(f), "_", " ") }

// Says is what a column with the field holds, as a person would say it.
func (f Field) Says() string {
	return map[Field]string{Zone: "zone", Country: "country", Region: "region", City: "city", Postcode: "postcode",
		From: "from", To: "up to", Bands: "bands (0–1 kg)", Price: "price of the line",
		Prices: "prices for its heading", PerWeight: "price per unit of weight"}[f]
}

// plainWords may stand in the heading of a bound and change nothing of what it says, folded.
var plainWords = strings.Fields("parcel parcels package packages shipment shipments consignment item items piece pieces per gross total " +
	"actual real maximum max min minimum limit of the a an in and or including incl inclusive equal range band bands bracket class step " +
	"steps tier row goods order orders cart basket each by is weighs weighing weight weights size kilograms unit units bound net but not " +
	"your our billed billable chargeable paket pakete paketgewicht sendung sendungen brutto netto colis envoi brut paquete paquetes " +
	"envio bruto paketti paketin lahetys lahetyksen forsandelse kolli paketvikt de du des la le les el los par por pro je der die das " +
	"und et y ja och bis von a au jusqu jusqua zone zona destination land country 1 n value wert arvo zu einschliesslich eur euro usd " +
	"slab slabs gewichtsstufe staffel tranche tramo inkl gesamtgewicht versandgewicht")

// strangeIn are the words in the heading of a bound that are not understood.
func strangeIn(head string) (words []string) {
	name := plainly(foldedHead(head))
	if field, known := headings[name]; known && field != "" {
		return nil
	}
	known := func(word string) bool {
		if slices.Contains(plainWords, word) || notes.WeightUnit(word) != "" || notes.DistanceUnit(word) != "" || len(word) == 1 ||
			strings.Trim(word, "0123456789") == "" || world.CurrencyName(strings.ToUpper(word)) != "" {
			return true
		}
		in := func(list []string) bool {
			return slices.ContainsFunc(list, func(words string) bool { return heads.Holds(words, word) })
		}
		if in(heads.Lower) || in(heads.Upper) || in(overWords) || in(upWords) || in(heads.Asides) {
			return true
		}
		for i := range measures {
			if in(measures[i].words) {
				return true
			}
		}
		_, is := headings[word]
		return is
	}
	for _, word := range strings.Fields(name) {
		if !known(word) {
			words = append(words, word)
		}
	}
	return words
}

// headings are the fields by the headings that name them.
var headings = heads.Fields(map[Field][]heads.Concept{
	Zone:     {heads.Zone, heads.Place},
	Country:  {heads.Country},
	Region:   {heads.Region},
	City:     {heads.City},
	Postcode: {heads.Postcode, heads.Codes},
	Currency: {heads.Currency},
	Price:    {heads.Price, heads.DeliveryPrice},
})

// measures are the words that say what the bounds of a list measure.
var measures = []struct {
	by    rate.By
	words []string
}{
	{rate.ByBilled, []string{"billed weight", "billable weight", "chargeable weight", "billed_weight",
		"frachtpflichtiges gewicht", "poids taxable", "rahdituspaino", "fraktdragande vikt"}},
	{rate.ByWeight, []string{"weight", "kg", "lb", "lbs", "grams", "gram", "g", "oz", "gewicht", "poids", "peso",
		"paino", "vikt", "vekt", "vaegt", "kilos", "kilo", "mass"}},
	{rate.BySubtotal, []string{"subtotal", "order value", "total", "value", "order total", "cart value", "warenwert",
		"bestellwert", "montant", "valor", "ostosten arvo", "tilauksen arvo", "ordervarde", "panier", "pedido"}},
	{rate.ByQuantity, []string{"quantity", "items", "pieces", "qty", "pcs", "anzahl", "stuck", "quantite", "articles",
		"cantidad", "unidades", "kpl", "maara", "antal", "item count", "number of items"}},
	{rate.ByDistance, []string{"distance", "km", "miles", "mi", "entfernung", "distancia", "etaisyys", "matka",
		"avstand"}},
}

func foldedHead(head string) string { return heads.Fold(head) }

// perWeight are heads of a column with a price for each unit of weight: "per kg", "€/kg", "price per kg".
var perWeight = regexp.MustCompile(`(?i)(?:\bper\b|/|\bje\b|\bpro\b|\bpar\b|\bpor\b|\beach\b|\badditional\b)` +
	`\s*(?:started\s*|additional\s*|extra\s*)?(kg|kilo|g|lb)\b`)

// taxWords stand beside the word for a price and do not change what the column holds.
var taxWords = []string{"excl", "incl", "excluding", "including", "ex", "inc", "exkl", "inkl", "zzgl", "without",
	"with",
	"vat", "tax", "mwst", "ust", "tva", "ht", "ttc", "iva", "alv", "moms", "net", "netto", "brutto", "gross", "0", "in",
	"sin", "hors", "veroton", "verollinen", "euro", "euros", "each", "per", "parcel", "shipment", "kolli", "paket",
	"pro",
	"colis", "lahetys", "paketti", "your", "our", "list", "new", "2025", "2026", "2027", "sis", "avec", "med", "mit", "con"}

// rateOfTax is the rate of a tax in a heading: "19 %".
var rateOfTax = regexp.MustCompile(`[0-9]+(?:[.,][0-9]+)?\s*%`)

func withoutTaxWords(name string) string {
	words := slices.DeleteFunc(strings.Fields(name), func(word string) bool { return slices.Contains(taxWords, word) })
	return strings.Join(words, " ")
}

// onlyCurrency says whether a heading is the code or the sign of a currency alone: "EUR", "€". ALL and TOP are words too.
func onlyCurrency(head string) bool {
	head = strings.Trim(head, " ()[]")
	if len(head) == 3 && head == strings.ToUpper(head) && notes.IsCurrency(strings.ToLower(head)) {
		return true
	}
	return head != "" && strings.TrimFunc(head, notes.IsSign) == ""
}

// meaning is what a column holds by its head, and what its bounds measure where the head says so.
func meaning(head string) (field Field, by rate.By) {
	if onlyCurrency(head) {
		return Price, ""
	}
	if code := world.CurrencyIn(head); code != "" { // "price (EUR)"
		head = regexp.MustCompile(`(?i)\b`+code+`\b`).ReplaceAllString(head, "")
	}
	name := plainly(foldedHead(head))
	if f, ok := headings[name]; ok {
		return f, ""
	}
	if f, ok := headings[withoutTaxWords(name)]; ok {
		return f, ""
	}
	if withTax.MatchString(world.Fold(head)) || withoutTax.MatchString(world.Fold(head)) { // "Preis inkl. 19 % MwSt."
		if f, ok := headings[withoutTaxWords(foldedHead(rateOfTax.ReplaceAllString(head, " ")))]; ok {
			return f, ""
		}
	}
	if b, band := ParseBand(head); band && !b.Whole { // "up to 2 kg" has prices below it, not bounds
		return "", ""
	}
	if perWeight.MatchString(head) {
		return PerWeight, ""
	}
	if heads.HoldsAny(name, heads.Upper) {
		field = To
	}
	if heads.HoldsAny(name, heads.Lower) {
		field = From
	}
	if field != "" && heads.HoldsAny(name, heads.PostcodeWords) {
		return map[Field]Field{From: CodeFrom, To: CodeTo}[field], ""
	}
	for i := range measures {
		if heads.HoldsAny(name, measures[i].words) {
			if field == To && heads.HoldsAny(name, heads.Lower) && strings.Contains(" "+name, " from to") {
				field = ""
			}
			return field, measures[i].by
		}
	}
	return field, ""
}

// measured says whether a head names a measure or a unit, and no bound of its own: "Weight", "kg", "Paino (kg)".
func measured(head string) bool {
	if b, band := ParseBand(head); band && !b.Whole {
		return false
	}
	_, by := meaning(head)
	return by != ""
}

// headUnit is the unit of weight that the head of a column names; "" where it names none. False where it names several.
func headUnit(head string) (unit string, ok bool) {
	for _, word := range strings.Fields(foldedHead(head)) {
		named, is := measure.Unit(measure.Weight, word)
		if !is || word == "t" {
			continue
		}
		if unit != "" && unit != named {
			return "", false
		}
		unit = named
	}
	return unit, true
}
