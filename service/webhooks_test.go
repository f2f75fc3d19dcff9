package service

import (
	"net/netip"
	"testing"
)

// TestInside: an address at which no service open to the world can be is of the own network, in each of its spellings.
func TestInside(t *testing.T) {
	for text, want := range map[string]bool{
		"0.0.0.0": true, "0.1.2.3": true, "10.0.0.1": true, "100.64.0.1": true, "100.127.255.255": true, "127.0.0.1": true, "127.8.9.1": true, "169.254.169.254": true,
		"172.16.0.1": true, "172.31.255.255": true, "192.0.0.8": true, "192.0.2.1": true, "192.88.99.1": true, "192.168.0.1": true, "198.18.0.1": true,
		"198.19.255.255": true, "198.51.100.1": true, "203.0.113.1": true, "224.0.0.1": true, "240.0.0.1": true, "255.255.255.255": true,
		"::": true, "::1": true, "::127.0.0.1": true, "::ffff:127.0.0.1": true, "::ffff:10.0.0.1": true, "64:ff9b::7f00:1": true, "64:ff9b:1::a00:1": true,
		"100::1": true, "2001::1": true, "2001:db8::1": true, "2002:7f00:1::": true, "3fff::1": true, "5f00::1": true, "fc00::1": true, "fd12::1": true,
		"fe80::1": true, "fe80::1%lo": true, "fec0::1": true, "ff02::1": true,
		"1.1.1.1": false, "9.255.255.255": false, "100.63.255.255": false, "100.128.0.0": false, "172.32.0.1": false, "192.0.1.1": false, "192.167.255.255": false,
		"198.17.255.255": false, "198.20.0.0": false, "223.255.255.255": false, "::ffff:8.8.8.8": false, "2001:4860::1": false, "2003::1": false, "2600::1": false,
	} {
		if got := inside(netip.MustParseAddr(text)); got != want {
			t.Errorf("%s: %v, want %v", text, got, want)
		}
	}
}
