package typed

import (
	"slices"
	"strings"
	"sync"

	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"
)

// Area is a part of a country that the trade prices apart and that is no region of one piece. Typing its name writes
// its codes, which can then be edited like any others.
type Area struct {
	Name    string
	Also    []string // other names of it
	Country string
	Codes   []string // as they would be typed behind the country
	Source  string   // where the codes come from
}

// The sources of the areas. Their codes are written down from memory of these.
const (
	byProvince   = "by the code's first digits, which are the province's number"
	byPost       = "by the postal operator's plan of codes"
	byPractice   = "common practice of carriers; their lists differ at the edges"
	contiguous   = "contiguous United States"
	highlandsAll = "Scottish Highlands and Islands"
)

// areas are those that are known by name.
var areas = []Area{
	{Name: "Canary Islands", Also: []string{"Canaries", "Islas Canarias"}, Country: "ES",
		Codes: []string{"35*", "38*"}, Source: byProvince},
	{Name: "Balearic Islands", Also: []string{"Balearics", "Islas Baleares", "Illes Balears"}, Country: "ES",
		Codes: []string{"07*"}, Source: byProvince},
	{Name: "Ceuta and Melilla", Country: "ES", Codes: []string{"51*", "52*"}, Source: byProvince},
	{Name: "Azores", Also: []string{"Açores"}, Country: "PT", Codes: []string{"95*", "96*", "97*", "98*", "99*"},
		Source: byPost},
	{Name: "Madeira", Country: "PT", Codes: []string{"90*", "91*", "92*", "93*", "94*"}, Source: byPost},
	{Name: "Azores and Madeira", Also: []string{"Madeira and Azores"}, Country: "PT", Codes: []string{"9*"},
		Source: byPost},
	{Name: "Corsica", Also: []string{"Corse"}, Country: "FR", Codes: []string{"20*"}, Source: byProvince},
	{Name: "French overseas", Also: []string{"Overseas France", "DOM-TOM", "French overseas departments"},
		Country: "FR",
		Codes:   []string{"97*", "98*"}, Source: byPost},
	{Name: "Northern Ireland", Country: "GB", Codes: []string{"BT"}, Source: byPost},
	{Name: highlandsAll, Also: []string{"Highlands and Islands"}, Country: "GB", Codes: []string{"HS", "IV",
		"KA27 to KA28",
		"KW", "PA20 to PA49", "PA60 to PA78", "PH17 to PH26", "PH30 to PH44", "PH49 to PH50", "ZE"},
		Source: byPractice},
	{Name: contiguous, Also: []string{"lower 48", "lower 48 states", "continental US", "contiguous US"}, Country: "US",
		Codes:  []string{"00500 to 00599", "01000 to 08999", "10000 to 33999", "34100 to 96199", "97000 to 99499"},
		Source: byPost + ", without those of the forces"},
	{Name: "Alaska and Hawaii", Also: []string{"Hawaii and Alaska"}, Country: "US",
		Codes: []string{"99500 to 99999", "96700 to 96798", "96800 to 96899"}, Source: byPost},
	{Name: "mainland Spain", Also: []string{"peninsular Spain", "Spain mainland"}, Country: "ES", Codes: []string{
		"01000 to 06999", "08000 to 34999", "36000 to 37999", "39000 to 50999"}, Source: byProvince},
	{Name: "mainland Portugal", Also: []string{"continental Portugal", "Portugal mainland"}, Country: "PT",
		Codes: []string{"1*", "2*", "3*", "4*", "5*", "6*", "7*", "8*"}, Source: byPost},
	{Name: "mainland France", Also: []string{"continental France", "France mainland"}, Country: "FR",
		Codes: []string{"01000 to 19999", "21000 to 95999"}, Source: byProvince + "; without Corsica"},
	{Name: "mainland Italy", Also: []string{"Italy mainland"}, Country: "IT",
		Codes: []string{"00010 to 06999", "10000 to 89999"}, Source: byPost + ", without Sardinia and Sicily"},
	{Name: "mainland Finland", Also: []string{"Finland mainland"}, Country: "FI",
		Codes: []string{"00000 to 21999", "23000 to 99999"}, Source: byPost + ", without Åland"},
	{Name: "mainland Norway", Also: []string{"Norway mainland"}, Country: "NO",
		Codes:  []string{"0000 to 8098", "8100 to 9169", "9180 to 9999"},
		Source: byPost + ", without Svalbard and Jan Mayen"},
	{Name: "UK mainland", Also: []string{"mainland UK", "mainland Great Britain", "GB mainland", "British mainland"},
		Country: "GB", Codes: ukMainland, Source: byPractice},
	{Name: "German islands", Country: "DE", Codes: []string{"18565", "25849", "25859", "25863", "25869",
		"25938 to 25942", "25946 to 25949", "25952 to 25955", "25961 to 25970", "25980 to 25999", "26465", "26474",
		"26486",
		"26548", "26571", "26579", "26757", "27498", "83256"}, Source: byPractice},
}

