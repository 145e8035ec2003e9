// Package addresses asks an address service where a street lies. It speaks the structured search of Nominatim
// (https://nominatim.org/release-docs/latest/api/Search/): street, city, postcode and country in, latitude and
// longitude out.
package addresses

import (
	"context"
	"encoding/json"
	"errors"
	"net/url"
	"strconv"
	"strings"
	"time"

	"diadrom/internal/core/place"
	"diadrom/internal/core/world"
	"diadrom/internal/outside/asking"

	"github.com/hashicorp/golang-lru/v2/expirable"
	"github.com/paulmach/orb"
	"golang.org/x/sync/errgroup"
	"golang.org/x/sync/singleflight"
)

// Bounds of remembering and asking.
const (
	remembered = 1 << 16 // addresses
	keptFor    = 24 * time.Hour
	failedFor  = 5 * time.Second
	together   = 4 // questions at the same time, of many addresses
)

// Client asks one address service and remembers what it said. It is safe for many goroutines.
type Client struct {
	service *asking.Client
	inside  func(country string, p orb.Point) bool
	places  *expirable.LRU[string, answer]
	flight  singleflight.Group
}

// answer is what is known of an address: nothing of either is that the service does not know it.
type answer struct {
	at      *orb.Point
	failure string
	until   time.Time // of a failure
}

// New makes a client of the service at a URL. inside says whether a point can lie in a country, alpha-2: an answer
// elsewhere is not taken. local allows a service in the machine's own network.
func New(service string, local bool, inside func(country string, p orb.Point) bool) *Client {
	return &Client{
		service: asking.New(service, local),
		inside:  inside,
		places:  expirable.NewLRU[string, answer](remembered, nil, keptFor),
	}
}

// Locate is where an address lies; nil where the service does not know it. A failure says why it was not found out.
func (c *Client) Locate(a *place.Address) (at *orb.Point, failure string) {
	q := question(a)
	known, ok := c.known(q)
	if !ok {
		v, _, _ := c.flight.Do(q, func() (any, error) { return c.ask(a.Country, q), nil })
		known = v.(answer)
		c.places.Add(q, known)
	}
	return known.at, known.failure
}

// Remembered is Locate of what was asked before.
func (c *Client) Remembered(a *place.Address) (at *orb.Point, failure string) {
	known, ok := c.known(question(a))
	if !ok {
		return nil, "the address service was not asked in time"
	}
	return known.at, known.failure
}

// Ahead asks for many addresses, some at a time, until the time is up.
func (c *Client) Ahead(ctx context.Context, list []*place.Address) {
	var g errgroup.Group
	g.SetLimit(together)
	for _, a := range list {
		g.Go(func() error {
			if ctx.Err() == nil {
				c.Locate(a)
			}
			return nil
		})
	}
	g.Wait() //nolint:errcheck // it gives none
}

func (c *Client) known(question string) (answer, bool) {
	known, ok := c.places.Get(question)
	return known, ok && (known.failure == "" || time.Now().Before(known.until))
}

// question is the path that asks for an address.
func question(a *place.Address) string {
	return "/search?street=" + url.QueryEscape(tidy(a.Street)) + "&city=" + url.QueryEscape(tidy(a.City)) +
		"&postalcode=" + url.QueryEscape(tidy(a.Postcode)) +
		"&country=" + url.QueryEscape(a.Country) + "&format=jsonv2&limit=1"
}

func tidy(text string) string { return strings.Join(strings.Fields(text), " ") }

// found is a result of the search. Latitude and longitude are strings there; numbers are read too.
type found struct {
	Lat     json.RawMessage `json:"lat"`
	Lon     json.RawMessage `json:"lon"`
	Address struct {
		CountryCode string `json:"country_code"`
	} `json:"address"`
}

func (c *Client) ask(country, question string) answer {
	var list []found
	if err := c.service.Get(context.Background(), question, &list); err != nil {
		var f asking.Failure
		errors.As(err, &f)
		return failed(string(f))
	}
	if len(list) == 0 {
		return answer{}
	}
	lat, latErr := degrees(list[0].Lat, 90)
	lon, lonErr := degrees(list[0].Lon, 180)
	if latErr != nil || lonErr != nil {
		return failed("named a point that cannot be")
	}
	at, code := orb.Point{lon, lat}, list[0].Address.CountryCode
	if code != "" && !strings.EqualFold(code, country) || !c.inside(country, at) {
		return failed("named a point outside " + world.CountryName(country))
	}
	return answer{at: &at}
}

func failed(why string) answer {
	return answer{failure: "the address service " + why, until: time.Now().Add(failedFor)}
}

var errRange = errors.New("out of range")

// degrees reads a latitude or longitude, a string or a number.
func degrees(raw json.RawMessage, limit float64) (float64, error) {
	d, err := strconv.ParseFloat(strings.Trim(string(raw), `"`), 64)
	if err == nil && !(d >= -limit && d <= limit) {
		err = errRange
	}
	return d, err
}
