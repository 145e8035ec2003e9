package signin

import (
	"net/http"
	"net/netip"
	"testing"

	"diadrom/internal/web/visitor"

	"github.com/stretchr/testify/assert"
)

func TestOneIsLedWithinTheShopOnly(t *testing.T) {
	for to, want := range map[string]string{"/rates/parcel?x=1": "/rates/parcel?x=1", "/": "/", "": "/",
		"//evil.example": "/", "/\\evil.example": "/", "/\t/evil.example": "/", "/%09/evil.example": "/",
		"/%5cevil.example":     "/",
		"https://evil.example": "/", "/\r\n": "/", "/%2fevil.example": "/", "javascript:alert(1)": "/",
		"/zones#zone-eu": "/zones#zone-eu"} {
		assert.Equal(t, want, within(to), "%q", to)
	}
}

func TestCookiesAreForHTTPSButOnThisMachine(t *testing.T) {
	for _, tt := range []struct {
		host, proto string
		name        string
		secure      bool
		elsewhere   bool // whether the host is not this machine
	}{
		{"127.0.0.1:8080", "", "diadrom", false, false},
		{"localhost:8080", "", "diadrom", false, false},
		{"[::1]:8080", "", "diadrom", false, false},
		{"shop.example", "https", "__Host-diadrom", true, true},
		{"192.0.2.7:8080", "", "__Host-diadrom", true, true},
		{"127.0.0.1:8080", "https", "__Host-diadrom", true, false},
	} {
		r := &http.Request{Host: tt.host, Header: http.Header{}}
		if tt.proto != "" {
			r.Header.Set("X-Forwarded-Proto", tt.proto)
		}
		r.RemoteAddr = "127.0.0.1:4711"
		v := visitor.Options{TrustedProxies: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}}
		s := &Screens{visitors: &v}
		assert.Equal(t, tt.name, s.cookie(r), tt.host)
		assert.Equal(t, tt.secure, v.Secure(r), tt.host)
		v.TrustedProxies = nil
		assert.Equal(t, tt.elsewhere, v.Secure(r), "what nobody who is trusted said does not count")
	}
}
