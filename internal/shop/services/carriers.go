package services

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/outside/asking"
	"diadrom/internal/outside/carriers"
	"diadrom/internal/sqlite"
)

// secretSetting begins the names of the settings that keep carriers' secrets, by their ids.
const secretSetting = "carrier_secret:"

// keyWithBackups is the setting that keeps the key of the secrets with the backups.
const keyWithBackups = "secrets_key_with_backups"

// maxSecret is the longest secret, in bytes.
const maxSecret = 4096

// SecretState is what is known of a carrier's secret.
type SecretState string

// The states.
const (
	NoSecret      SecretState = ""
	Kept          SecretState = "kept"
	OfEnvironment SecretState = "environment" // the program was started with it
	Elsewhere     SecretState = "elsewhere"   // it was given for another address
	Unreadable    SecretState = "unreadable"  // it was sealed with another key
	NotHere       SecretState = "not_here"    // the program was started with it for another address
	Unconfirmed   SecretState = "unconfirmed" // the program was started with it, and nobody said for which address
)

// Environment says whether the program was started with a secret, which is changed there then.
func (s SecretState) Environment() bool {
	return s == OfEnvironment || s == Unconfirmed || s == NotHere
}

// sealed is a secret as it is kept: for the origin of an address, so that whoever changes the address of a carrier does
// not get its secret.
type sealed struct {
	Origin string `json:"origin"`
	Sealed string `json:"sealed"`
}

// origin is what tells the server of an address from others.
func origin(address string) string { return carriers.Origin(address) }

func purpose(id, origin string) string { return "carrier " + id + " at " + origin }

// openSecret gives a carrier's secret and its state.
func (s *Services) openSecret(c *store.Carrier) (string, SecretState) {
	switch secret, err := carriers.FromEnvironment(c); {
	case err != nil:
		return "", NotHere
	case secret != "" && (carriers.OriginFromEnvironment(c) != "" || s.confirmed(c.ID) == origin(c.URL)):
		return secret, OfEnvironment
	case secret != "":
		return "", Unconfirmed
	}
	s.mu.Lock()
	text := s.set[secretSetting+c.ID]
	s.mu.Unlock()
	if text == "" {
		return "", NoSecret
	}
	var kept sealed
	if err := json.Unmarshal([]byte(text), &kept); err != nil {
		return "", Unreadable
	}
	if kept.Origin != origin(c.URL) {
		return "", Elsewhere
	}
	secret, err := s.vault.Open(kept.Sealed, purpose(c.ID, kept.Origin))
	if err != nil {
		return "", Unreadable
	}
	return secret, Kept
}

// secret is what a carrier is asked with.
func (s *Services) secret(c *store.Carrier) (string, error) {
	secret, state := s.openSecret(c)
	switch state {
	case Elsewhere:
		return "", asking.Failure("is not asked: its secret was given for another address. Give it again for this one")
	case NotHere:
		return "", asking.Failure("is not asked: the program was started with its secret for another address")
	case Unconfirmed:
		return "", asking.Failure("is not asked: an owner has not confirmed yet that the secret which the program was " +
			"started with is for this address")
	case Unreadable:
		return "", asking.Failure("is not asked: its secret cannot be read, because it was sealed with another key. " +
			"Give it again")
	}
	return secret, nil
}

// SecretOf is what is known of a carrier's secret.
func (s *Services) SecretOf(c *store.Carrier) SecretState {
	_, state := s.openSecret(c)
	return state
}

// confirmedSetting begins the names of the settings that keep for which origin an owner has confirmed that a carrier's
// secret of the environment is, by the carriers' ids.
const confirmedSetting = "carrier_origin:"

func (s *Services) confirmed(id string) string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.set[confirmedSetting+id]
}

// Confirm has the secret that the program was started with be for the address of now of its carrier.
func (s *Services) Confirm(ctx context.Context, c *store.Carrier) error {
	if s.SecretOf(c) != Unconfirmed {
		return edit.Problemf("there is nothing to confirm: reload the page")
	}
	at := origin(c.URL)
	s.mu.Lock()
	defer s.mu.Unlock()
	if err := s.db.SaveSetting(ctx, confirmedSetting+c.ID, at); err != nil {
		return err
	}
	s.set[confirmedSetting+c.ID] = at
	s.Carriers.Forget()
	return nil
}

// Moves says whether a carrier with a secret would be asked at another origin. Only owners have it moved: whoever did
// could have the secret sent to themselves, once somebody confirms it or gives it again.
func (s *Services) Moves(was *store.Carrier, address string) bool {
	return was != nil && origin(was.URL) != origin(address) && s.SecretOf(was) != NoSecret
}

// MovesAny names a carrier with a secret that one store asks at another origin than the other; "" for none.
func (s *Services) MovesAny(was, is *store.File) string {
	for i := range is.Carriers {
		c := &is.Carriers[i]
		if s.Moves(was.Carrier(c.ID), c.URL) {
			return cmp.Or(c.Name, c.ID)
		}
	}
	return ""
}

