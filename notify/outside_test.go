package notify

import (
	"net/netip"
	"testing"
)

func TestWhatIsNotOfThePublicInternet(t *testing.T) {
	for _, a := range []string{"127.0.0.1", "10.1.2.3", "172.16.0.1", "192.168.1.1", "169.254.169.254", "100.64.0.1",
		"0.0.0.0", "198.18.0.1", "198.19.255.255", "240.0.0.1", "255.255.255.255", "224.0.0.1", "192.0.0.8",
		"::1", "::", "::7f00:1", "::ffff:10.0.0.1", "::ffff:127.0.0.1", "fe80::1", "fe80::1%eth0", "fec0::1", "feff::1",
		"fd00::1", "2002:7f00:1::", "2002:a00:1::1", "64:ff9b::a00:1", "64:ff9b:1::1", "2001::1", "2001:db8::1",
		"ff02::1", "100::1"} {
		if !private(netip.MustParseAddr(a)) {
			t.Errorf("%s counts as public", a)
		}
	}
	for _, a := range []string{"1.1.1.1", "9.9.9.9", "100.128.0.1", "172.32.0.1", "198.20.0.1", "193.0.0.1",
		"223.255.255.255", "2606:4700::1111", "2a00:1450::1", "2001:4860::8888", "::ffff:1.1.1.1"} {
		if private(netip.MustParseAddr(a)) {
			t.Errorf("%s counts as private", a)
		}
	}
	if !private(netip.Addr{}) {
		t.Error("no address at all counts as public")
	}
}
