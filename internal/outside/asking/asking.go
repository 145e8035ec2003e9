// Package asking asks services outside over HTTP for JSON, so that a quote never waits long for one of them: each
// question has a time limit, a service that fails again and again is left alone for a while, and addresses of the
// machine's own network are refused unless they are allowed.
package asking

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/sony/gobreaker/v2"
)

// Bounds of asking.
const (
	Timeout     = time.Second      // of one question
	maxAnswer   = 4 << 20          // bytes of an answer
	maxFailures = 5                // in a row, after which a service is left alone
	Rest        = 30 * time.Second // for which it is
	maxHeld     = time.Hour        // for which a service is left alone at most because it asks for that
)

// Failure is why a service gave no answer, in words that go on after the service's name: "did not answer within 1 s".
type Failure string

// Error gives the words.
func (f Failure) Error() string { return string(f) }

// Client asks one service. It is safe for many goroutines.
type Client struct {
	base    string
	secret  string
	timeout time.Duration
	rest    time.Duration
	http    *http.Client
	breaker *gobreaker.CircuitBreaker[[]byte]
	held    atomic.Int64 // until when it wants to be left alone, in Unix nanoseconds
}

// Options say how a service is asked.
type Options struct {
	Local   bool              // it may be in the machine's own network
	Timeout time.Duration     // of one question
	Rest    time.Duration     // for which it is left alone where it fails again and again; 0: [Rest]
	Secret  string            // sent as a bearer token (RFC 6750), "" for none
	Hosts   map[string]string // hosts that are found at other addresses: stand-ins
}

// New makes a client of the service at a URL, which [CheckURL] has found right. local allows services of the machine's
// own network.
func New(base string, local bool) *Client {
	return NewWith(base, Options{Local: local, Timeout: Timeout})
}

// NewWith is New with more said.
func NewWith(base string, o Options) *Client {
	if o.Rest == 0 {
		o.Rest = Rest
	}
	dialer := Dialer(o.Local, o.Timeout)
	dial := func(ctx context.Context, network, address string) (net.Conn, error) {
		if host, _, err := net.SplitHostPort(address); err == nil && o.Hosts[host] != "" {
			address = o.Hosts[host]
		}
		return dialer.DialContext(ctx, network, address)
	}
	return &Client{
		base:    strings.TrimRight(base, "/"),
		secret:  o.Secret,
		timeout: o.Timeout,
		rest:    o.Rest,
		http: &http.Client{
			Timeout: o.Timeout,
			Transport: &http.Transport{DialContext: dial, MaxIdleConnsPerHost: 8,
				IdleConnTimeout: time.Minute},
			CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		},
		breaker: gobreaker.NewCircuitBreaker[[]byte](gobreaker.Settings{
			Timeout:     o.Rest,
			ReadyToTrip: func(c gobreaker.Counts) bool { return c.ConsecutiveFailures >= maxFailures },
		}),
	}
}

// Dialer connects within some time; to addresses of the public internet alone unless it may go to local ones.
func Dialer(local bool, timeout time.Duration) *net.Dialer {
	d := &net.Dialer{Timeout: timeout}
	if !local {
		d.Control = onlyPublic
	}
	return d
}

// CheckURL reads the address of a service: http or https, with a host, without a query. "" is none.
func CheckURL(text string) (string, error) {
	text = strings.TrimSpace(text)
	if text == "" {
		return "", nil
	}
	u, err := url.Parse(text)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" || u.User != nil ||
		u.RawQuery != "" || u.Fragment != "" {
		return "", fmt.Errorf("%q is not the address of a service: write it such as https://roads.example", text)
	}
	return strings.TrimRight(text, "/"), nil
}

// errNotPublic is a service on an address that is not public.
var errNotPublic = errors.New("not public")

// onlyPublic refuses to connect to addresses that are not of the public internet.
func onlyPublic(_, address string, _ syscall.RawConn) error {
	at, err := netip.ParseAddrPort(address)
	if err != nil {
		return err
	}
	if !Public(at.Addr()) {
		return errNotPublic
	}
	return nil
}

