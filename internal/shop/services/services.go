// Package services has the services that a shop asks, as they are set: a road service and an address service for its
// quotes, and where the tiles of its map come from. What the program is started with holds; other addresses are set on
// the screens and kept beside the store.
package services

import (
	"context"
	"fmt"
	"net/url"
	"strings"
	"sync"
	"time"

	"diadrom/internal/core/geodesic"
	"diadrom/internal/core/place"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/outside"
	"diadrom/internal/outside/carriers"
	"diadrom/internal/outside/standin"
	"diadrom/internal/shop/files"
	"diadrom/internal/shop/secrets"

	"github.com/paulmach/orb"
)

// Name is that of a setting.
type Name string

// The settings.
const (
	Roads     Name = "roads"
	Addresses Name = "addresses"
	Tiles     Name = "tiles"        // a URL with {z}, {x} and {y}
	Credit    Name = "tiles_credit" // what the tiles' owner wants to be said of them
)

// Store keeps settings.
type Store interface {
	Settings(ctx context.Context) (map[string]string, error)
	SaveSetting(ctx context.Context, name, value string) error
}

// Services are those of a shop. They are safe for many goroutines.
type Services struct {
	Outside  *outside.Services
	Carriers *carriers.Client

	db Store
	Options
	vault   *secrets.Vault
	mu      sync.Mutex
	set     map[string]string
	fetched map[string]Fetched
}

// Options are how the program was started.
type Options struct {
	Fixed outside.Settings // cannot be changed on the screens
	Usual outside.Settings // asked as long as nothing else was set: stand-ins of the demo
	Local bool             // whether services at addresses that are not public may be set on the screens
	Dir   string           // the folder of the shop
	Vault *secrets.Vault   // nil: that of the folder
	// Standins are carriers that this program itself answers for, by their hosts.
	Standins map[string]*Standin
	Budget   time.Duration // of all carriers of a quote; 0: [carriers.Budget]
	Files    *files.Reader // reads tariff files; nil where they are read in this process
}

// Standin is a carrier that ships with the program, to try a shop without one.
type Standin struct {
	Address string // and port at which it listens
	Mood    *standin.Mood
}

// Open reads the settings.
func Open(ctx context.Context, db Store, o Options) (*Services, error) {
	set, err := db.Settings(ctx)
	if err != nil {
		return nil, err
	}
	s := &Services{Outside: &outside.Services{}, db: db, Options: o, set: set, vault: o.Vault,
		fetched: map[string]Fetched{}}
	if s.vault == nil {
		s.vault = secrets.New(o.Dir)
	}
	hosts := map[string]string{}
	for host, of := range o.Standins {
		hosts[host] = of.Address
	}
	asks := carriers.Options{Local: o.Local, Hosts: hosts, Secret: s.secret, Budget: o.Budget}
	if o.Files != nil {
		asks.CheckTariff = o.Files.Tariff
	}
	s.Carriers = carriers.New(asks)
	s.apply()
	return s, nil
}

// apply has quotes ask what is set.
func (s *Services) apply() {
	roads, local := s.url(Roads)
	addresses, localAddresses := s.url(Addresses)
	s.Outside.Set(outside.Settings{Roads: roads, Addresses: addresses}, local, localAddresses)
}

// url is the address of a service, and whether it may be one that is not public.
func (s *Services) url(name Name) (url string, local bool) {
	fixed, usual := s.Fixed.Roads, s.Usual.Roads
	if name == Addresses {
		fixed, usual = s.Fixed.Addresses, s.Usual.Addresses
	}
	set, chosen := s.set[string(name)]
	switch {
	case fixed != "":
		return fixed, true
	case chosen && set != usual:
		return set, s.Local
	}
	return usual, true
}

