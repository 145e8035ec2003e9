package visitor

import (
	"net/http"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestWhereARequestComesFrom(t *testing.T) {
	for _, tt := range []struct{ remote, forwarded, want string }{
		{"192.0.2.7:4711", "", "192.0.2.7"},
		{"192.0.2.7:4711", "198.51.100.1", "192.0.2.7"}, // said by somebody who is no proxy of ours
		{"127.0.0.1:4711", "198.51.100.1", "198.51.100.1"},
		{"[::1]:4711", "203.0.113.9, 198.51.100.1", "198.51.100.1"}, // what stands before is the sender's word
		{"127.0.0.1:4711", "nonsense", "127.0.0.1"},
		{"127.0.0.1:4711", "203.0.113.9, 10.0.0.2", "203.0.113.9"}, // two proxies of ours
		{"10.0.0.2:4711", "2001:db8::1", "2001:db8::1"},
		{"pipe", "", "pipe"},
	} {
		o := Options{
			TrustedProxies: []netip.Prefix{
				netip.MustParsePrefix("127.0.0.0/8"),
				netip.MustParsePrefix("::1/128"),
				netip.MustParsePrefix("10.0.0.0/8"),
			},
		}
		r := &http.Request{RemoteAddr: tt.remote, Header: http.Header{}}
		if tt.forwarded != "" {
			r.Header.Set("X-Forwarded-For", tt.forwarded)
		}
		assert.Equal(t, tt.want, o.From(r), tt)
		assert.NotEqual(t, tt.forwarded, (&Options{}).From(r), "nobody is trusted unless told")
	}
}
