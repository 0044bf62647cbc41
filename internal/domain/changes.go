package domain

import (
	"encoding/json"
	"time"
)

// ChangeState is how far a set of changes has come.
type ChangeState string

// The states of sets of changes.
const (
	Gathering ChangeState = "draft"   // nothing of it acts yet
	Applied   ChangeState = "applied" // all of it was put in force in one go
)

// ChangeSet is changes that are validated, previewed and applied together.
type ChangeSet struct {
	ID     ID          `json:"id"`
	Name   string      `json:"name"`
	Reason string      `json:"reason"`
	State  ChangeState `json:"state"`
	// AuthorKind and AuthorID are who gathers it: a person or a token.
	AuthorKind string `json:"author_kind"`
	AuthorID   ID     `json:"author_id"`
	Author     string `json:"author"`
	// Edits are left out in lists, where Count says how many there are.
	Edits []Edit `json:"edits"`
	Count int    `json:"count"`
	// Effect is what was told before it was applied.
	Effect json.RawMessage `json:"effect,omitempty"`
	// RollsBack is the set that this takes back, and RolledBack the one that took this back; zero for none.
	RollsBack  ID        `json:"rolls_back,omitempty"`
	RolledBack ID        `json:"rolled_back,omitempty"`
	CreatedAt  time.Time `json:"created_at"`
	AppliedAt  time.Time `json:"applied_at,omitzero"`
	AppliedBy  string    `json:"applied_by,omitempty"`
	Version    int       `json:"version"`
}

// Edit says what one thing shall be; exactly one of its things is set.
type Edit struct {
	Kit         *KitEdit         `json:"kit,omitempty"`
	FittingRule *FittingRuleEdit `json:"fitting_rule,omitempty"`
	Rule        *RuleEdit        `json:"rule,omitempty"`
	Setting     *SettingEdit     `json:"setting,omitempty"`
	// Back is what the thing was before, and Became what it became; both are known once it is applied.
	Back   *Edit `json:"back,omitempty"`
	Became *Edit `json:"became,omitempty"`
}

// KitEdit is a kit by its file.
type KitEdit struct {
	Kit      string `json:"kit"`
	Document string `json:"document"` // empty takes the kit away
	// Base is the revision that it was made of; 0 for any.
	Base int `json:"base,omitempty"`
}

// FittingRuleEdit is a fitting rule; one without an id is new.
type FittingRuleEdit struct {
	FittingRule
	Remove bool `json:"remove,omitempty"`
}

// RuleEdit is a rule as people set it; one without an id is new.
type RuleEdit struct {
	ID        ID              `json:"id,omitempty"`
	Kit       string          `json:"kit"`
	Reading   string          `json:"reading"`
	DeviceID  ID              `json:"device_id,omitempty"`
	Name      string          `json:"name"`
	Kind      string          `json:"kind"`
	Condition json.RawMessage `json:"condition"`
	Title     string          `json:"title"`
	Runbook   string          `json:"runbook"`
	Enabled   bool            `json:"enabled"`
	Tags      []string        `json:"tags,omitempty"`
	Version   int             `json:"version,omitempty"`
	Remove    bool            `json:"remove,omitempty"`
}

// SettingEdit is a setting of a place, a device or a part.
type SettingEdit struct {
	PlaceID  ID         `json:"place_id,omitempty"`
	DeviceID ID         `json:"device_id,omitempty"`
	PartID   ID         `json:"part_id,omitempty"`
	Key      SettingKey `json:"key"`
	Value    string     `json:"value"` // as it is typed; empty takes it away
	// Mark is that of the setting as it was seen; empty for any.
	Mark string `json:"mark,omitempty"`
}
