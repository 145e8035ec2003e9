package screen

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"sync"
	"time"

	"diadrom/internal/api"
	"diadrom/internal/auth"
	"diadrom/internal/storage"

	"golang.org/x/time/rate"
)

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

// from is the address that a request comes from: of the addresses that X-Forwarded-For lists, the last that no
// trusted proxy has. What a proxy that is not trusted says is not looked at.
func (o *Options) from(r *http.Request) string {
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

// https says whether a request came over https, to here or to a trusted proxy in front.
func (o *Options) https(r *http.Request) bool {
	return r.TLS != nil || o.trusts(remote(r)) && r.Header.Get("X-Forwarded-Proto") == "https" ||
		o.PublicURL != nil && o.PublicURL.Scheme == "https" && strings.EqualFold(r.Host, o.PublicURL.Host)
}

// secure says whether the cookies of a request are for https only: they are, but on this machine itself.
func (o *Options) secure(r *http.Request) bool { return o.https(r) || !loopback(r.Host) }

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

// guarded refuses requests that came here under another name, so that no foreign page can reach a shop on
// loopback by having its own name point here, and requests that pages of other sites make.
func (s *Server) guarded(next http.Handler) (http.Handler, error) {
	origin := http.NewCrossOriginProtection()
	if s.options.PublicURL != nil {
		if err := origin.AddTrustedOrigin(
			s.options.PublicURL.Scheme + "://" + s.options.PublicURL.Host,
		); err != nil {
			return nil, err
		}
	}
	origin.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		s.note(r, auth.OriginRefused, auth.Person{}, r.Header.Get("Origin"))
		refuse(w, r, http.StatusForbidden, "this request was made by a page of another site")
	}))
	protected := origin.Handler(next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !s.options.answers(r.Host) {
			s.note(r, auth.HostRefused, auth.Person{}, r.Host)
			refuse(
				w,
				r,
				http.StatusMisdirectedRequest,
				"this shop does not answer under that name; behind a proxy it is told its own with --public-url",
			)
			return
		}
		protected.ServeHTTP(w, r)
	}), nil
}

// refuse answers a request that is not let through to the screens or the API.
func refuse(w http.ResponseWriter, r *http.Request, status int, why string) {
	if api.Asked(r.URL.Path) {
		api.Problem(w, status, why)
		return
	}
	http.Error(w, strings.ToUpper(why[:1])+why[1:]+".", status)
}

// maxNoted is how many refusals are kept in a minute: whoever knocks without end fills no disk. Those beyond
// are counted.
const maxNoted = 30

// notes keeps what happens to the locks.
type notes struct {
	mu      sync.Mutex
	allowed *rate.Limiter
	beyond  int // refusals that were not kept since the last that was
}

func newNotes() *notes {
	return &notes{allowed: rate.NewLimiter(rate.Every(time.Minute/maxNoted), maxNoted)}
}

// maxDetail bounds what is kept of what was sent, in letters.
const maxDetail = 120

// note keeps an event for the owners, and logs it. Where it cannot be kept the log says so.
func (s *Server) note(r *http.Request, kind auth.Event, p auth.Person, detail string) {
	refusal := kind == auth.SignInRefused || kind == auth.SignInHeldOff || kind == auth.PassphraseRefused ||
		kind == auth.Forbidden ||
		kind == auth.HostRefused ||
		kind == auth.OriginRefused
	detail, name, from := clipped(detail), clipped(p.Name), s.options.from(r)
	s.log.Info("event", "kind", string(kind), "person", p.ID, "name", name, "from", from, "detail", detail)
	if refusal {
		s.notes.mu.Lock()
		if !s.notes.allowed.Allow() {
			s.notes.beyond++
			s.notes.mu.Unlock()
			return
		}
		if n := s.notes.beyond; n > 0 {
			detail = strings.TrimSpace(detail + fmt.Sprintf(" (and %d refusals more before)", n))
		}
		s.notes.beyond = 0
		s.notes.mu.Unlock()
	}
	// What happened is kept though whoever did it has gone.
	ctx, cancel := context.WithTimeout(context.WithoutCancel(r.Context()), 5*time.Second)
	defer cancel()
	if err := s.db.AddEvent(
		ctx,
		storage.Event{Kind: kind, Person: p.ID, Name: name, Address: from, Detail: detail},
	); err != nil {
		s.log.Error("event", "kind", string(kind), "error", err)
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
