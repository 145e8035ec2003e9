// Package warnings reads a store as a whole and names what will lose its owner money or buyers though nothing of it is
// a fault: a place that is sold to and gets no delivery, goods that weigh nothing, a price that falls as the parcel
// grows.
//
// A warning that a request can show has one as its witness, and the engine is asked before the warning is said: where
// the answer does not show it, it is not said. What is decided over the compiled rules, the break points and the edges
// of conditions is exact; what can only be tried says how many carts were tried. What counts as a mistake is common
// practice of the trade, without a source, unless its code names one.
package warnings

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
)

// Severity is what a mistake costs; a greater one is worse.
type Severity uint8

// The severities.
const (
	Untidy Severity = iota + 1
	Deters          // buyers pay too much or are told what is not so
	Loses           // buyers pay too little
	Blocks          // buyers cannot order
)

var severities = [...]string{"", "untidy", "deters", "loses", "blocks"}

// String is the severity as it is written: "untidy", "deters", "loses", "blocks".
func (s Severity) String() string { return severities[s] }

// Means says what the severity means for buyers.
func (s Severity) Means() string {
	return [...]string{"", "Buyers notice nothing", "Buyers pay too much, or are told what is not so",
		"Buyers pay too little", "Buyers cannot order"}[s]
}

// ParseSeverity reads what [Severity.String] writes.
func ParseSeverity(text string) (Severity, error) {
	if i := slices.Index(severities[1:], text); i >= 0 {
		return Severity(i + 1), nil
	}
	return 0, fmt.Errorf("there is no severity %.40q: it is one of blocks, loses, deters and untidy", text)
}

// Warning is one thing that is wrong.
type Warning struct {
	Code     Code
	Severity Severity
	Path     string         // JSON Pointer into the store file
	Message  string         // a sentence that stands by itself
	Witness  *quote.Request // shows it; nil where no request can
	Mend     *Mend          // nil where there is not one clear way
	Tried    int            // how many carts were tried; 0 where it is exact

	// Key tells it from others of the store and stays the same as long as it is about the same thing.
	Key string
	// About is the thing as it is written in the key: "methods/parcel/tables/list".
	About   string
	Subject string // what it is about, where that is no method
	Text    string // the message without what it is about
	// Where it stands beside prices: ids, "" for none or all; Row is -1 for none.
	Method, Table, Zone string
	Row                 int
	Product             string // sku
	Other               string // id of the method that it is compared with; "" for none
	Count               int    // of how many things it says the same; 0 and 1 are one

	thing  string         // tells it from others about the same path
	beside *quote.Request // what the witness is compared with
	claim  claim
}

// Mend is an edit that does away with a warning.
type Mend struct {
	Text string // what it does, as an order: "Remove the repeated postcode 22100"
	Do   func(*store.File) error
}

// Facts says what the warning rests on: it is another warning once that is something else.
func (w *Warning) Facts() string { return w.Severity.String() + ": " + w.Message }

// Compared is what the witness is compared with: the same order just below a break; nil for nothing.
func (w *Warning) Compared() *quote.Request { return w.beside }

// Beside is what the warning says beside the method or the price list that it is about.
func (w *Warning) Beside(f *store.File) string {
	if w.Zone != "" {
		return f.ZoneName(w.Zone) + ": " + w.Text
	}
	return w.Text
}

// claim says whether the answers to a witness, and to what it is compared with, show what a warning says.
type claim func(a, beside *quote.Answer) bool

// Holds says whether the witness shows what the warning says, as an engine answers; true where there is none.
func (w *Warning) Holds(e *quote.Engine) bool {
	if w.Witness == nil {
		return true
	}
	var beside *quote.Answer
	if w.beside != nil {
		beside = e.Quote(w.beside)
	}
	return w.claim(e.Quote(w.Witness), beside)
}

// Wire is a warning as the command line and the API give it.
type Wire struct {
	Code     Code           `json:"code"`
	Severity string         `json:"severity"`
	Path     string         `json:"path"`
	Message  string         `json:"message"`
	Witness  json.Marshaler `json:"witness"`
	Mend     *string        `json:"mend"`
}

// For is the warning as it is written about a store.
func (w *Warning) For(f *store.File) Wire {
	out := Wire{Code: w.Code, Severity: w.Severity.String(), Path: w.Path, Message: w.Message}
	if w.Witness != nil {
		out.Witness = w.Witness.For(f)
	}
	if w.Mend != nil {
		out.Mend = &w.Mend.Text
	}
	return out
}

// Worst orders warnings, the worst first, then as they stand in the store file.
func Worst(list []Warning) {
	slices.SortStableFunc(list, func(a, b Warning) int { return compareWorst(&a, &b) })
}

func compareWorst(a, b *Warning) int {
	if a.Severity != b.Severity {
		return cmp.Compare(b.Severity, a.Severity)
	}
	return cmp.Or(cmp.Compare(order(a.Path), order(b.Path)), comparePaths(a.Path, b.Path),
		strings.Compare(string(a.Code), string(b.Code)))
}

// order is where the first part of a path stands among the lists of a store file.
func order(path string) int {
	first, _, _ := strings.Cut(strings.TrimPrefix(path, "/"), "/")
	return slices.Index(store.Lists, first)
}

// comparePaths compares paths part by part, positions as numbers.
func comparePaths(a, b string) int {
	x, y := strings.Split(a, "/"), strings.Split(b, "/")
	for i := range min(len(x), len(y)) {
		if c := cmp.Or(cmp.Compare(len(x[i]), len(y[i])), strings.Compare(x[i], y[i])); c != 0 {
			if digits(x[i]) && digits(y[i]) {
				return c
			}
			return strings.Compare(x[i], y[i])
		}
	}
	return cmp.Compare(len(x), len(y))
}

func digits(s string) bool {
	return s != "" && strings.Trim(s, "0123456789") == ""
}
