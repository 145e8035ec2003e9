package asking

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Blocks of the IANA IPv4 and IPv6 Special-Purpose Address Registries, each with its first and last address and those
// beside it; and the forms in which IPv6 carries IPv4.
func TestWhatIsPublic(t *testing.T) {
	for address, public := range map[string]bool{
		"8.8.8.8": true, "1.1.1.1": true, "2606:4700:4700::1111": true, "2a00:1450::1": true, "193.0.0.1": true,
		"127.0.0.1": false, "10.0.0.1": false, "172.16.0.1": false, "172.31.255.255": false, "172.32.0.0": true,
		"192.168.1.1": false, "169.254.169.254": false, "0.0.0.0": false, "0.1.2.3": false, "255.255.255.255": false,
		"100.64.0.0": false, "100.127.255.255": false, "100.128.0.0": true, "100.63.255.255": true,
		"198.18.0.0": false, "198.19.255.255": false, "198.20.0.0": true, "198.17.255.255": true,
		"192.0.0.8": false, "192.0.1.0": true, "192.0.2.1": false, "198.51.100.7": false, "203.0.113.7": false,
		"240.0.0.0": false, "254.1.2.3": false, "239.255.255.255": false, "224.0.0.1": false, "223.255.255.255": true,
		"192.88.99.1": false,
		"::1":         false, "::": false, "fe80::1": false, "fe80::1%eth0": false, "fc00::1": false, "fd12::1": false, "ff02::1": false,
		"fec0::1": false, "2001:db8::1": false, "100::1": false, "3fff::1": false,
		"::ffff:127.0.0.1": false, "::ffff:10.0.0.1": false, "::ffff:8.8.8.8": true, "::127.0.0.1": false,
		"64:ff9b::7f00:1": false, "64:ff9b::808:808": false, "64:ff9b:1::1": false, "2002:7f00:1::": false,
		"2001:0:4136:e378:8000:63bf:3fff:fdd2": false, "::ffff:0:127.0.0.1": false, "2001:200::1": true,
	} {
		assert.Equal(t, public, Public(netip.MustParseAddr(address)), address)
	}
}
