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
	"strings"
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
	http    *http.Client
	breaker *gobreaker.CircuitBreaker[[]byte]
}

// Options say how a service is asked.
type Options struct {
	Local   bool          // it may be in the machine's own network
	Timeout time.Duration // of one question
	Secret  string        // sent as a bearer token (RFC 6750), "" for none
}

// New makes a client of the service at a URL, which [CheckURL] has found right. local allows services of the machine's
// own network.
func New(base string, local bool) *Client {
	return NewWith(base, Options{Local: local, Timeout: Timeout})
}

// NewWith is New with more said.
func NewWith(base string, o Options) *Client {
	dialer := &net.Dialer{Timeout: o.Timeout}
	if !o.Local {
		dialer.Control = onlyPublic
	}
	return &Client{
		base:    strings.TrimRight(base, "/"),
		secret:  o.Secret,
		timeout: o.Timeout,
		http: &http.Client{
			Timeout: o.Timeout,
			Transport: &http.Transport{DialContext: dialer.DialContext, MaxIdleConnsPerHost: 8,
				IdleConnTimeout: time.Minute},
			CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		},
		breaker: gobreaker.NewCircuitBreaker[[]byte](gobreaker.Settings{
			Timeout:     Rest,
			ReadyToTrip: func(c gobreaker.Counts) bool { return c.ConsecutiveFailures >= maxFailures },
		}),
	}
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
	ip := at.Addr().Unmap()
	if !ip.IsGlobalUnicast() || ip.IsPrivate() || shared.Contains(ip) {
		return errNotPublic
	}
	return nil
}

// shared is the address space between carriers and their customers (RFC 6598).
var shared = netip.MustParsePrefix("100.64.0.0/10")

// Get asks for a path with its query, below the service's address, and reads the answer as JSON into a value. The
// error is a [Failure].
func (c *Client) Get(ctx context.Context, path string, into any) error {
	return c.ask(ctx, http.MethodGet, path, nil, into)
}

// Post is Get of a question that is sent as JSON.
func (c *Client) Post(ctx context.Context, path string, question, into any) error {
	body, err := json.Marshal(question)
	if err != nil {
		return err
	}
	return c.ask(ctx, http.MethodPost, path, body, into)
}

func (c *Client) ask(ctx context.Context, method, path string, question []byte, into any) error {
	_, err := c.breaker.Execute(func() ([]byte, error) {
		body, err := c.fetch(ctx, method, path, question)
		if err == nil {
			if err = json.Unmarshal(body, into); err != nil && !errors.As(err, new(Failure)) {
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
			int(Rest.Seconds())))
	case errors.As(err, new(Failure)):
		return err
	}
	return Failure(c.words(err))
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
	r.Header.Set("Accept", "application/json")
	r.Header.Set("User-Agent", "Diadrom")
	answer, err := c.http.Do(r)
	if err != nil {
		return nil, err
	}
	defer answer.Body.Close()
	if answer.StatusCode != http.StatusOK && answer.StatusCode != http.StatusBadRequest {
		return nil, Failure(fmt.Sprintf("answered with status %d", answer.StatusCode))
	}
	body, err := io.ReadAll(io.LimitReader(answer.Body, maxAnswer+1))
	if err == nil && len(body) > maxAnswer {
		err = Failure(fmt.Sprintf("answered with more than %d MB", maxAnswer>>20))
	}
	return body, err
}

// words says why nothing came.
func (c *Client) words(err error) string {
	var timeout net.Error
	var dns *net.DNSError
	switch {
	case errors.Is(err, errNotPublic):
		return "is not at a public address: start Diadrom with --local-services to use services of your own network"
	case errors.As(err, &dns):
		return "cannot be found: nobody knows the host " + dns.Name
	case errors.As(err, &timeout) && timeout.Timeout(), errors.Is(err, context.DeadlineExceeded):
		return fmt.Sprintf("did not answer within %g s", c.timeout.Seconds())
	case errors.Is(err, syscall.ECONNREFUSED):
		return "is not there: nothing listens at its address"
	}
	return "cannot be reached"
}
