// Package carriers asks carriers what parcels cost, as docs/model.md has it: GET below a carrier's address /services,
// POST /rates, JSON with decimals as strings, a bearer token. What one said is remembered for as long as it says, at
// most ten minutes; the same question at the same time is one; all carriers of a quote have one time limit together.
package carriers

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"strings"
	"sync"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/outside/asking"

	"github.com/hashicorp/golang-lru/v2/expirable"
	"golang.org/x/sync/singleflight"
)

// Bounds of asking and remembering.
const (
	Budget     = 1500 * time.Millisecond // for all carriers of a quote together
	KeptFor    = 10 * time.Minute        // an answer, at most
	remembered = 1 << 14
	maxRates   = 200 // services that an answer prices
)

// Options say how carriers are asked.
type Options struct {
	Budget time.Duration // 0: [Budget]
	Local  bool          // carriers may be asked over http and in the machine's own network
	// Secret is the bearer token for a carrier, by its id; "" for none. It may be nil.
	Secret func(id string) string
}

// Client asks carriers. It is safe for many goroutines.
type Client struct {
	o        Options
	mu       sync.Mutex
	services map[serviceKey]*asking.Client
	answers  *expirable.LRU[key, kept]
	flight   singleflight.Group
}

type key [sha256.Size]byte

// serviceKey is a service as it is asked: with another address or another secret it is another.
type serviceKey struct{ url, secret string }

type kept struct {
	answer quote.CarrierAnswer
	until  time.Time
}

// New makes a client.
func New(o Options) *Client {
	if o.Budget == 0 {
		o.Budget = Budget
	}
	return &Client{o: o, services: map[serviceKey]*asking.Client{},
		answers: expirable.NewLRU[key, kept](remembered, nil, KeptFor)}
}

