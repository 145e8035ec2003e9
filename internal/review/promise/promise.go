// Package promise keeps what must stay true of quotes: a cart, an address and what it must cost, so that every
// change of the shop can say which promises still hold.
package promise

import (
	"encoding/json"
	"slices"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/fault"
	"diadrom/internal/core/jsonread"
	"diadrom/internal/core/quote"
)

// Format is that of a list of promises.
const Format = "diadrom-promises/1"

// Max is how many promises a list has at most.
const Max = 10_000

// MaxBytes is how many bytes the promises of a shop have together, as JSON: all of them are asked again at every
// change.
const MaxBytes = 6 << 20

// Kind is what must hold.
type Kind string

// Kinds of promises.
const (
	Price      Kind = "price"       // the method costs exactly the amount
	AtMost     Kind = "at_most"     // the method is offered for no more than the amount
	Offered    Kind = "offered"     // the method is offered
	NotOffered Kind = "not_offered" // it is not
	Zone       Kind = "zone"        // the zone takes the address before all others
)

// Kinds lists all kinds.
var Kinds = []Kind{Price, AtMost, Offered, NotOffered, Zone}

// Promise is one thing that must hold of one request.
type Promise struct {
	ID      string           `json:"id"`
	Name    string           `json:"name"`
	Request json.RawMessage  `json:"request"` // as a quote is asked for
	Holds   Kind             `json:"holds"`
	Method  string           `json:"method,omitempty"`  // of all kinds but Zone
	Service string           `json:"service,omitempty"` // of the method's carrier; "": the first that is offered
	Amount  *decimal.Decimal `json:"amount,omitempty"`  // of Price and AtMost
	Zone    string           `json:"zone,omitempty"`    // of Zone
}

// Result is what became of a promise.
type Result struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Holds  bool   `json:"holds"`
	Wanted string `json:"wanted"`
	Is     string `json:"is"`

	Pending bool   `json:"-"` // its carrier is still being asked
	Carrier string `json:"-"` // what the answer rests on beside the store: "Kuikka said 14.40"; "" for nothing
}

// Write writes a list that Read reads.
func Write(list []Promise) []byte {
	out := []byte(`{"format": "` + Format + `", "promises": [`)
	for i := range list {
		one, err := json.Marshal(&list[i])
		if err != nil {
			panic(err) // requests are JSON, the rest are texts
		}
		if i > 0 {
			out = append(out, ',')
		}
		out = append(append(out, "\n  "...), one...)
	}
	return append(out, "\n]}\n"...)
}

// Read reads a list. What a request asks is only read against a store, as a store that lacks its goods breaks
// the promise.
func Read(data []byte) ([]Promise, fault.List) {
	r := jsonread.New(data, "")
	var list []Promise
	format := ""
	ids := map[string]bool{}
	ok := r.Object(func(name []byte) bool {
		switch string(name) {
		case "format":
			if format = r.Text(); format != Format {
				r.Fault(fault.Choice, "this is not a list of promises of the format %s", Format)
			}
		case "promises":
			r.List(func(i int) {
				p := one(r)
				switch {
				case i == Max:
					r.Fault(fault.TooLarge, "a list has at most %d promises", Max)
				case i > Max:
				case p.ID == "":
					r.FaultBelow(fault.Path{"id"}, fault.Missing, "a promise needs an id")
				case ids[p.ID]:
					r.FaultBelow(fault.Path{"id"}, fault.Duplicate, "there are two promises %.60q", p.ID)
				default:
					ids[p.ID] = true
					list = append(list, p)
				}
			})
		default:
			return false
		}
		return true
	})
	if r.End(); ok && format == "" {
		r.FaultBelow(fault.Path{"format"}, fault.Missing, "the format is missing: %s", Format)
	}
	return list, r.Faults
}

func one(r *jsonread.Reader) (p Promise) {
	before := len(r.Faults)
	ok := r.Object(func(name []byte) bool {
		switch string(name) {
		case "id":
			p.ID = r.Text()
		case "name":
			p.Name = r.Text()
		case "request":
			object := r.Kind() == '{'
			if p.Request = r.Raw(); !object {
				r.Fault(fault.Type, "a request is an object")
			}
		case "holds":
			switch p.Holds = Kind(r.Text()); p.Holds {
			case Price, AtMost, Offered, NotOffered, Zone:
			default:
				r.Fault(fault.Choice, "%.60q is none of price, at_most, offered, not_offered, zone", p.Holds)
			}
		case "method":
			p.Method = r.Text()
		case "service":
			p.Service = r.Text()
		case "amount":
			p.Amount = r.Decimal()
		case "zone":
			p.Zone = r.Text()
		default:
			return false
		}
		return true
	})
	if !ok || len(r.Faults) > before {
		return p
	}
	complete(r, &p)
	return p
}