// Elsewhere are the settings with which the services are asked in another process: what this one was started with
// stands among them as if it were set. Secrets stay sealed.
func (s *Services) Elsewhere() map[string]string {
	out := map[string]string{}
	for _, name := range []Name{Roads, Addresses} {
		out[string(name)], _ = s.url(name)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	for name, value := range s.set {
		if (strings.HasPrefix(name, secretSetting) || strings.HasPrefix(name, confirmedSetting)) && value != "" {
			out[name] = value
		}
	}
	return out
}

// Get is a setting, and whether the program was started with it, so that it cannot be changed.
func (s *Services) Get(name Name) (value string, fixed bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	switch name {
	case Roads:
		value, _ = s.url(name)
		return value, s.Fixed.Roads != ""
	case Addresses:
		value, _ = s.url(name)
		return value, s.Fixed.Addresses != ""
	}
	return s.set[string(name)], false
}

// Set changes a setting, which holds at once. The error says in words what is wrong with the value.
func (s *Services) Set(ctx context.Context, name Name, value string) error {
	value = strings.TrimSpace(value)
	if _, fixed := s.Get(name); fixed {
		return edit.Problemf("the program was started with this address: change it there")
	}
	var err error
	switch name {
	case Roads:
		var checked outside.Settings
		checked, err = outside.Settings{Roads: value}.Check()
		value = checked.Roads
	case Addresses:
		var checked outside.Settings
		checked, err = outside.Settings{Addresses: value}.Check()
		value = checked.Addresses
	case Tiles:
		err = checkTiles(value)
	case Credit:
		if len([]rune(value)) > maxCredit {
			err = fmt.Errorf("a credit has at most %d letters", maxCredit)
		}
	default:
		err = fmt.Errorf("there is no setting %q", string(name))
	}
	if err != nil {
		return edit.Problemf("%s", err.Error())
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if err := s.db.SaveSetting(ctx, string(name), value); err != nil {
		return err
	}
	s.set[string(name)] = value
	if name == Roads || name == Addresses {
		s.apply()
	}
	return nil
}

const maxCredit = 200

// checkTiles says what is wrong with the address of tiles.
func checkTiles(value string) error {
	if value == "" {
		return nil
	}
	u, err := url.Parse(value)
	if err != nil || u.Host == "" || strings.ContainsAny(u.Host, "{}*;,' ") ||
		u.Scheme != "https" && u.Scheme != "http" || u.User != nil {
		return fmt.Errorf("%q is not the address of map tiles: write it such as https://tiles.example/{z}/{x}/{y}.png",
			value)
	}
	for _, part := range []string{"{z}", "{x}", "{y}"} {
		if !strings.Contains(value, part) {
			return fmt.Errorf("the address of map tiles has %s in it, such as https://tiles.example/{z}/{x}/{y}.png",
				part)
		}
	}
	return nil
}

// TilesOrigin is the scheme and host that tiles come from, "" for none.
func (s *Services) TilesOrigin() string {
	value, _ := s.Get(Tiles)
	u, err := url.Parse(value)
	if value == "" || err != nil {
		return ""
	}
	return u.Scheme + "://" + u.Host
}

// Tested is what came of asking a service.
type Tested struct {
	Said string
	Bad  bool
}

// kilometre is the length of a short way that a service is tried with, in degrees of latitude.
const kilometre = 0.009

// Test asks a service about the shop's own places, anew rather than from memory.
func (s *Services) Test(name Name, f *store.File, point func(*store.Location) (orb.Point, bool)) Tested {
	s.mu.Lock()
	value, local := s.url(name)
	s.mu.Unlock()
	if value == "" {
		return Tested{"No address is set.", true}
	}
	var anew outside.Services
	begun := time.Now()
	took := func() string { return fmt.Sprintf("Answered in %d ms: ", max(1, time.Since(begun).Milliseconds())) }
	if name == Roads {
		anew.Set(outside.Settings{Roads: value}, local, local)
		from, to, fromName, toName := ways(f, point)
		if fromName == "" {
			return Tested{"Add a place of the shop whose point is known first.", true}
		}
		metres, why := anew.Roads([]orb.Point{from}, to)
		if metres[0] == nil {
			return Tested{sentence(why), true}
		}
		straight := geodesic.Distance(from.Lat(), from.Lon(), to.Lat(), to.Lon())
		return Tested{took() + fmt.Sprintf("%.1f km by road from %s to %s, %.1f km straight.", metres[0].Float64()/1000,
			fromName, toName, straight/1000), false}
	}
	anew.Set(outside.Settings{Addresses: value}, local, local)
	for i := range f.Locations {
		l := &f.Locations[i]
		if l.Street == "" {
			continue
		}
		a := place.Address{Country: l.Country, Postcode: l.Postcode, City: l.City, Street: l.Street}
		at, failure := anew.Locate(&a)
		switch {
		case failure != "":
			return Tested{sentence(failure), true}
		case at == nil:
			return Tested{took() + "it does not know " + l.Address() + ".", true}
		}
		said := fmt.Sprintf("%s lies at %.4f %.4f", l.Address(), at.Lat(), at.Lon())
		if p, ok := point(l); ok {
			said += fmt.Sprintf(", %.1f km from where the shop has it",
				geodesic.Distance(p.Lat(), p.Lon(), at.Lat(), at.Lon())/1000)
		}
		return Tested{took() + said + ".", false}
	}
	return Tested{"Add a place of the shop with a street first: it is what the service is asked about.", true}
}

// ways are two points to ask a road service about: two places of the shop, or one and a point near it.
func ways(f *store.File, point func(*store.Location) (orb.Point, bool)) (from, to orb.Point, fromName, toName string) {
	for i := range f.Locations {
		p, ok := point(&f.Locations[i])
		switch name := f.LocationName(f.Locations[i].ID); {
		case !ok:
		case fromName == "":
			from, fromName = p, name
		case toName == "" && p != from:
			to, toName = p, name
		}
	}
	if toName == "" {
		to, toName = orb.Point{from.Lon(), from.Lat() + kilometre}, "a point north of it"
		if to.Lat() > 90 {
			to[1] = from.Lat() - kilometre
		}
	}
	return from, to, fromName, toName
}

// sentence begins with a capital and ends with a full stop.
func sentence(text string) string {
	if text == "" {
		return ""
	}
	return strings.ToUpper(text[:1]) + text[1:] + "."
}