// ukMainland are the postcode areas of Great Britain without Northern Ireland, the Scottish Highlands and Islands, the
// Isle of Wight and the Isles of Scilly.
var ukMainland = strings.Fields("AB AL B BA BB BD BH BL BN BR BS CA CB CF CH CM CO CR CT CV CW DA DD DE DG DH DL DN " +
	"DT DY " +
	"E EC EH EN EX FK FY G GL GU HA HD HG HP HR HU HX IG IP KT KY L LA LD LE LL LN LS LU M ME MK ML N NE NG NN NP " +
	"NR NW " +
	"OL OX PE PL PR RG RH RM S SA SE SG SK SL SM SN SO SP SR SS ST SW SY TA TD TF TN TQ TS TW UB W WA WC WD WF WN " +
	"WR WS " +
	"WV YO")

func init() {
	ukMainland = append(ukMainland, "KA1 to KA26", "KA29 to KA30", "PA1 to PA19", "PH1 to PH16", "PO1 to PO22",
		"TR1 to TR20", "TR26 to TR27")
	areas[slices.IndexFunc(areas, func(a Area) bool { return a.Name == "UK mainland" })].Codes = ukMainland
}

// channelIslands are countries of their own, which share a name.
var channelIslands = []string{"GG", "JE"}

// countriesTogether are the countries of a name that several share, with no group of theirs.
func countriesTogether(text string) []string {
	if strings.TrimPrefix(world.Fold(text), "the ") == "channel islands" {
		return channelIslands
	}
	return nil
}

// Areas lists the areas that are known by name.
func Areas() []Area { return slices.Clone(areas) }

// areaByName reads the name of an area.
func areaByName(_ *reading, p *part) (rule place.Rule, err *TextError, ok bool) {
	if a := areasByName()[strings.TrimPrefix(world.Fold(p.text), "the ")]; a != nil {
		rule.Country, rule.Postcodes = a.Country, a.entries()
		return rule, nil, true
	}
	return rule, nil, false
}

// areaName is the name of the area that a text names; "" for none.
func areaName(text string) string {
	if len(countriesTogether(text)) > 0 {
		return "Channel Islands"
	}
	if a := areasByName()[strings.TrimPrefix(world.Fold(text), "the ")]; a != nil {
		return a.Name
	}
	return ""
}

// areasByName are the areas by their folded names; of several with one name the first.
var areasByName = sync.OnceValue(func() map[string]*Area {
	named := map[string]*Area{}
	for i := range areas {
		for _, name := range append([]string{areas[i].Name}, areas[i].Also...) {
			if folded := world.Fold(name); named[folded] == nil {
				named[folded] = &areas[i]
			}
		}
	}
	return named
})

// entries are its codes; all of them can be read, which a test sees to.
func (a *Area) entries() (list []postcode.Entry) {
	for _, code := range a.Codes {
		if e, err := postcode.ParseEntry(a.Country, code); err == nil {
			list = append(list, e)
		}
	}
	return list
}

// areas offers areas that are known by name.
func (s *suggestions) areas(folded string) {
	if rank := begins("Channel Islands", folded); rank > 0 {
		s.add(rank, "Channel Islands", "Guernsey and Jersey")
	}
	for i := range areas {
		a := &areas[i]
		rank := begins(a.Name, folded)
		for _, name := range a.Also {
			rank = max(rank, begins(name, folded))
		}
		if rank > 0 {
			s.add(rank, a.Name, a.Country+" "+strings.Join(a.Codes[:min(3, len(a.Codes))], ", ")+
				map[bool]string{true: " and more"}[len(a.Codes) > 3]+", "+a.Source)
		}
	}
}
