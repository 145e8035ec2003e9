package auth

import (
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"
)

// Right is something that a key allows beside asking for quotes.
type Right string

// Rights of keys. A publishable key has none of them.
const (
	// Costs is asking what sending costs the shop.
	Costs Right = "costs"
	// Products is changing products in the draft.
	Products Right = "products"
	// ProductsLive is changing products in the draft and, at the same time, in what is live.
	ProductsLive Right = "products_live"
	// Setup is reading and replacing the draft as a store file, and publishing it.
	Setup Right = "setup"
	// Events is being told what changes.
	Events Right = "events"
)

// Rights lists all rights in the order in which they are shown.
var Rights = []Right{Costs, Products, ProductsLive, Setup, Events}

// String says a right in words that follow "may".
func (r Right) String() string {
	switch r {
	case Costs:
		return "ask what sending costs you"
	case Products:
		return "change products in the draft"
	case ProductsLive:
		return "change products in the draft and live"
	case Setup:
		return "import a store file and publish"
	case Events:
		return "be told what changes"
	}
	return string(r)
}

// Prefixes of the secrets of keys. A publishable key says so in its first letters, so that nobody publishes another
// kind by mistake.
const (
	SecretPrefix      = "diadrom_"
	PublishablePrefix = "diadrom_pub_"
)

// Key is a key of the API.
type Key struct {
	ID   int64
	Name string
	// Publishable keys may be read by everybody. They only ask for quotes, from pages of Origins, and are not told what
	// is for the owner alone.
	Publishable bool
	Rights      []Right
	// Origins are those of web pages that may send the key (scheme, host and port as in RFC 6454).
	Origins []string
	Expires time.Time // zero: never
}

// May says whether a key has a right.
func (k *Key) May(r Right) bool {
	return slices.Contains(k.Rights, r) || r == Products && slices.Contains(k.Rights, ProductsLive)
}

// From says whether pages of an origin may send the key.
func (k *Key) From(origin string) bool { return slices.Contains(k.Origins, origin) }

// Expired says whether a key has come to its end.
func (k *Key) Expired(now time.Time) bool { return !k.Expires.IsZero() && !k.Expires.After(now) }

// maxOrigins is how many origins a key names at most.
const maxOrigins = 20

// Origins reads the origins of a key as they are typed: separated by spaces, commas or lines, a page's whole address
// too. Plain http is taken from this machine alone, because anybody on the way could put a page of their own there.
func Origins(text string) (list []string, err error) {
	for _, word := range strings.FieldsFunc(text, func(r rune) bool { return r <= ' ' || r == ',' || r == ';' }) {
		origin, err := readOrigin(word)
		if err != nil {
			return nil, err
		}
		if !slices.Contains(list, origin) {
			list = append(list, origin)
		}
	}
	if len(list) > maxOrigins {
		return nil, fmt.Errorf("a key names at most %d sites; these are %d", maxOrigins, len(list))
	}
	return list, nil
}

func readOrigin(word string) (string, error) {
	wrong := fmt.Errorf("%.60q is not the address of a site: write it as https://shop.example", word)
	if !strings.Contains(word, "://") {
		word = "https://" + word
	}
	u, err := url.Parse(word)
	if err != nil || u.Hostname() == "" || u.User != nil || strings.ContainsAny(u.Host, "*%\"'<>\\") {
		return "", wrong
	}
	host := strings.ToLower(u.Host)
	local := u.Hostname() == "localhost" || u.Hostname() == "127.0.0.1" || u.Hostname() == "::1"
	switch {
	case !local && !strings.Contains(u.Hostname(), "."):
		return "", wrong
	case u.Scheme == "https":
		host = strings.TrimSuffix(host, ":443")
	case u.Scheme == "http" && local:
		host = strings.TrimSuffix(host, ":80")
	case u.Scheme == "http":
		return "", fmt.Errorf("%.60q is not encrypted: write the site's https address", word)
	default:
		return "", wrong
	}
	return u.Scheme + "://" + host, nil
}

// ErrNoOrigin is returned when a publishable key names no site.
var ErrNoOrigin = errors.New(
	"say which site's pages send this key: it is open to everybody, and works from there alone",
)

// KeyText is a key as somebody asks for it, on a page or a command line.
type KeyText struct {
	Name, Sites string
	Until       string // the last day, such as 2027-01-31; "" for no end
	Pages       bool   // whether pages of the sites send it
	Rights      []string
}

// Read checks what is asked for. Its errors are for whoever asked.
func (t KeyText) Read(now time.Time) (k Key, err error) {
	if k.Name, err = Name(t.Name); err != nil {
		return k, err
	}
	if k.Origins, err = Origins(t.Sites); err != nil {
		return k, err
	}
	switch k.Publishable = t.Pages; {
	case t.Pages && len(k.Origins) == 0:
		return k, ErrNoOrigin
	case t.Pages && len(t.Rights) > 0:
		return k, errors.New("a key that everybody can read only asks for quotes: take the other rights away, or make a key " +
			"for a server")
	case !t.Pages && len(k.Origins) > 0:
		return k, errors.New("a key for a server is never sent by pages: leave the sites empty, or make a key for pages")
	}
	for _, text := range t.Rights {
		r := Right(strings.TrimSpace(text))
		if !slices.Contains(Rights, r) {
			names := make([]string, len(Rights))
			for i, known := range Rights {
				names[i] = string(known)
			}
			return k, fmt.Errorf("%.40q is not a right: there are %s", text, strings.Join(names, ", "))
		}
		k.Rights = append(k.Rights, r)
	}
	if t.Until != "" {
		day, err := time.ParseInLocation(time.DateOnly, t.Until, time.Local)
		if err != nil {
			return k, fmt.Errorf("%.40q is not a date such as 2027-01-31", t.Until)
		}
		if k.Expires = day.AddDate(0, 0, 1); k.Expired(now) {
			return k, errors.New("that day has passed: choose a later one, or leave it empty for no end")
		}
	}
	return k, nil
}

// Value is a right as it is kept and sent.
func (r Right) Value() string { return string(r) }

// Person is whoever edits and publishes with a key: ids of keys are kept below those of people.
func (k *Key) Person() Person { return Person{ID: -k.ID, Name: "the key " + k.Name} }
