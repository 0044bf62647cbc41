package domain

import (
	"net/netip"
	"time"
)

// ID identifies a stored thing. Zero means not stored yet.
type ID = int64

// PlaceKind says what a node of the tree stands for.
type PlaceKind string

// The kinds of place.
const (
	Organisation PlaceKind = "organisation"
	Site         PlaceKind = "site"
	Group        PlaceKind = "group"
)

// Place is a node of the tree that devices belong to.
type Place struct {
	ID       ID        `json:"id"`
	ParentID ID        `json:"parent_id"` // zero for a root
	Name     string    `json:"name"`
	Kind     PlaceKind `json:"kind"`
	Version  int       `json:"version"`
}

// SettingKey names something that can be set at places and devices, and holds
// for all below.
type SettingKey string

// The settings on the tree.
const (
	// SettingGateway is the id of the device that things are reached through.
	SettingGateway SettingKey = "gateway"
	// SettingLeaveAlone is addresses that no sweep asks.
	SettingLeaveAlone SettingKey = "leave_alone"
	// SettingTalkTo is the addresses that may be talked to.
	SettingTalkTo SettingKey = "talk_to"
	// SettingStretch is by how much the intervals of kits are stretched.
	SettingStretch SettingKey = "stretch"
	// SettingKeepRows is for how many days rows are kept of which devices no longer tell.
	SettingKeepRows SettingKey = "keep_rows"
	// SettingHours is when devices are collected from, by the clock.
	SettingHours SettingKey = "hours"
)

// SettingCredential is the id of the credential with which devices are asked by a way.
func SettingCredential(way string) SettingKey { return SettingKey("credential_" + way) }

// Override is a value set at a place or a device in the place of an inherited one.
type Override struct {
	PlaceID  ID         `json:"place_id,omitempty"` // one of the two is set
	DeviceID ID         `json:"device_id,omitempty"`
	Key      SettingKey `json:"key"`
	Value    string     `json:"value"`
}

// Device is anything with an address that we watch.
type Device struct {
	ID      ID     `json:"id"`
	PlaceID ID     `json:"place_id"`
	Name    string `json:"name"` // the technical one, unique in its organisation
	// Friendly is what people call it; empty where that is the technical name.
	Friendly    string     `json:"friendly"`
	Address     netip.Addr `json:"address"`
	Kind        string     `json:"kind"`
	Vendor      string     `json:"vendor"`
	Model       string     `json:"model"`
	Description string     `json:"description"`
	ObjectID    string     `json:"object_id"`
	Paused      bool       `json:"paused"`
	// Resting says why it is paused though nobody paused it; it is not stored.
	Resting     string    `json:"-"`
	Health      Health    `json:"health"`
	HealthSince time.Time `json:"health_since"`
	HealthNote  string    `json:"health_note"`
	// BehindID is the device that it is out of reach behind, zero for none.
	BehindID ID `json:"behind_id,omitempty"`
	// BootedAt is when the machine started, AgentSince when what answers for it
	// did; zero when not learnt yet.
	BootedAt   time.Time `json:"booted_at"`
	AgentSince time.Time `json:"agent_since"`
	CreatedAt  time.Time `json:"created_at"`
	// Version counts the changes that people made.
	Version int `json:"version"`
}

// Endpoint is how a device is talked to by one way to collect.
type Endpoint struct {
	ID       ID     `json:"id"`
	DeviceID ID     `json:"device_id"`
	Way      string `json:"way"`
	// Address is where, when that is not the device's own address.
	Address      netip.Addr        `json:"address"`
	CredentialID ID                `json:"credential_id,omitempty"`
	Settings     map[string]string `json:"settings"`
}

// Part is something inside a device that comes in rows.
type Part struct {
	ID       ID     `json:"id"`
	DeviceID ID     `json:"device_id"`
	Kit      string `json:"kit"`
	Kind     string `json:"kind"`  // interface, volume, …
	Key      string `json:"key"`   // unique among the parts of the kind, and stays
	Index    string `json:"index"` // row index in the device's table
	// Called is what the device calls the row, which others may be called, too;
	// Name tells them apart.
	Called string `json:"called"`
	Name   string `json:"name"`
	// Marks are what only this thing has, such as a hardware address; empty
	// where nothing is known.
	Marks string `json:"marks"`
	// Reason says why the row is taken for this part.
	Reason string `json:"reason"`
	Note   string `json:"note"`
	// Told are the attributes and tags that the device tells of it, one a line: name=value, #tag.
	Told   string    `json:"told,omitempty"`
	Speed  float64   `json:"speed"` // bit/s, zero when not known
	GoneAt time.Time `json:"gone_at"`
}

// SeriesState says how collecting of a series goes.
type SeriesState string

// The states of a series.
const (
	SeriesWaiting SeriesState = "waiting" // for its first value
	SeriesOK      SeriesState = "ok"
	SeriesFailing SeriesState = "failing"
	SeriesAbsent  SeriesState = "absent" // the device does not have it, and need not
)