// complete finds what a promise lacks.
func complete(r *jsonread.Reader, p *Promise) {
	missing := func(field, why string) { r.FaultBelow(fault.Path{field}, fault.Missing, "%s", why) }
	switch {
	case p.Request == nil:
		missing("request", "say what is asked")
	case p.Holds == "":
		missing("holds", "say what must hold")
	case p.Holds == Zone && p.Zone == "":
		missing("zone", "say which zone must take the address")
	case p.Holds != Zone && p.Method == "":
		missing("method", "say which method")
	case (p.Holds == Price || p.Holds == AtMost) && p.Amount == nil:
		missing("amount", "say how much")
	}
}

// Ask quotes a promise's request. Its faults are those of the request against the engine's store.
func (p *Promise) Ask(e *quote.Engine) (*quote.Answer, fault.List) {
	requests, _, faults := e.ReadRequest(p.Request)
	if len(faults) > 0 {
		return nil, faults
	}
	return e.Quote(&requests[0]), nil
}

// Check says whether a promise holds.
func (p *Promise) Check(e *quote.Engine) Result {
	a, faults := p.Ask(e)
	result := Result{ID: p.ID, Name: p.Name, Wanted: p.wanted(e.Digits())}
	if len(faults) > 0 {
		result.Is = "cannot be asked: " + faults[0].Message
		return result
	}
	if p.Holds == Zone {
		result.Is = "no zone"
		if len(a.Zones) > 0 {
			result.Is = a.Zones[0].Zone
		}
		result.Holds = result.Is == p.Zone
		return result
	}
	if slices.ContainsFunc(a.Pending, func(w quote.Pending) bool { return w.Method == p.Method }) {
		result.Pending, result.Is = true, "its carrier is being asked"
		return result
	}
	for i := range a.Options {
		o := &a.Options[i]
		if o.Method == p.Method && (p.Service == "" || p.Service == o.Service || o.Estimated) {
			result.Is, result.Carrier = o.Charge, said(a, o)
			charge := o.Amounts.Charge
			switch p.Holds {
			case Price:
				result.Holds = charge.Cmp(*p.Amount) == 0
			case AtMost:
				result.Holds = !p.Amount.Less(charge)
			case Offered:
				result.Holds = true
			}
			return result
		}
	}
	result.Is = "not offered"
	for _, refused := range a.Refused {
		if refused.Method == p.Method {
			if result.Is += ": " + refused.Reason; refused.Code == quote.Carrier {
				result.Carrier = refused.Reason
			}
		}
	}
	result.Holds = p.Holds == NotOffered
	return result
}

// wanted says what must hold, in words without the names of a shop.
func (p *Promise) wanted(digits int) string {
	switch p.Holds {
	case Price:
		return p.Amount.Fixed(digits)
	case AtMost:
		return "at most " + p.Amount.Fixed(digits)
	case Offered:
		return "offered"
	case NotOffered:
		return "not offered"
	}
	return p.Zone
}

// said is what a carrier's part in an option was; "" where it has none.
func said(a *quote.Answer, o *quote.Option) string {
	if o.Estimated {
		for _, w := range a.Warnings {
			if w.Code == quote.CarrierFallback {
				return w.Message
			}
		}
	}
	for _, step := range o.Steps {
		if step.Kind == quote.StepCarrier {
			return "the carrier says " + step.Amount
		}
	}
	return ""
}

// Ahead is the engine that has asked what the requests of a list need of services outside.
func Ahead(e *quote.Engine, list []Promise) *quote.Engine {
	var requests []quote.Request
	for i := range list {
		asked, _, faults := e.ReadRequest(list[i].Request)
		if len(faults) == 0 {
			requests = append(requests, asked...)
		}
	}
	return e.AheadOf(requests)
}

// CheckAll checks a list.
func CheckAll(e *quote.Engine, list []Promise) []Result {
	e = Ahead(e, list)
	results := make([]Result, len(list))
	for i := range list {
		results[i] = list[i].Check(e)
	}
	return results
}