// service is the client of a carrier; a failure says why it is not asked.
func (c *Client) service(carrier *store.Carrier) (s *asking.Client, of serviceKey, failure string) {
	if !c.o.Local && !strings.HasPrefix(carrier.URL, "https:") {
		return nil, of, "is not asked: its address does not begin with https"
	}
	of.url = carrier.URL
	if c.o.Secret != nil {
		of.secret = c.o.Secret(carrier.ID)
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	s = c.services[of]
	if s == nil {
		s = asking.NewWith(carrier.URL, asking.Options{Local: c.o.Local, Timeout: c.o.Budget, Secret: of.secret})
		c.services[of] = s
	}
	return s, of, ""
}

// question is what a carrier is asked.
type question struct {
	Currency string        `json:"currency"`
	From     address       `json:"from"`
	To       address       `json:"to"`
	Parcels  []askedParcel `json:"parcels"`
}

type address struct {
	Country  string `json:"country"`
	Region   string `json:"region,omitempty"`
	City     string `json:"city,omitempty"`
	Postcode string `json:"postcode,omitempty"`
	Street   string `json:"street,omitempty"`
	Lat      string `json:"lat,omitempty"`
	Lon      string `json:"lon,omitempty"`
}

type askedParcel struct {
	Weight string `json:"weight_kg"`
	Length string `json:"length_cm,omitempty"`
	Width  string `json:"width_cm,omitempty"`
	Height string `json:"height_cm,omitempty"`
}

func addressOf(a *place.Address) address {
	out := address{Country: a.Country, Region: a.Region, City: a.City, Postcode: a.Postcode, Street: a.Street}
	if a.Lat != nil && a.Lon != nil {
		out.Lat, out.Lon = a.Lat.String(), a.Lon.String()
	}
	return out
}

func questionOf(ask *quote.CarrierAsk) question {
	q := question{Currency: ask.Currency, From: addressOf(&ask.From), To: addressOf(&ask.To)}
	for _, p := range ask.Parcels {
		one := askedParcel{Weight: p.Kilograms.String()}
		if len(p.Centimetres) == 3 {
			one.Length, one.Width, one.Height = p.Centimetres[0].String(), p.Centimetres[1].String(),
				p.Centimetres[2].String()
		}
		q.Parcels = append(q.Parcels, one)
	}
	return q
}

// Rates asks all at once; see [quote.Carriers].
func (c *Client) Rates(asks []quote.CarrierAsk) []quote.CarrierAnswer {
	answers := make([]quote.CarrierAnswer, len(asks))
	late := time.NewTimer(c.o.Budget)
	defer late.Stop()
	waiting := make([]<-chan singleflight.Result, len(asks))
	for i := range asks {
		answers[i], waiting[i] = c.begin(&asks[i])
	}
	over := false
	for i, w := range waiting {
		if w == nil {
			continue
		}
		if !over {
			select {
			case r := <-w:
				answers[i] = r.Val.(quote.CarrierAnswer)
				continue
			case <-late.C:
				over = true
			}
		}
		select {
		case r := <-w:
			answers[i] = r.Val.(quote.CarrierAnswer)
		default:
			answers[i].Failure = fmt.Sprintf("did not answer within %g s", c.o.Budget.Seconds())
		}
	}
	return answers
}

// begin gives what is remembered, or begins to ask.
func (c *Client) begin(ask *quote.CarrierAsk) (quote.CarrierAnswer, <-chan singleflight.Result) {
	if len(ask.Parcels) > MaxParcels {
		return quote.CarrierAnswer{Failure: fmt.Sprintf("is not asked about more than %d parcels", MaxParcels)}, nil
	}
	s, of, failure := c.service(ask.Carrier)
	if failure != "" {
		return quote.CarrierAnswer{Failure: failure}, nil
	}
	q := questionOf(ask)
	body, err := json.Marshal([]any{of.url, of.secret, ask.Carrier.ID, q})
	if err != nil {
		return quote.CarrierAnswer{Failure: "cannot be asked: " + err.Error()}, nil
	}
	id := key(sha256.Sum256(body))
	if known, ok := c.answers.Get(id); ok && time.Now().Before(known.until) {
		return known.answer, nil
	}
	return quote.CarrierAnswer{}, c.flight.DoChan(string(id[:]), func() (any, error) {
		answer, lasts := c.ask(s, &q)
		if lasts > 0 {
			c.answers.Add(id, kept{answer, time.Now().Add(min(lasts, KeptFor))})
		}
		return answer, nil
	})
}

// MaxParcels is about how many parcels a carrier is asked at most.
const MaxParcels = 500

// said is what a carrier answers.
type said struct {
	Currency string      `json:"currency"`
	ValidFor json.Number `json:"valid_for"` // seconds
	Rates    []struct {
		Service string   `json:"service"`
		Name    string   `json:"name"`
		Amounts []string `json:"amounts"`
		Days    *days    `json:"days"`
	} `json:"rates"`
}

type days struct {
	Min, Max *int64
	Business bool
}

// ask asks once, and says for how long the answer may be remembered.
func (c *Client) ask(s *asking.Client, q *question) (a quote.CarrierAnswer, lasts time.Duration) {
	ctx, cancel := context.WithTimeout(context.Background(), c.o.Budget)
	defer cancel()
	var answer said
	if err := s.Post(ctx, "/rates", q, &checked{&answer, q}); err != nil {
		var f asking.Failure
		errors.As(err, &f)
		return quote.CarrierAnswer{Failure: string(f)}, 0
	}
	for _, r := range answer.Rates {
		rate := quote.CarrierRate{Service: r.Service, Name: r.Name}
		for _, text := range r.Amounts {
			rate.Amounts = append(rate.Amounts, decimal.MustParse(text))
		}
		if r.Days != nil {
			rate.Days = &store.Days{Min: *r.Days.Min, Max: *r.Days.Max, Business: r.Days.Business}
		}
		a.Rates = append(a.Rates, rate)
	}
	seconds, _ := answer.ValidFor.Float64()
	return a, time.Duration(min(max(seconds, 0), KeptFor.Seconds()) * float64(time.Second))
}

// checked reads an answer and judges it, so that nonsense counts as a failure of the carrier.
type checked struct {
	into  *said
	asked *question
}

// UnmarshalJSON reads an answer of the form that is expected.
func (c *checked) UnmarshalJSON(data []byte) error {
	a := c.into
	if err := json.Unmarshal(data, a); err != nil {
		return err
	}
	if a.Currency != c.asked.Currency {
		return asking.Failure(fmt.Sprintf("answered in %.10q, not in %s", a.Currency, c.asked.Currency))
	}
	if a.Rates == nil || len(a.Rates) > maxRates {
		return errors.New("no rates")
	}
	seen := map[string]bool{}
	for _, r := range a.Rates {
		if r.Service == "" || seen[r.Service] || len(r.Amounts) != len(c.asked.Parcels) {
			return errors.New("a rate without a service, or without an amount for each parcel")
		}
		seen[r.Service] = true
		for _, text := range r.Amounts {
			if d, err := decimal.Parse(text); err != nil || d.Sign() < 0 {
				return errors.New("an amount that cannot be")
			}
		}
		if d := r.Days; d != nil {
			if d.Min == nil {
				d.Min = d.Max
			}
			if d.Max == nil {
				d.Max = d.Min
			}
			if d.Min == nil || *d.Min < 0 || *d.Max < *d.Min || *d.Max > maxDays {
				return errors.New("days that cannot be")
			}
		}
	}
	return nil
}

// maxDays is the longest delivery time that is believed.
const maxDays = 3650

// FromEnvironment is the secret for a carrier that the environment has: DIADROM_CARRIER_ and the id in capitals, with
// _ in place of -; "" for none.
func FromEnvironment(id string) string {
	return os.Getenv("DIADROM_CARRIER_" + strings.ToUpper(strings.ReplaceAll(id, "-", "_")))
}