// SeriesKind says what the values of a series are.
type SeriesKind string

// The kinds of series.
const (
	KindNumber SeriesKind = "number"
	KindState  SeriesKind = "state" // numbers that stand for words
	KindText   SeriesKind = "text"
)

// Stands tells whether values are such that last for a while: what is asked
// then is since when.
func (k SeriesKind) Stands() bool { return k == KindState || k == KindText }

// Series is the stored values of one reading on one device or part.
type Series struct {
	ID       ID            `json:"id"`
	DeviceID ID            `json:"device_id"`
	PartID   ID            `json:"part_id"` // zero when the device itself is meant
	Kit      string        `json:"kit"`
	Reading  string        `json:"reading"`
	Name     string        `json:"name"`
	Unit     string        `json:"unit"`
	Kind     SeriesKind    `json:"kind"`
	Interval time.Duration `json:"-"`
	State    SeriesState   `json:"state"`
	Error    string        `json:"error"`
}

// IDsOf returns the ids of series, in their order.
func IDsOf(series []Series) []ID {
	ids := make([]ID, len(series))
	for i, x := range series {
		ids[i] = x.ID
	}
	return ids
}

// SourceState says how asking a device for something goes.
type SourceState string

// The states of a source; one that was not asked yet has none.
const (
	SourceOK      SourceState = "ok"
	SourceFailing SourceState = "failing"
	SourceAbsent  SourceState = "absent" // the device does not have it, and need not
)

// Source is how asking a device for one thing goes.
type Source struct {
	DeviceID ID          `json:"device_id"`
	Kit      string      `json:"kit"`
	Source   string      `json:"source"`
	State    SourceState `json:"state"`
	Error    string      `json:"error"`
	Failure  string      `json:"failure"` // its kind, such as silent or refused
	// Faulty is true when it has failed often enough, by itself, that what hangs
	// on it is not known any more.
	Faulty bool      `json:"faulty"`
	Since  time.Time `json:"since"`
}

// Sample is one value at one time.
type Sample struct {
	At    time.Time `json:"at"`
	Value float64   `json:"value"`
}

// SeriesSample is a sample together with the series that it belongs to.
type SeriesSample struct {
	SeriesID ID
	Sample
}

// ImplausibleValue is a value that a device gave and that cannot be, with why.
type ImplausibleValue struct {
	SeriesSample
	Reason string
}

// Implausible are the values of a series that cannot be. They are kept apart:
// no chart, sum or judgement knows of them.
type Implausible struct {
	SeriesID ID        `json:"series_id"`
	Count    int64     `json:"count"`
	FirstAt  time.Time `json:"first_at"`
	LastAt   time.Time `json:"last_at"`
	Reason   string    `json:"reason"`
	Newest   []Sample  `json:"newest"` // the newest first, at most ten
}

// SeriesText is a text that was seen at a time, with its series.
type SeriesText struct {
	SeriesID ID
	At       time.Time
	Text     string
}

// Run is a time in which a series had one value.
type Run struct {
	From  time.Time `json:"from"`  // of the first sample
	Until time.Time `json:"until"` // of the last sample
	Count int       `json:"count"` // samples
	Value float64   `json:"value"`
	Text  string    `json:"text"` // of a text series, or the word for a state
}

// Rollup summarises the samples within one span of time.
type Rollup struct {
	At    time.Time `json:"at"` // start of the span
	Count int       `json:"count"`
	Min   float64   `json:"min"`
	Avg   float64   `json:"avg"`
	Max   float64   `json:"max"`
}

// Fitting is a kit on a device.
type Fitting struct {
	ID         ID                `json:"id"`
	DeviceID   ID                `json:"device_id"`
	Kit        string            `json:"kit"`
	Parameters map[string]string `json:"parameters"`
}

// KitVersion is one version of a kit.
type KitVersion struct {
	Kit string `json:"kit"`
	// Revision counts what was stored here, Version is what its author says.
	Revision  int       `json:"revision"`
	Version   int       `json:"version"`
	Document  string    `json:"document,omitempty"`
	Shipped   bool      `json:"shipped"`
	CreatedAt time.Time `json:"created_at"`
}

// RemovedDevice is one that is no longer watched, while its history is kept.
type RemovedDevice struct {
	ID        ID        `json:"id"`
	Name      string    `json:"name"`
	Address   string    `json:"address"`
	Kind      string    `json:"kind"`
	Place     string    `json:"place"`
	RemovedAt time.Time `json:"removed_at"`
	Series    int       `json:"series"` // whose history is kept
}

// RemovedFilter picks removed devices; zero fields do not filter.
type RemovedFilter struct {
	Search string // part of name, address or place
	Sort   string // name, address, kind, place, removed, series; with a leading "-" downwards
	Limit  int    // 0 for all
	Offset int
}
