package kit

import (
	"net/netip"

	"tirelessowl/internal/domain"
)

// Request is one fetch from one device, ready to be sent.
type Request struct {
	DeviceID  domain.ID
	Kit       string
	Source    Source
	Address   netip.Addr
	Port      int // of the agent
	Community domain.Secret
	// Method and ProbePort say how a probe asks: "udp" or "tcp".
	Method    string
	ProbePort int
}

// Key names the fetch within its device.
func (r Request) Key() string { return r.Kit + "/" + r.Source.Key }
