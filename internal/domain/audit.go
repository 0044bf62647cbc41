package domain

import (
	"encoding/json"
	"time"
)

// Entry is one thing that was done, or refused, by somebody.
type Entry struct {
	ID        ID        `json:"id"`
	At        time.Time `json:"at"`
	ActorKind string    `json:"actor_kind"` // person, token or application
	ActorID   ID        `json:"actor_id"`
	Actor     string    `json:"actor"`
	Origin    string    `json:"origin"` // the address that it came from
	Act       string    `json:"act"`    // what was done, such as “pause a device”
	Refused   bool      `json:"refused"`
	Kind      string    `json:"kind"` // of the thing
	ThingID   ID        `json:"thing_id"`
	Thing     string    `json:"thing"`    // its name then
	PlaceID   ID        `json:"place_id"` // where it was, zero for what belongs to the whole tree
	// Before and After are the thing as it was and as it became; empty for what
	// was made, removed or refused.
	Before json.RawMessage `json:"before,omitempty"`
	After  json.RawMessage `json:"after,omitempty"`
	Reason string          `json:"reason"`
	// ChangeSet is the set of changes that it was done with; zero for what was done by itself.
	ChangeSet ID `json:"change_set_id,omitempty"`
}

// EntryFilter picks entries; zero fields do not filter.
type EntryFilter struct {
	Search    string
	Kind      string
	ThingID   ID
	ActorKind string
	ActorID   ID
	Act       string
	Refused   bool
	ChangeSet ID
	From      time.Time
	Until     time.Time
	Before    ID // older than this entry
	Limit     int
	Offset    int
	// Page picks in the place of Limit and Offset, by: id.
	Page *Page
}
