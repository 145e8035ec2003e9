// Package fault says what is wrong with a file or a request, and where.
package fault

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Fault is one thing that is wrong. Its message can be shown to the shop owner as it stands.
type Fault struct {
	Path    string `json:"path"` // JSON pointer (RFC 6901) to the value, or to where a missing value belongs
	Code    string `json:"code"`
	Message string `json:"message"`
}

// Codes of faults.
const (
	Syntax    = "syntax"        // not JSON
	Type      = "type"          // a JSON value of another type
	Unknown   = "unknown_field" // a field that does not exist here
	Duplicate = "duplicate"     // a field, an id or a sku that stands twice
	Missing   = "missing"       // a field that must be given
	Number    = "number"        // not a decimal number, or too long a one
	Range     = "range"         // a value out of its bounds
	Choice    = "choice"        // not one of the words that are allowed
	Reference = "reference"     // an id that nothing has
	Place     = "place"         // a country, region, group, postcode or area that does not exist
	Order     = "order"         // rows that do not ascend
	Claimed   = "claimed"       // goods or a zone that two tables claim
	Shape     = "shape"         // parts that do not fit together
	TooLarge  = "too_large"     // more than is taken
)

// List is every fault of a file, in the order in which they were found.
type List []Fault

// Max is how many faults are listed; a file with more has other troubles than a list of them would mend.
const Max = 100_000

// Add appends a fault; behind the last that is listed it says so once.
func (l *List) Add(path, code, format string, args ...any) {
	switch {
	case len(*l) < Max:
		*l = append(*l, Fault{path, code, fmt.Sprintf(format, args...)})
	case len(*l) == Max:
		*l = append(
			*l,
			Fault{"", TooLarge, fmt.Sprintf("there are more than %d faults; the rest is not listed", Max)},
		)
	}
}

// Full says whether nothing more is listed.
func (l List) Full() bool { return len(l) > Max }

// At returns the first fault at path or below it.
func (l List) At(path string) (Fault, bool) {
	i := slices.IndexFunc(l, func(f Fault) bool { return f.Path == path || strings.HasPrefix(f.Path, path+"/") })
	if i < 0 {
		return Fault{}, false
	}
	return l[i], true
}

// JSON is the list as the command line and the API print it: an array, empty when all is well.
func (l List) JSON() []byte {
	if l == nil {
		l = List{}
	}
	out, err := json.MarshalIndent(l, "", "  ")
	if err != nil {
		panic(err) // strings always marshal
	}
	return out
}

// Error makes a list an error; a list without faults must not be returned as one.
func (l List) Error() string {
	if len(l) == 1 {
		return l[0].Path + ": " + l[0].Message
	}
	return fmt.Sprintf("%d faults, the first at %s: %s", len(l), l[0].Path, l[0].Message)
}

var escape = strings.NewReplacer("~", "~0", "/", "~1")

// Path is a JSON pointer in the making: names (string) and indexes (int).
type Path []any

// With is the path to something below p.
func (p Path) With(more ...any) Path { return append(slices.Clip(slices.Clone(p)), more...) }

// String writes the pointer.
func (p Path) String() string {
	var b strings.Builder
	for _, e := range p {
		b.WriteByte('/')
		switch e := e.(type) {
		case int:
			b.WriteString(strconv.Itoa(e))
		case string:
			b.WriteString(escape.Replace(e))
		}
	}
	return b.String()
}
