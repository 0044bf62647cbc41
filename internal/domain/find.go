package domain

import (
	"encoding/json"
	"net/netip"
	"strconv"
	"strings"
	"time"
)

// SweepState is where a sweep stands.
type SweepState string

// The states of a sweep.
const (
	SweepReady   SweepState = "ready"
	SweepRunning SweepState = "running"
	SweepDone    SweepState = "done"
	SweepStopped SweepState = "stopped"
	SweepFailed  SweepState = "failed"
)

// Sweep is a defined search through addresses.
type Sweep struct {
	ID ID `json:"id"`
	// PlaceID is the part of the tree that its finds are for; zero for the whole tree.
	PlaceID       ID     `json:"place_id"`
	Name          string `json:"name"`
	Ranges        string `json:"ranges"`
	Exclude       string `json:"exclude"`
	Port          int    `json:"port"`
	Pace          int    `json:"pace"` // requests a second
	CredentialIDs []ID   `json:"credential_ids"`
	// Ports are TCP ports that are looked at, too, as people write them, and Echo is true where
	// it is asked by ICMP echo.
	Ports string `json:"ports"`
	Echo  bool   `json:"echo"`
	// Every is after how long it begins again by itself; zero for never.
	Every     time.Duration `json:"every"`
	State     SweepState    `json:"state"`
	Total     int64         `json:"total"`
	Tried     int64         `json:"tried"`
	Found     int64         `json:"found"`
	Error     string        `json:"error"`
	CreatedAt time.Time     `json:"created_at"`
	StartedAt time.Time     `json:"started_at"`
	EndedAt   time.Time     `json:"ended_at"`
	// Reached is the last address of which, and of all before it, it is known whether it
	// answers; invalid for none yet.
	Reached netip.Addr `json:"-"`
}

// SweepAnswer is what a device said of itself to a sweep.
type SweepAnswer struct {
	Address      netip.Addr
	CredentialID ID
	Said         json.RawMessage
}

// Verdict says what became of a find.
type Verdict string

// The verdicts.
const (
	FindNew     Verdict = "new"
	FindKnown   Verdict = "known" // watched already when it was found
	FindMoved   Verdict = "moved" // watched already, but asked otherwise than it answered
	FindAdopted Verdict = "adopted"
	FindIgnored Verdict = "ignored"
)

// Find is what one sweep found at one device.
type Find struct {
	ID          ID       `json:"id"`
	SweepID     ID       `json:"sweep_id"`
	Identity    string   `json:"identity"` // the same for all addresses of one device
	Address     string   `json:"address"`
	Others      []string `json:"other_addresses"`
	Name        string   `json:"name"`
	Vendor      string   `json:"vendor"`
	Model       string   `json:"model"`
	Kind        string   `json:"kind"`
	Description string   `json:"description"`
	ObjectID    string   `json:"object_id"`
	Location    string   `json:"location"`
	// Parts counts what it has inside, by their purpose.
	Parts map[string]int `json:"parts"`
	Facts []string       `json:"facts"`
	// Way is how it was found, with which credential.
	Way          string  `json:"way"`
	CredentialID ID      `json:"credential_id"`
	Verdict      Verdict `json:"verdict"`
	DeviceID     ID      `json:"device_id"`
	// Proposal is what of a known device would change, in words.
	Proposal string `json:"proposal"`
	// Doubt is why it may not be what it seems; empty where nothing speaks against it.
	Doubt string `json:"doubt"`
	// Neighbours are what stands next to it.
	Neighbours []FindNeighbour `json:"neighbours"`
	// Why explains that its addresses are one device, as a trace; empty where nothing is kept.
	Why     json.RawMessage `json:"-"`
	FoundAt time.Time       `json:"found_at"`
}

// FindNeighbour is what stands at a port of a find.
type FindNeighbour struct {
	Port       string `json:"port"`
	Name       string `json:"name"` // what it calls itself
	RemotePort string `json:"remote_port"`
	Identity   string `json:"identity"` // of the find of the same sweep that it is; empty for none
	Why        string `json:"why"`
}

// Neighbour is what stands at a port of a device, as the newest sweep that found it says.
type Neighbour struct {
	Port       string
	Name       string
	RemotePort string
	Why        string
	DeviceID   ID // that is watched; 0 for none
	Device     string
}

// AdoptionRule says which finds of a sweep are adopted without asking, and where.
type AdoptionRule struct {
	When    string   `json:"when"` // a condition in CEL
	PlaceID ID       `json:"place_id"`
	Tags    []string `json:"tags,omitempty"`
}

// Sighting is an address that answered a sweep, though not as a device that can
// be asked, with what it said in words.
type Sighting struct {
	Address string `json:"address"`
	Said    string `json:"said"`
}

// Credential is what devices are asked with, under a name. Its secrets never
// leave the store but for the collector.
type Credential struct {
	ID ID `json:"id"`
	// PlaceID is the part of the tree that may use it; zero for the whole tree.
	PlaceID  ID                `json:"place_id"`
	Name     string            `json:"name"`
	Kind     string            `json:"kind"` // one of those that ways describe
	Settings map[string]string `json:"settings"`
	// Ranges are the addresses that it may be sent to.
	Ranges string `json:"ranges"`
	// Secrets are the names of those that are stored; they themselves are never shown again.
	Secrets []string `json:"secrets"`
	// SealedAt is when its secrets were typed; zero for not known.
	SealedAt time.Time `json:"sealed_at,omitzero"`
	Version  int       `json:"version"`
}

// credentialRef begins a value that stands for a stored credential.
const credentialRef = "credential:"

// CredentialRef is how a credential stands in the place of a value: the secret itself is never among values.
func CredentialRef(id ID) string { return credentialRef + strconv.FormatInt(id, 10) }

// ReadCredentialRef reads which credential stands in the place of a value; ok is false for any other value.
func ReadCredentialRef(value string) (id ID, ok bool) {
	digits, ok := strings.CutPrefix(value, credentialRef)
	if !ok {
		return 0, false
	}
	id, err := strconv.ParseInt(digits, 10, 64)
	return id, err == nil && id > 0
}

// Told is a value as it may be told to people.
func Told(value string) string {
	if _, secret := ReadCredentialRef(value); secret {
		return "a stored secret"
	}
	return value
}

// CredentialUse is by what a credential is used.
type CredentialUse struct {
	Devices int // endpoints that have it as their own
	Places  int // places and devices at which it is set
	Sweeps  int
}
