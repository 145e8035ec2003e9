package ratelist

import (
	"fmt"
	"regexp"
	"strings"

	"diadrom/internal/core/world"
	"diadrom/internal/tables/heads"
)

// Codes of questions.
const (
	AskSheet       = "sheet"       // several sheets have prices
	AskList        = "list"        // several lists that do not go together
	AskCurrency    = "currency"    // prices in another currency than the shop's
	AskCurrencies  = "currencies"  // prices in several currencies
	AskDecimal     = "decimal"     // numbers that may be a thousand or one
	AskUnit        = "unit"        // bounds whose unit nothing says, and which are hardly in the shop's
	AskZone        = "zone"        // a zone that nothing explains
	AskDestination = "destination" // a list that does not say where parcels go
	AskAbove       = "above"       // lines without a destination below one that has one
	AskSurcharge   = "surcharge"   // what comes on top of the prices
	AskTax         = "tax"         // prices with tax where the shop's are without it, or the other way round
	AskSteps       = "steps"       // "per 100 kg", which may count the whole weight or what is further
	AskFootnote    = "footnote"    // prices with a mark
	AskFree        = "free"        // a zone whose prices are all 0
	AskGap         = "gap"         // what no line covers
	AskColumns     = "columns"     // two columns that look like the same
	AskEdges       = "edges"       // bounds that count otherwise than in the list that is updated
	AskPrices      = "prices"      // prices far from those that they replace
	AskNote        = "note"        // a title, a note or a cell that is not used
	AskHead        = "head"        // the heading of a bound with words that are not understood
	AskBound       = "bound"       // a line without its bound between others
	AskZero        = "zero"        // codes that are shorter than the country writes them
	AskMinimum     = "minimum"     // a column with a minimum price for each line
	AskBlank       = "blank"       // lines without a price
	AskJump        = "jump"        // a price far from both of its neighbours
	AskOverlap     = "overlap"     // a place that is in two zones
	AskPrice       = "price"       // a text that stands for a price and is none
	AskHidden      = "hidden"      // lines and columns that the workbook hides
)

var (
	surcharge = regexp.MustCompile(`\b(?:fuel|bunker|diesel|energy|surcharges?|toll|maut|kraftstoff\w*|treibstoff\w*|` +
		`diesel\w*|energie\w*|\w*zuschlag|carburant|gazole|surtaxe|supplement|combustible|recargo|suplemento|` +
		`polttoaine\w*|lisamaksu|\w*lisa|bransle\w*|drivmedel\w*|\w*tillagg|remote|peak|clearance|handling fee|` +
		`discount|rabatt|remise|descuento|alennus)\b`)
	withoutTax = regexp.MustCompile(`\b(?:excl?|exkl|excluding|exclusive|ex|without|net of|plus|zzgl|ohne|exklusive|` +
		`hors|hors taxe|sin|sans|ilman|exklusive|utan)\b\.?\s*(?:of\s+)?(?:[0-9]+(?:[.,][0-9]+)?\s*%\s*)?(?:the\s+)?` +
		`(?:vat|tax|taxes|sales tax|gst|mwst|ust|umsatzsteuer|tva|iva|alv|moms)\b|\balv\s*0|\bht\b|\bnetto`)
	withTax = regexp.MustCompile(`\b(?:incl?|inkl|includes?|including|inclusive|contains?|enthalten|with|mit|inklusive|ttc|avec|con|sis|sisaltaa|` +
		`med)\b\.?` +
		`\s*(?:of\s+)?(?:[0-9]+(?:[.,][0-9]+)?\s*%\s*)?(?:the\s+)?(?:vat|tax|taxes|sales tax|gst|mwst|ust|tva|iva|alv|moms)\b|` +
		`\bttc\b|\bbrutto`)
	percentBehind = regexp.MustCompile(`[0-9]+(?:[.,][0-9]+)?\s*%`)

	figure = regexp.MustCompile(`[0-9]`)
)

// changeWords head a column of how prices have changed, folded.
var changeWords = []string{"change", "difference", "diff", "delta", "anderung", "veranderung", "muutos", "andring",
	"evolution", "variacion"}

// percentColumn says whether a head is that of a column of surcharges.
func percentColumn(head string) bool {
	folded := foldedHead(head)
	if heads.HoldsAny(folded, changeWords) { // of last year's prices
		return false
	}
	return surcharge.MatchString(folded) || strings.HasSuffix(strings.TrimSpace(head), "%")
}

// note asks about what a text beside a list says of all its prices.
func (o *opening) note(line int, said string) {
	folded := world.Fold(said)
	if surcharge.MatchString(folded) && (figure.MatchString(folded) || strings.Contains(folded, "%")) {
		o.asks.Add(AskSurcharge,
			fmt.Sprintf("Line %d says: %s. Add it to the prices as a percentage, or leave the prices as "+
				"they are.", line, strings.TrimSuffix(said, ".")))
		if at := percentBehind.FindString(said); at != "" {
			o.percentIn(at)
		}
	}
	includes, ours := o.f.Store.Tax.PricesIncludeTax && !o.c.Costs, "This shop's prices"
	if o.c.Costs {
		ours = "Costs"
	}
	switch without, with := withoutTax.MatchString(folded), withTax.MatchString(folded); {
	case without && !with && includes:
		o.asks.Add(AskTax,
			fmt.Sprintf("Line %d says that the prices are without tax: %s. This shop's prices include tax. Add "+
				"the tax as a percentage, or leave the prices as they are.", line, strings.TrimSuffix(said, ".")))
	case with && !without && includes && !o.taxRate(percentBehind.FindString(said)):
		o.asks.Add(AskTax, fmt.Sprintf("Line %d says that the prices include a tax that is not this shop's: %s. Change the prices by a "+
			"percentage, or leave them as they are.", line, strings.TrimSuffix(said, ".")))
	case with && !without && !includes:
		o.asks.Add(AskTax,
			fmt.Sprintf("Line %d says that the prices include tax: %s. %s are without tax. Take "+
				"the tax off as a percentage, or leave the prices as they are.", line, strings.TrimSuffix(said, "."), ours))
	}
}
