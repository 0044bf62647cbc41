package app

import (
	"fmt"
	"net"
	"net/netip"
	"strings"

	"tirelessowl/internal/config"
	"tirelessowl/internal/core/guard"
	"tirelessowl/internal/core/ranges"
)

// loopback is where the simulated estate lives.
var loopback = netip.MustParsePrefix("127.0.0.0/8")

// guardOf knows the addresses of this machine, and what the settings allow in spite of all.
func guardOf(c config.Config) (guard.Guard, error) {
	var allowed, own []string
	for _, network := range c.Allow {
		allowed = append(allowed, network.String())
	}
	addresses, err := net.InterfaceAddrs()
	if err != nil {
		return guard.Guard{}, fmt.Errorf("the addresses of this machine: %w", err)
	}
	for _, a := range addresses {
		if p, err := netip.ParsePrefix(a.String()); err == nil {
			own = append(own, p.Addr().WithZone("").String())
		}
	}
	exceptions, err := ranges.Read(strings.Join(allowed, " "))
	if err != nil {
		return guard.Guard{}, err
	}
	mine, err := ranges.Read(strings.Join(own, " "))
	return guard.New(exceptions, mine), err
}
