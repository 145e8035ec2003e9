// Package visitor knows where requests come from and under which name they ask: it refuses those that came by another
// name or from another site's pages, and keeps what happens to the locks.
package visitor

import (
	"context"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"sync"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/api"

	"golang.org/x/time/rate"
)

// Options say under which names a shop is reached, and through what.
type Options struct {
	Hosts []string // the names under which it answers; none means any, but for PublicURL's
	// under which buyers and people reach it through a proxy: scheme and host; nil where there is none
	PublicURL *url.URL
	// TrustedProxies are the addresses of proxies whose X-Forwarded-For and X-Forwarded-Proto are believed.
	TrustedProxies []netip.Prefix
}

// remote is the address at the other end of the wire: a visitor's, or that of a proxy.
func remote(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}

// trusts says whether an address is one of a proxy whose word is taken.
func (o *Options) trusts(address string) bool {
	ip, err := netip.ParseAddr(address)
	if err != nil {
		return false
	}
	ip = ip.Unmap().WithZone("")
	for _, p := range o.TrustedProxies {
		if p.Contains(ip) {
			return true
		}
	}
	return false
}

// From is the address that a request comes from: of the addresses that X-Forwarded-For lists, the last that no
// trusted proxy has. What a proxy that is not trusted says is not looked at.
func (o *Options) From(r *http.Request) string {
	address := remote(r)
	if !o.trusts(address) {
		return address
	}
	list := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
	for i := len(list) - 1; i >= 0; i-- {
		ip, err := netip.ParseAddr(strings.TrimSpace(list[i]))
		if err != nil {
			break
		}
		if address = ip.String(); !o.trusts(address) {
			break
		}
	}
	return address
}

// Home is where the shop is reached from elsewhere, as whoever asks has it: https://shipping.example.
func (o *Options) Home(r *http.Request) string {
	switch {
	case o.PublicURL != nil:
		return o.PublicURL.Scheme + "://" + o.PublicURL.Host
	case o.HTTPS(r):
		return "https://" + r.Host
	}
	return "http://" + r.Host
}

// HTTPS says whether a request came over https, to here or to a trusted proxy in front.
func (o *Options) HTTPS(r *http.Request) bool {
	return r.TLS != nil || o.trusts(remote(r)) && r.Header.Get("X-Forwarded-Proto") == "https" ||
		o.PublicURL != nil && o.PublicURL.Scheme == "https" && strings.EqualFold(r.Host, o.PublicURL.Host)
}

// Secure says whether the cookies of a request are for https only: they are, but on this machine itself.
func (o *Options) Secure(r *http.Request) bool { return o.HTTPS(r) || !loopback(r.Host) }

func loopback(host string) bool {
	name, _, err := net.SplitHostPort(host)
	if err != nil {
		name = host
	}
	name = strings.Trim(name, "[]")
	ip := net.ParseIP(name)
	return strings.EqualFold(name, "localhost") || ip != nil && ip.IsLoopback()
}

// answers says whether the shop answers under a host's name.
func (o *Options) answers(host string) bool {
	if o.PublicURL != nil && strings.EqualFold(host, o.PublicURL.Host) {
		return true
	}
	name := host
	if i := strings.LastIndexByte(name, ':'); i >= 0 && !strings.HasSuffix(name, "]") {
		name = name[:i]
	}
	if len(o.Hosts) == 0 && o.PublicURL == nil {
		return true
	}
	for _, h := range o.Hosts {
		if strings.EqualFold(h, name) {
			return true
		}
	}
	return len(o.Hosts) == 0 && loopback(host)
}

// Guard refuses requests that came here under another name, so that no foreign page can reach a shop on
// loopback by having its own name point here, and requests that pages of other sites make.
func (n *Notes) Guard(next http.Handler) (http.Handler, error) {
	origin := http.NewCrossOriginProtection()
	if n.options.PublicURL != nil {
		if err := origin.AddTrustedOrigin(
			n.options.PublicURL.Scheme + "://" + n.options.PublicURL.Host,
		); err != nil {
			return nil, err
		}
	}
	origin.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		n.Note(r, auth.OriginRefused, auth.Person{}, r.Header.Get("Origin"))
		refuse(w, r, api.OtherSite, "this request was made by a page of another site")
	}))
	protected := origin.Handler(next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !n.options.answers(r.Host) {
			n.Note(r, auth.HostRefused, auth.Person{}, r.Host)
			refuse(
				w,
				r,
				api.WrongHost,
				"this shop does not answer under that name; behind a proxy it is told its own with --public-url",
			)
			return
		}
		if scheme, _, ok := strings.Cut(r.Header.Get("Authorization"), " "); ok && strings.EqualFold(scheme, "Bearer") &&
			api.Asked(r.URL.Path) {
			// A browser sends a key only where a script has put it there, which a page of another site may after a
			// preflight alone, and a request with a key is the key's: nobody's session is used behind their back. The API
			// looks at which site it is. Any other authorization stands beside the session, and does not count.
			next.ServeHTTP(w, r)
			return
		}
		protected.ServeHTTP(w, r)
	}), nil
}

