// Package carriers asks carriers what parcels cost. What one said is remembered for as long as it says, at most ten
// minutes; the same question at the same time is one; all carriers of a quote have one time limit together. How a
// carrier speaks is its [Adapter]'s.
package carriers

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"net/url"
	"os"
	"strings"
	"sync"
	"time"

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
	AheadFor   = 4 * time.Second         // many questions at once may take
	atOnce     = 8                       // of many questions that are asked at the same time
	remembered = 1 << 14
	maxRates   = 200 // services that an answer prices
	maxClients = 64  // addresses and secrets that are spoken to at once
)

// Options say how carriers are asked.
type Options struct {
	Budget time.Duration // 0: [Budget]
	Rest   time.Duration // of a carrier that failed again and again; 0: [asking.Rest]
	Local  bool          // carriers may be asked over http and in the machine's own network
	// Hosts are those that this program itself answers for, with the addresses at which it does: stand-ins.
	Hosts map[string]string
	// Secret is the bearer token for a carrier, "" for none; the error says in words why it cannot be asked. It may be
	// nil.
	Secret func(c *store.Carrier) (string, error)
	// CheckTariff says whether a tariff file can be read, before it is; nil where it need not be asked. A child process
	// does so by [Tariff].
	CheckTariff func(ctx context.Context, body []byte) error
}

// Client asks carriers. It is safe for many goroutines.
type Client struct {
	o       Options
	mu      sync.Mutex
	spoken  map[serviceKey]Adapter
	answers *expirable.LRU[key, kept]
	flight  singleflight.Group
	records *records
}

type key [sha256.Size]byte

// serviceKey is a carrier as it is asked: with another address or another secret it is another.
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
	return &Client{o: o, spoken: map[serviceKey]Adapter{}, records: newRecords(),
		answers: expirable.NewLRU[key, kept](remembered, nil, KeptFor)}
}

// Anew is a client that asks in the same way, remembers nothing and leaves no carrier alone. What it finds out stands
// in the same records.
func (c *Client) Anew() *Client {
	next := New(c.o)
	next.records = c.records
	return next
}

// Forget has all carriers asked anew, also those that are left alone.
func (c *Client) Forget() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.spoken = map[serviceKey]Adapter{}
	c.answers.Purge()
}

// adapter is how a carrier is spoken to; a failure says why it is not asked.
func (c *Client) adapter(carrier *store.Carrier) (a Adapter, of serviceKey, failure string) {
	_, own := c.o.Hosts[Host(carrier.URL)]
	local := c.o.Local || own
	if !local && !strings.HasPrefix(carrier.URL, "https:") {
		return nil, of, "is not asked: its address does not begin with https"
	}
	of.url = carrier.URL
	if c.o.Secret != nil {
		secret, err := c.o.Secret(carrier)
		if err != nil {
			return nil, of, err.Error()
		}
		of.secret = secret
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	a = c.spoken[of]
	if a == nil {
		if len(c.spoken) >= maxClients {
			c.spoken = map[serviceKey]Adapter{}
		}
		o := asking.Options{Local: local, Timeout: c.o.Budget, Secret: of.secret, Hosts: c.o.Hosts,
			Rest: c.o.Rest}
		if IsTariff(carrier.URL) {
			a = newTariff(carrier.URL, o, c.o.CheckTariff)
		} else {
			a = protocol{asking.NewWith(carrier.URL, o)}
		}
		c.spoken[of] = a
	}
	return a, of, ""
}

// Host is the host of an address, "" where there is none.
func Host(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return ""
	}
	return u.Hostname()
}

// IsTariff says whether an address is that of a tariff file, which is read once a day, rather than of a service.
func IsTariff(address string) bool {
	u, err := url.Parse(address)
	return err == nil && strings.HasSuffix(strings.ToLower(u.Path), ".csv")
}

// Services asks a carrier what services it has; took is how long that was.
func (c *Client) Services(ctx context.Context, carrier *store.Carrier) (list []Service, took time.Duration, err error) {
	a, _, why := c.adapter(carrier)
	if why != "" {
		return nil, 0, asking.Failure(why)
	}
	begun := time.Now()
	list, err = a.Services(ctx)
	return list, time.Since(begun), err
}

// Rates asks all at once; see [quote.Carriers].
func (c *Client) Rates(asks []quote.CarrierAsk) []quote.CarrierAnswer {
	return c.within(asks, c.o.Budget, len(asks))
}

// Ahead asks many at once; see [quote.Carriers].
func (c *Client) Ahead(asks []quote.CarrierAsk) []quote.CarrierAnswer {
	return c.within(asks, AheadFor, atOnce)
}

// within asks a few at a time until a limit is over; what is not answered by then has failed, though answers that
// come later are remembered.
func (c *Client) within(asks []quote.CarrierAsk, limit time.Duration, few int) []quote.CarrierAnswer {
	answers := make([]quote.CarrierAnswer, len(asks))
	late := time.NewTimer(limit)
	defer late.Stop()
	waiting := make([]<-chan singleflight.Result, len(asks))
	begun, over := 0, false
	for i := range asks {
		for ; begun < len(asks) && begun < i+few && !over; begun++ {
			answers[begun], waiting[begun] = c.begin(&asks[begun])
		}
		if i >= begun {
			answers[i].Failure = fmt.Sprintf("could not be asked about everything within %g s", limit.Seconds())
			continue
		}
		if waiting[i] == nil {
			continue
		}
		if !over {
			select {
			case r := <-waiting[i]:
				answers[i] = r.Val.(quote.CarrierAnswer)
				continue
			case <-late.C:
				over = true
			}
		}
		select {
		case r := <-waiting[i]:
			answers[i] = r.Val.(quote.CarrierAnswer)
		default:
			answers[i].Failure = fmt.Sprintf("did not answer within %g s", limit.Seconds())
		}
	}
	return answers
}

