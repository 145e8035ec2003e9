package edit

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"diadrom/internal/core/fault"
	"diadrom/internal/core/jsonread"
	"diadrom/internal/core/oneline"
	"diadrom/internal/core/store"
)

// ProductChange is what another program says of a product: the fields that are given, or that it is gone.
type ProductChange struct {
	SKU    string
	Given  []string      // fields by their names in a store file, without sku
	Own    store.Product // their values
	Whole  bool          // the product is to be this and nothing else: fields that are not given have their defaults
	Remove bool
	Line   int // of the file that it came from, counted from 1; 0 where there is none
}

// MaxSKU is the longest sku, in letters.
const MaxSKU = MaxName

// ReadProductChange reads a product as JSON, with the fields of a store file's. sku is that of its address; where it is
// "" the product says its own. One with "removed": true is to go.
func ReadProductChange(data []byte, sku string, whole bool) (c ProductChange, faults fault.List) {
	r := jsonread.Pooled(data, "")
	defer r.Release()
	r.MaxFaults = 100
	c = ProductChange{SKU: sku, Whole: whole, Own: store.Product{NeedsShipping: true}}
	absent := r.Kind() == 'n'
	ok := r.Object(func(name []byte) bool {
		field := string(name)
		if field == "removed" && sku == "" {
			c.Remove = r.Bool(false)
			return true
		}
		if store.ProductField(r, name, &c.Own) {
			if field == "sku" {
				if sku != "" && c.Own.SKU != sku {
					r.Fault(fault.Range, "this is product %.60q, and the address says %.60q", c.Own.SKU, sku)
				}
				c.SKU = c.Own.SKU
				return true
			}
			c.Given = append(c.Given, field)
			return true
		}
		return false
	})
	switch {
	case absent:
		r.Fault(fault.Type, "a product is an object, not null")
	case ok && len(r.Faults) == 0:
		checkSKU(r, c.SKU)
		if !oneline.Is(c.Own.Name) {
			r.FaultBelow(fault.Path{"name"}, fault.Range,
				"a name is one line without spaces around it, and has nothing that cannot be seen")
		}
	}
	r.End()
	if c.Remove && len(c.Given) > 0 && len(r.Faults) == 0 {
		r.Fault(fault.Choice, "a product that is to go says nothing but its sku")
	}
	return c, r.Faults
}

func checkSKU(r *jsonread.Reader, sku string) {
	switch n := len([]rune(sku)); {
	case strings.TrimSpace(sku) == "":
		r.FaultBelow(fault.Path{"sku"}, fault.Missing, "say which product: its sku")
	case n > MaxSKU:
		r.FaultBelow(fault.Path{"sku"}, fault.TooLarge, "a sku has at most %d letters; this has %d", MaxSKU, n)
	case !oneline.Is(sku):
		r.FaultBelow(fault.Path{"sku"}, fault.Range,
			"a sku is one line without spaces around it, and has nothing that cannot be seen")
	}
}

// RefusedProduct is a change that was not made, and why.
type RefusedProduct struct {
	Line   int        `json:"line"`
	SKU    string     `json:"sku"`
	Faults fault.List `json:"faults"`
}

// FedProducts is what became of changes of products.
type FedProducts struct {
	Created   int              `json:"created"`
	Changed   int              `json:"changed"`
	Removed   int              `json:"removed"`
	Unchanged int              `json:"unchanged"`
	Refused   []RefusedProduct `json:"refused"`
}

// FeedProducts makes changes of products in a file, one after the other. Those that cannot be made are told of and
// leave their products as they are.
func FeedProducts(f *store.File, list []ProductChange) FedProducts {
	fed := FedProducts{Refused: []RefusedProduct{}}
	places := make(map[string]int, len(f.Products))
	for i := range f.Products {
		places[f.Products[i].SKU] = i
	}
	gone := map[int]bool{}
	for i := range list {
		c := &list[i]
		at, there := places[c.SKU]
		if c.Remove {
			if !there {
				fed.refuse(c, fault.Reference, "sku", "the store has no product "+c.SKU)
				continue
			}
			gone[at] = true
			delete(places, c.SKU)
			fed.Removed++
			continue
		}
		next := store.Product{SKU: c.SKU, NeedsShipping: true}
		if there && !c.Whole {
			next = f.Products[at]
		}
		next.Overlay(&c.Own, c.Given)
		if next.Class != "" && f.Class(next.Class) == nil {
			fed.refuse(c, fault.Reference, "class", "there is no class "+next.Class)
			continue
		}
		if next.From != "" && f.Location(next.From) == nil {
			fed.refuse(c, fault.Reference, "from", "there is no location "+next.From)
			continue
		}
		switch {
		case !there:
			places[c.SKU] = len(f.Products)
			f.Products = append(f.Products, next)
			fed.Created++
		case sameProduct(&f.Products[at], &next):
			fed.Unchanged++
		default:
			f.Products[at] = next
			fed.Changed++
		}
	}
	if len(gone) > 0 {
		at := -1
		f.Products = slices.DeleteFunc(f.Products, func(store.Product) bool { at++; return gone[at] })
	}
	return fed
}

func (fed *FedProducts) refuse(c *ProductChange, code, field, why string) {
	fed.Refused = append(
		fed.Refused,
		RefusedProduct{c.Line, c.SKU, fault.List{{Path: "/" + field, Code: code, Message: why}}},
	)
}

// sameProduct compares products by what they say: 0.40 and 0.4 are the same.
func sameProduct(a, b *store.Product) bool { return store.Alike(*a, *b) }

// MaxFed is how many changes of products are made at once.
const MaxFed = 50_000

// ReadProductLines reads changes of products, one on each line (NDJSON). Empty lines are passed over; lines that cannot
// be read are refused and do not keep the others from being made. Too many is true where there are more than [MaxFed];
// nothing is read beyond them. The errors are [ErrLongLine] and those of reading.
func ReadProductLines(in io.Reader) (list []ProductChange, refused []RefusedProduct, tooMany bool, err error) {
	lines := bufio.NewReaderSize(in, MaxProductLine)
	for number := 1; ; number++ {
		line, err := lines.ReadSlice('\n')
		switch {
		case errors.Is(err, bufio.ErrBufferFull):
			return nil, nil, false, ErrLongLine
		case errors.Is(err, io.EOF) && len(line) == 0:
			return list, refused, false, nil
		case err != nil && !errors.Is(err, io.EOF):
			return nil, nil, false, err
		}
		line = bytes.TrimSpace(line)
		if len(line) == 0 {
			continue
		}
		if len(list)+len(refused) >= MaxFed {
			return list, refused, true, nil
		}
		c, faults := ReadProductChange(line, "", false)
		if len(faults) > 0 {
			refused = append(refused, RefusedProduct{number, c.SKU, faults})
			continue
		}
		c.Line = number
		list = append(list, c)
	}
}

// MaxProductLine is the longest line of products that are sent as lines, in bytes.
const MaxProductLine = 256 << 10

// ErrLongLine is the error of a line of more than [MaxProductLine] bytes.
var ErrLongLine = fmt.Errorf("a product on a line has at most %d kB", MaxProductLine>>10)