// Public says whether an address is of the public internet. It is asked of the address that is dialled, after names
// were resolved. Addresses that carry an IPv4 address are judged by that, and those that may lead into a network by a
// tunnel or a translator that somebody set up are not public whatever they carry.
func Public(ip netip.Addr) bool {
	ip = ip.Unmap()
	return ip.IsGlobalUnicast() && !ip.IsPrivate() && ip.Zone() == "" &&
		!slices.ContainsFunc(special, func(p netip.Prefix) bool { return p.Contains(ip) })
}

// special are the address blocks that are not the public internet's, besides those that package netip knows, from the
// IANA IPv4 and IPv6 Special-Purpose Address Registries.
var special = prefixes(
	"0.0.0.0/8",       // this network (RFC 791)
	"100.64.0.0/10",   // between carriers and their customers (RFC 6598)
	"192.0.0.0/24",    // protocol assignments (RFC 6890)
	"192.0.2.0/24",    // documentation (RFC 5737), as the next two of IPv4
	"198.51.100.0/24", //
	"203.0.113.0/24",  //
	"192.88.99.0/24",  // 6to4 relays (RFC 7526)
	"198.18.0.0/15",   // benchmarks (RFC 2544)
	"240.0.0.0/4",     // reserved (RFC 1112)
	"::/96",           // IPv4-compatible (RFC 4291)
	"::ffff:0:0:0/96", // IPv4-translated (RFC 2765)
	"64:ff9b::/96",    // NAT64 (RFC 6052)
	"64:ff9b:1::/48",  // NAT64 in a network (RFC 8215)
	"100::/64",        // discarded (RFC 6666)
	"2001::/23",       // protocol assignments (RFC 2928), Teredo among them (RFC 4380)
	"2001:db8::/32",   // documentation (RFC 3849)
	"2002::/16",       // 6to4 (RFC 3056)
	"3fff::/20",       // documentation (RFC 9637)
	"5f00::/16",       // segment routing (RFC 9602)
	"fec0::/10",       // site-local, which is not used any more (RFC 3879)
)

func prefixes(texts ...string) (list []netip.Prefix) {
	for _, text := range texts {
		list = append(list, netip.MustParsePrefix(text))
	}
	return list
}

// Get asks for a path with its query, below the service's address, and reads the answer as JSON into a value. The
// error is a [Failure].
func (c *Client) Get(ctx context.Context, path string, into any) error {
	return c.ask(ctx, http.MethodGet, path, nil, jsonInto(into))
}

// Read is Get of what is not JSON: read reads it, and judges it by its error.
func (c *Client) Read(ctx context.Context, path string, read func(body []byte) error) error {
	return c.ask(ctx, http.MethodGet, path, nil, read)
}

func jsonInto(value any) func([]byte) error {
	return func(body []byte) error { return json.Unmarshal(body, value) }
}

// Post is Get of a question that is sent as JSON.
func (c *Client) Post(ctx context.Context, path string, question, into any) error {
	body, err := json.Marshal(question)
	if err != nil {
		return err
	}
	return c.ask(ctx, http.MethodPost, path, body, jsonInto(into))
}

// Resting says why the service is not asked at the moment, in words that go on after its name; "" where it is.
func (c *Client) Resting() string {
	if until := time.Unix(0, c.held.Load()); time.Now().Before(until) {
		return "asked to be left alone until " + until.Format("15:04:05")
	}
	if c.breaker.State() == gobreaker.StateOpen {
		return fmt.Sprintf("failed %d times in a row and is left alone for %d s", maxFailures, int(c.rest.Seconds()))
	}
	return ""
}

