package domain

import (
	"time"

	"tirelessowl/internal/core/why"
)

// Transition is one change of health of a device, or of a rule on a series.
type Transition struct {
	ID       ID        `json:"id"`
	DeviceID ID        `json:"device_id"`
	SeriesID ID        `json:"series_id"` // zero for the device as a whole
	RuleID   ID        `json:"rule_id"`   // zero for the device as a whole
	From     Health    `json:"from"`
	To       Health    `json:"to"`
	At       time.Time `json:"at"`
	Reason   string    `json:"reason"`
	Held     bool      `json:"held"` // true when no alert followed, by dependency
	// BehindID is the device that it is out of reach behind since then, zero for none.
	BehindID ID        `json:"behind_id,omitempty"`
	Why      why.Trace `json:"why"`
}

// Alert is one rule in trouble on one series, from start to end.
type Alert struct {
	ID         ID        `json:"id"`
	RuleID     ID        `json:"rule_id"`
	SeriesID   ID        `json:"series_id"`
	DeviceID   ID        `json:"device_id"`
	IncidentID ID        `json:"incident_id"`
	Level      Level     `json:"level"`
	Cause      string    `json:"cause"`
	Title      string    `json:"title"`
	FirstBadAt time.Time `json:"first_bad_at"`
	OpenedAt   time.Time `json:"opened_at"`
	EndedAt    time.Time `json:"ended_at"` // zero while it lasts
	Value      float64   `json:"value"`
	Limit      float64   `json:"limit"`
	Unit       string    `json:"unit"`
	Why        why.Trace `json:"why"`
}

// IncidentState is where an incident stands.
type IncidentState string

// The states of an incident.
const (
	IncidentOpen         IncidentState = "open"
	IncidentAcknowledged IncidentState = "acknowledged"
	IncidentResolved     IncidentState = "resolved"
)

// Incident is the alerts that belong to one cause.
type Incident struct {
	ID             ID            `json:"id"`
	DeviceID       ID            `json:"device_id"`
	Cause          string        `json:"cause"`
	Title          string        `json:"title"`
	Level          Level         `json:"level"` // now, while an alert lasts; afterwards, its worst
	Worst          Level         `json:"worst"` // of the present episode
	State          IncidentState `json:"state"`
	OpenedAt       time.Time     `json:"opened_at"`
	EpisodeAt      time.Time     `json:"episode_at"` // begin of the present episode: opened, or reopened
	AcknowledgedAt time.Time     `json:"acknowledged_at"`
	AcknowledgedBy string        `json:"acknowledged_by"`
	FellAt         time.Time     `json:"fell_at"`      // when its level last fell within the episode, zero for never
	FellTo         Level         `json:"fell_to"`      // the level that it fell to
	RecoveredAt    time.Time     `json:"recovered_at"` // zero while an alert lasts
	ResolvedAt     time.Time     `json:"resolved_at"`
	ResolvedBy     string        `json:"resolved_by"`
	Reopened       int           `json:"reopened"`
	// Tags are those that its device, its parts, readings and rules had when its alerts began.
	Tags []string  `json:"tags"`
	Why  why.Trace `json:"why"`
}

// Event is one entry of an incident's story.
type Event struct {
	ID         ID        `json:"id"`
	IncidentID ID        `json:"incident_id"`
	At         time.Time `json:"at"`
	Kind       EventKind `json:"kind"`
	Level      Level     `json:"level"`
	Text       string    `json:"text"`
	Detail     string    `json:"detail"`
	By         string    `json:"by"`
	AlertID    ID        `json:"alert_id"`
	DeliveryID ID        `json:"delivery_id"`
	Why        why.Trace `json:"why"`
}

// EventKind says what an entry of the story is about.
type EventKind string

// The kinds of entries.
const (
	EventFirstBad     EventKind = "first bad value"
	EventAlert        EventKind = "alert"
	EventRaised       EventKind = "raised"
	EventEased        EventKind = "eased"
	EventRecovered    EventKind = "recovered"
	EventReopened     EventKind = "reopened"
	EventAcknowledged EventKind = "acknowledged"
	EventComment      EventKind = "comment"
	EventResolved     EventKind = "resolved"
	EventPlan         EventKind = "plan"
	EventTicket       EventKind = "ticket"
)

// Trouble tells whether an event tells of trouble that is new or worse.
func (k EventKind) Trouble() bool {
	return k == EventAlert || k == EventRaised || k == EventReopened
}

// DeliveryState is where a delivery stands.
type DeliveryState string

// The states of a delivery.
const (
	DeliveryWaiting DeliveryState = "waiting"
	DeliverySent    DeliveryState = "sent"
	DeliveryFailed  DeliveryState = "failed" // for good
)

// DeliveryKind says what is delivered.
type DeliveryKind string

// The kinds of delivery.
const (
	DeliverMessage DeliveryKind = "message" // to a recipient
	DeliverTicket  DeliveryKind = "ticket"  // opens the incident's ticket
	DeliverNote    DeliveryKind = "note"    // goes onto the ticket
)

// Delivery is one message on its way, with its outcome.
type Delivery struct {
	ID         ID            `json:"id"`
	IncidentID ID            `json:"incident_id"`
	Plan       string        `json:"plan"`
	Step       string        `json:"step"`
	Event      EventKind     `json:"event"`
	Level      Level         `json:"level"`
	Kind       DeliveryKind  `json:"kind"`
	ChannelID  ID            `json:"channel_id"`
	Recipient  string        `json:"recipient"`
	Subject    string        `json:"subject"`
	Body       string        `json:"body"`
	State      DeliveryState `json:"state"`
	Attempts   int           `json:"attempts"`
	Error      string        `json:"error"`
	Outcome    string        `json:"outcome"`
	CreatedAt  time.Time     `json:"created_at"`
	NextTryAt  time.Time     `json:"next_try_at"`
	DoneAt     time.Time     `json:"done_at"`
	Why        why.Trace     `json:"why"`
}

// Ticket is an incident's record at the desk.
type Ticket struct {
	ID         ID        `json:"id"`
	IncidentID ID        `json:"incident_id"`
	ChannelID  ID        `json:"channel_id"`
	Number     string    `json:"number"`
	URL        string    `json:"url"`
	State      string    `json:"state"`
	CreatedAt  time.Time `json:"created_at"`
}

// Channel is a way to tell someone. Its secrets are kept in the vault.
type Channel struct {
	ID       ID                `json:"id"`
	Name     string            `json:"name"`
	Kind     string            `json:"kind"` // one of those that are described
	Settings map[string]string `json:"settings"`
	Secrets  []string          `json:"secrets"` // names of those that are stored
	// SealedAt is when a secret was typed last; zero for not known.
	SealedAt time.Time `json:"sealed_at,omitzero"`
	// Version counts the changes that people made.
	Version int `json:"version"`
}
