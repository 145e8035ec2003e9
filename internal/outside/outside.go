// Package outside has the services that a shop may ask: one for ways by road and one for where addresses lie. Which
// are asked is a setting of the program that may change while it runs.
package outside

import (
	"context"
	"sync/atomic"
	"time"

	"diadrom/internal/core/atlas"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/outside/addresses"
	"diadrom/internal/outside/asking"
	"diadrom/internal/outside/roads"

	"github.com/paulmach/orb"
)

// aheadFor is how long many questions may take together.
const aheadFor = 4 * time.Second

// offshore is how many metres off the land of a country an address of it may lie: on a skerry that no map has.
const offshore = 20_000

// Settings say where the services are: URLs, "" for none.
type Settings struct {
	Roads     string
	Addresses string
}

// Check reads the URLs and gives them as they are kept; the error is that of the first that is none.
func (s Settings) Check() (Settings, error) {
	var err error
	if s.Roads, err = asking.CheckURL(s.Roads); err != nil {
		return s, err
	}
	s.Addresses, err = asking.CheckURL(s.Addresses)
	return s, err
}

// Services asks the services that are set. It is safe for many goroutines; the zero value asks nobody.
type Services struct {
	clients atomic.Pointer[clients]
}

type clients struct {
	Settings
	roads     *roads.Client
	addresses *addresses.Client
}

// Set has other services asked from now on; what others said is forgotten. local says of which of the two services may
// be in the machine's own network.
func (s *Services) Set(to Settings, localRoads, localAddresses bool) {
	next := &clients{Settings: to}
	if to.Roads != "" {
		next.roads = roads.New(to.Roads, localRoads)
	}
	if to.Addresses != "" {
		next.addresses = addresses.New(to.Addresses, localAddresses, func(country string, p orb.Point) bool {
			return atlas.Near(country, p, offshore)
		})
	}
	s.clients.Store(next)
}

// Settings are those of now.
func (s *Services) Settings() Settings { return s.now().Settings }

func (s *Services) now() *clients {
	if c := s.clients.Load(); c != nil {
		return c
	}
	return &clients{}
}

// Roads are lengths of ways; see [quote.Outside].
func (s *Services) Roads(from []orb.Point, to orb.Point) (metres []*decimal.Decimal, why string) {
	if c := s.now(); c.roads != nil {
		return c.roads.Metres(from, to)
	}
	return make([]*decimal.Decimal, len(from)), quote.NoRoads
}

// Locate is where an address lies; see [quote.Outside].
func (s *Services) Locate(a *place.Address) (at *orb.Point, failure string) {
	if c := s.now(); c.addresses != nil {
		return c.addresses.Locate(a)
	}
	return nil, ""
}

// Streets says whether an address service is set.
func (s *Services) Streets() bool { return s.now().Streets() }

func (c *clients) Streets() bool { return c.addresses != nil }

// Ahead asks much at once, for some seconds; see [quote.Outside].
func (s *Services) Ahead(from, to []orb.Point, list []*place.Address) quote.Outside {
	ctx, cancel := context.WithTimeout(context.Background(), aheadFor)
	defer cancel()
	c := s.now()
	if c.addresses != nil {
		c.addresses.Ahead(ctx, list)
	}
	if c.roads != nil {
		c.roads.Ahead(ctx, from, to)
	}
	return memory{c}
}

// memory answers what was asked before.
type memory struct{ *clients }

func (m memory) Roads(from []orb.Point, to orb.Point) (metres []*decimal.Decimal, why string) {
	if m.roads != nil {
		return m.roads.Remembered(from, to)
	}
	return make([]*decimal.Decimal, len(from)), quote.NoRoads
}

func (m memory) Locate(a *place.Address) (at *orb.Point, failure string) {
	if m.addresses != nil {
		return m.addresses.Remembered(a)
	}
	return nil, ""
}

func (m memory) Ahead([]orb.Point, []orb.Point, []*place.Address) quote.Outside { return m }