func (c *Client) ask(ctx context.Context, method, path string, question []byte, read func([]byte) error) error {
	if why := c.Resting(); why != "" {
		return Failure(why)
	}
	_, err := c.breaker.Execute(func() ([]byte, error) {
		body, err := c.fetch(ctx, method, path, question)
		if err == nil {
			if err = read(body); err != nil && !errors.As(err, new(Failure)) {
				err = Failure("did not answer in the form that was expected")
			}
		}
		return body, err
	})
	switch {
	case err == nil:
		return nil
	case errors.Is(err, gobreaker.ErrOpenState), errors.Is(err, gobreaker.ErrTooManyRequests):
		return Failure(fmt.Sprintf("failed %d times in a row and is left alone for %d s", maxFailures,
			int(c.rest.Seconds())))
	case errors.As(err, new(Failure)):
		return err
	}
	return Failure(Words(err, c.timeout))
}

func (c *Client) fetch(ctx context.Context, method, path string, question []byte) ([]byte, error) {
	r, err := http.NewRequestWithContext(ctx, method, c.base+path, bytes.NewReader(question))
	if err != nil {
		return nil, err
	}
	if question != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	if c.secret != "" {
		r.Header.Set("Authorization", "Bearer "+c.secret)
	}
	r.Header.Set("Accept", "application/json, text/csv;q=0.9")
	r.Header.Set("User-Agent", "Diadrom")
	answer, err := c.http.Do(r)
	if err != nil {
		return nil, err
	}
	defer answer.Body.Close()
	if err := c.status(answer); err != nil {
		return nil, err
	}
	body, err := io.ReadAll(io.LimitReader(answer.Body, maxAnswer+1))
	if err == nil && len(body) > maxAnswer {
		err = Failure(fmt.Sprintf("answered with more than %d MB", maxAnswer>>20))
	}
	return body, err
}

// status judges the status of an answer. One that says when to come again (Retry-After, RFC 9110, section 10.2.3) is
// left alone until then.
func (c *Client) status(answer *http.Response) error {
	switch code := answer.StatusCode; {
	case code == http.StatusOK, code == http.StatusBadRequest:
		return nil
	case code == http.StatusUnauthorized, code == http.StatusForbidden:
		return Failure(fmt.Sprintf("does not accept the secret (status %d)", code))
	case code >= 300 && code < 400:
		return Failure("sends elsewhere, which is not followed: set the address that it has now")
	case code == http.StatusTooManyRequests, code == http.StatusServiceUnavailable:
		if wait := RetryAfter(answer.Header.Get("Retry-After"), time.Now()); wait > 0 {
			c.held.Store(time.Now().Add(wait).UnixNano())
		}
		fallthrough
	default:
		return Failure(fmt.Sprintf("answered with status %d", code))
	}
}

// RetryAfter is how long whoever answered wants to be left alone, an hour at most: seconds, or a moment (RFC 9110,
// section 10.2.3). It is 0 where that is not said.
func RetryAfter(text string, now time.Time) time.Duration {
	if seconds, err := strconv.ParseInt(text, 10, 64); err == nil {
		return min(time.Duration(max(0, min(seconds, int64(maxHeld.Seconds()))))*time.Second, maxHeld)
	}
	if at, err := http.ParseTime(text); err == nil {
		return min(at.Sub(now), maxHeld)
	}
	return 0
}

// Words says why no answer came within some time, in words that go on after the name of whoever was asked.
func Words(err error, timeout time.Duration) string {
	var late net.Error
	var dns *net.DNSError
	switch {
	case errors.Is(err, errNotPublic):
		return "is not at a public address: start Diadrom with --local-services to use services of your own network"
	case errors.As(err, &dns):
		return "cannot be found: nobody knows the host " + dns.Name
	case errors.As(err, &late) && late.Timeout(), errors.Is(err, context.DeadlineExceeded):
		return fmt.Sprintf("did not answer within %g s", timeout.Seconds())
	case errors.Is(err, syscall.ECONNREFUSED):
		return "is not there: nothing listens at its address"
	}
	return "cannot be reached"
}
