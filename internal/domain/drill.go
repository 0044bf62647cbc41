package domain

import (
	"net/netip"
	"time"
)

// SimulatedDevice is a simulated thing as the estate describes it.
type SimulatedDevice struct {
	Name      string       `json:"name"`
	Place     string       `json:"place"`
	Kind      string       `json:"kind"`
	Model     string       `json:"model"`
	Address   netip.Addr   `json:"address"`
	Others    []netip.Addr `json:"other_addresses"`
	Via       string       `json:"via"`
	Interface int          `json:"interfaces"`
	Volumes   []string     `json:"volumes"`
	TCP       bool         `json:"tcp"`
	Watched   bool         `json:"watched"`
	// Facts are what a sweep would learn of it beside the usual.
	Facts []string `json:"facts"`
}

// Fault is something broken on purpose.
type Fault struct {
	ID     int       `json:"id"`
	Kind   string    `json:"kind"`
	Target string    `json:"target"`
	Volume string    `json:"volume,omitempty"`
	Since  time.Time `json:"since"`
}