// refuse answers a request that is not let through to the screens or the API.
func refuse(w http.ResponseWriter, r *http.Request, p *api.Problem, why string) {
	if api.Asked(r.URL.Path) {
		p.Answer(w, why)
		return
	}
	http.Error(w, strings.ToUpper(why[:1])+why[1:]+".", p.Status)
}

// MaxNoted is how many refusals are kept in a minute: endless attempts do not fill the disk. Those beyond
// are counted.
const MaxNoted = 30

// Events keeps events for the owners.
type Events interface {
	AddEvent(ctx context.Context, e sqlite.Event) error
}

// Notes keeps what happens to the locks.
type Notes struct {
	options *Options
	events  Events
	log     *slog.Logger

	mu      sync.Mutex
	allowed *rate.Limiter
	beyond  int // refusals that were not kept since the last that was
}

// NewNotes makes notes that are kept as events.
func NewNotes(o *Options, e Events, log *slog.Logger) *Notes {
	return &Notes{options: o, events: e, log: log, allowed: rate.NewLimiter(rate.Every(time.Minute/MaxNoted), MaxNoted)}
}

// maxDetail bounds what is kept of what was sent, in letters.
const maxDetail = 120

// Note keeps an event for the owners. The log has its kind and the number of the person, and neither names nor
// addresses; where the event cannot be kept the log says so.
func (n *Notes) Note(r *http.Request, kind auth.Event, p auth.Person, detail string) {
	refusal := kind == auth.SignInRefused || kind == auth.SignInHeldOff || kind == auth.PassphraseRefused ||
		kind == auth.CodeRefused ||
		kind == auth.Forbidden ||
		kind == auth.HostRefused ||
		kind == auth.OriginRefused
	detail, name, from := clipped(detail), clipped(p.Name), n.options.From(r)
	n.log.Info("event", "kind", string(kind), "person", p.ID)
	if refusal {
		n.mu.Lock()
		if !n.allowed.Allow() {
			n.beyond++
			n.mu.Unlock()
			return
		}
		if n.beyond > 0 {
			detail = strings.TrimSpace(detail + fmt.Sprintf(" (and %d refusals more before)", n.beyond))
		}
		n.beyond = 0
		n.mu.Unlock()
	}
	// What happened is kept though whoever did it has gone.
	ctx, cancel := context.WithTimeout(context.WithoutCancel(r.Context()), 5*time.Second)
	defer cancel()
	if err := n.events.AddEvent(
		ctx,
		sqlite.Event{Kind: kind, Person: p.ID, Name: name, Address: from, Detail: detail},
	); err != nil {
		n.log.Error("event", "kind", string(kind), "error", err)
	}
}

// Published keeps that an edition was published by what another program said of products.
func (n *Notes) Published(by auth.Person, edition int64) {
	detail := fmt.Sprintf("edition %d, products", edition)
	n.log.Info("event", "kind", string(auth.Published), "person", by.ID)
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if err := n.events.AddEvent(ctx, sqlite.Event{Kind: auth.Published, Person: by.ID, Name: by.Name,
		Detail: detail}); err != nil {
		n.log.Error("event", "kind", string(auth.Published), "error", err)
	}
}

// clipped is the beginning of a text, in characters that can be seen.
func clipped(text string) string {
	clean := strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f || r >= 0x200b && r <= 0x200f || r >= 0x202a && r <= 0x202e ||
			r >= 0x2066 && r <= 0x2069 {
			return '·'
		}
		return r
	}, text[:min(len(text), 4*maxDetail)])
	if r := []rune(strings.ToValidUTF8(clean, "·")); len(r) > maxDetail {
		return string(r[:maxDetail]) + "…"
	} else {
		return string(r)
	}
}
