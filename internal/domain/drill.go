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

// SimulatedService is what a simulated device serves besides its agent.
type SimulatedService struct {
	Name   string `json:"name"`
	Title  string `json:"title"`
	Device string `json:"device"`
	Port   int    `json:"port"`
	// Modes are the ways in which it can fail.
	Modes []SimulatedMode `json:"modes"`
}

// SimulatedMode is a way in which a simulated service can fail, with what is the matter then.
type SimulatedMode struct {
	Name  string `json:"name"`
	Title string `json:"title"`
}

// Fault is something broken on purpose.
type Fault struct {
	ID     int    `json:"id"`
	Kind   string `json:"kind"`
	Target string `json:"target"`
	Volume string `json:"volume,omitempty"`
	// Mode is how a service fails.
	Mode  string    `json:"mode,omitempty"`
	Since time.Time `json:"since"`
}