// SetSecret keeps a carrier's secret, for its address of now; "" removes it. Nothing shows it again.
func (s *Services) SetSecret(ctx context.Context, c *store.Carrier, secret string) error {
	secret = strings.Trim(secret, " ")
	switch {
	case len(secret) > maxSecret:
		return edit.Problemf("a secret has at most %d characters", maxSecret)
	case strings.ContainsAny(secret, "\r\n"):
		return edit.Problemf("this has a line end in it: copy the secret alone, in one line")
	case strings.ContainsFunc(secret, func(r rune) bool { return r <= ' ' || r > '~' }):
		return edit.Problemf("this has a space or a letter in it that no secret can have: copy it again")
	case s.SecretOf(c).Environment():
		return edit.Problemf("the program was started with this carrier's secret: change it there")
	}
	value := ""
	if secret != "" {
		at := origin(c.URL)
		text, err := s.vault.Seal(secret, purpose(c.ID, at))
		if err != nil {
			return err
		}
		body, err := json.Marshal(sealed{at, text})
		if err != nil {
			return err
		}
		value = string(body)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if err := s.db.SaveSetting(ctx, secretSetting+c.ID, value); err != nil {
		return err
	}
	s.set[secretSetting+c.ID] = value
	s.Carriers.Forget()
	return sqlite.KeepKeyWithBackups(s.Dir, s.set[keyWithBackups] == "yes")
}

// KeyWithBackups says whether the key of the secrets lies with the backups.
func (s *Services) KeyWithBackups() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.set[keyWithBackups] == "yes"
}

// KeepKeyWithBackups has the key of the secrets lie with the backups, or not.
func (s *Services) KeepKeyWithBackups(ctx context.Context, keep bool) error {
	value := ""
	if keep {
		value = "yes"
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if err := sqlite.KeepKeyWithBackups(s.Dir, keep); err != nil {
		return err
	}
	if err := s.db.SaveSetting(ctx, keyWithBackups, value); err != nil {
		return err
	}
	s.set[keyWithBackups] = value
	return nil
}

// CheckCarrier says what is wrong with the address of a carrier, for the program as it was started.
func (s *Services) CheckCarrier(address string) error {
	address = strings.TrimSpace(address)
	if _, own := s.Standins[carriers.Host(address)]; own || s.Local || !strings.HasPrefix(address, "http:") {
		return nil
	}
	return edit.Problemf("%.80q does not begin with https: a secret and your buyers' addresses would go over the "+
		"network for all to read. Ask the carrier for its https address", address)
}

// Fetched are the services of a carrier as it listed them.
type Fetched struct {
	Services []carriers.Service
	At       time.Time
	Took     time.Duration
	Problem  string // why there are none, in words that go on after the carrier's name
}

// Fetch asks a carrier for its services, and keeps them until the program stops.
func (s *Services) Fetch(ctx context.Context, c *store.Carrier) Fetched {
	ctx, cancel := context.WithTimeout(ctx, carriers.AheadFor)
	defer cancel()
	f := Fetched{At: time.Now()}
	var err error
	if f.Services, f.Took, err = s.Carriers.Anew().Services(ctx, c); err != nil {
		var words asking.Failure
		if f.Problem = "cannot be asked"; errors.As(err, &words) {
			f.Problem = string(words)
		}
		return f
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.fetched) >= maxFetched {
		clear(s.fetched)
	}
	s.fetched[fetchedOf(c)] = f
	return f
}

// maxFetched is of how many carriers the services are kept.
const maxFetched = 200

// fetchedOf tells what was fetched from one address from what was from another.
func fetchedOf(c *store.Carrier) string { return c.ID + " " + c.URL }

// Listed are the services of a carrier as it listed them last; false where it has not since the program began.
func (s *Services) Listed(c *store.Carrier) (Fetched, bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	f, ok := s.fetched[fetchedOf(c)]
	return f, ok
}

// Moved says which prices carriers of a store have changed themselves since a moment.
func (s *Services) Moved(f *store.File, since time.Time) (list []string) {
	for i := range f.Carriers {
		c := &f.Carriers[i]
		for _, m := range s.Carriers.Record(c.ID).Moved {
			if m.At.After(since) {
				list = append(list, cmp.Or(c.Name, c.ID)+" "+m.String())
			}
		}
	}
	return list
}

// Try quotes a request by all of a carrier's services alone, asked anew: nothing of the shop's own prices, terms and
// zones counts.
func (s *Services) Try(e *quote.Engine, c *store.Carrier, list []carriers.Service, q quote.Request) *quote.Answer {
	f := e.Store().Clone()
	m := store.Method{ID: "try", Name: cmp.Or(c.Name, c.ID), Kind: store.CarrierKind, Enabled: true,
		Classes: store.Together, Carrier: &store.Asks{ID: c.ID}}
	for _, service := range list {
		m.Carrier.Services = append(m.Carrier.Services, store.Service{Code: service.Code, Label: service.Name,
			Enabled: true})
	}
	for i := range f.Methods { // packed as the first method that asks it packs
		if of := &f.Methods[i]; of.Carrier != nil && of.Carrier.ID == c.ID {
			m.Parcels = of.Parcels
			break
		}
	}
	t := edit.EmptyTable("try", "", rate.ByOrder)
	t.Zones, t.Rows[0].Charges = []string{"try"}, make([]*rate.Charge, 1)
	m.Tables = []rate.Table{t}
	f.Methods, f.Surcharges, f.Agreed, f.Costs = []store.Method{m}, nil, nil, nil
	f.Zones = []store.Zone{{ID: "try", Enabled: true, Places: []place.Rule{{World: true}}}}
	q.Parcels = true
	return e.Again(f).AskingCarriers(s.Carriers.Anew()).Quote(&q)
}