// Later is the client as a quote uses it that does not wait: what is not remembered is begun and stays pending.
func (c *Client) Later() quote.Carriers { return later{c} }

type later struct{ *Client }

func (l later) Rates(asks []quote.CarrierAsk) []quote.CarrierAnswer {
	answers := make([]quote.CarrierAnswer, len(asks))
	for i := range asks {
		var waiting <-chan singleflight.Result
		if answers[i], waiting = l.begin(&asks[i]); waiting != nil {
			answers[i].Pending = true
		}
	}
	return answers
}

// Ahead waits as the client does: as many questions as a list has are not begun all at once.
func (l later) Ahead(asks []quote.CarrierAsk) []quote.CarrierAnswer { return l.Client.Ahead(asks) }

// begin gives what is remembered, or begins to ask.
func (c *Client) begin(ask *quote.CarrierAsk) (quote.CarrierAnswer, <-chan singleflight.Result) {
	record := c.records.of(ask.Carrier.ID)
	refused := func(why string) (quote.CarrierAnswer, <-chan singleflight.Result) {
		record.unasked(ask, why)
		return quote.CarrierAnswer{Failure: why}, nil
	}
	if len(ask.Parcels) > MaxParcels {
		return refused(fmt.Sprintf("is not asked about more than %d parcels", MaxParcels))
	}
	a, of, failure := c.adapter(ask.Carrier)
	if failure != "" {
		return refused(failure)
	}
	id := key(sha256.Sum256([]byte(of.secret + "\x00" + ask.Key())))
	if known, ok := c.answers.Get(id); ok && time.Now().Before(known.until) {
		record.known()
		return known.answer, nil
	}
	if why := a.Resting(); why != "" {
		return refused(why)
	}
	record.asked()
	return quote.CarrierAnswer{}, c.flight.DoChan(string(id[:]), func() (any, error) {
		if known, ok := c.answers.Get(id); ok && time.Now().Before(known.until) {
			return known.answer, nil // of a flight that landed a moment ago
		}
		begun, q := time.Now(), questionOf(ask)
		answer, lasts := c.ask(a, &q)
		record.exchanged(ask, id, begun, &answer)
		if lasts > 0 {
			c.answers.Add(id, kept{answer, time.Now().Add(min(lasts, KeptFor))})
		}
		return answer, nil
	})
}

// MaxParcels is about how many parcels a carrier is asked at most.
const MaxParcels = quote.MaxAskedParcels

// ask asks once, and says for how long the answer may be remembered.
func (c *Client) ask(a Adapter, q *Question) (answer quote.CarrierAnswer, lasts time.Duration) {
	ctx, cancel := context.WithTimeout(context.Background(), c.o.Budget)
	defer cancel()
	said, err := a.Rates(ctx, q)
	if err == nil {
		answer.Rates, err = said.Check(q)
	}
	if err != nil {
		var f asking.Failure
		if answer.Failure = "cannot be asked"; errors.As(err, &f) {
			answer.Failure = string(f)
		}
		answer.Rates = nil
		return answer, 0
	}
	return answer, said.ValidFor
}

// Stray lists the variables of an environment (NAME=value) that begin as those of carriers' secrets do and are of none
// of some carriers: they are spelt wrongly, or their carrier was removed.
func Stray(environment []string, of ...[]store.Carrier) (names []string) {
	known := map[string]bool{}
	for _, list := range of {
		for i := range list {
			known[variable(&list[i])], known[variable(&list[i])+"_ORIGIN"] = true, true
		}
	}
	for _, entry := range environment {
		if name, _, _ := strings.Cut(entry, "="); strings.HasPrefix(name, variablePrefix) && !known[name] {
			names = append(names, name)
		}
	}
	return names
}

// FromEnvironment is the secret for a carrier that the environment has: DIADROM_CARRIER_ and the id in capitals, with
// _ in place of -; "" for none.
//
// Where the environment says for which origin the secret is, it is for no other; the error says so then.
func FromEnvironment(c *store.Carrier) (string, error) {
	secret, of := os.Getenv(variable(c)), OriginFromEnvironment(c)
	if secret != "" && of != "" && of != Origin(c.URL) {
		return "", failure("is not asked: %s_ORIGIN says that its secret is for another address", variable(c))
	}
	return secret, nil
}

// OriginFromEnvironment is the origin that the secret of [FromEnvironment] is for: what the environment has under the
// same name with _ORIGIN behind it; "" where it says none.
func OriginFromEnvironment(c *store.Carrier) string {
	return Origin(os.Getenv(variable(c) + "_ORIGIN"))
}

// Origin is the scheme, host and port of an address, in small letters and without the port that its scheme has anyway;
// "" for what has none.
func Origin(address string) string {
	u, err := url.Parse(strings.ToLower(address))
	if err != nil || u.Host == "" {
		return ""
	}
	host := u.Host
	if port := map[string]string{"http": ":80", "https": ":443"}[u.Scheme]; port != "" {
		host = strings.TrimSuffix(host, port)
	}
	return u.Scheme + "://" + host
}

// variablePrefix begins the variables of carriers' secrets.
const variablePrefix = "DIADROM_CARRIER_"

func variable(c *store.Carrier) string {
	return variablePrefix + strings.ToUpper(strings.ReplaceAll(c.ID, "-", "_"))
}
