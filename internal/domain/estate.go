package domain

import (
	"maps"
	"net/netip"
	"strings"
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

// SettingCollect tells of a part whether it is collected: on or off.
const SettingCollect SettingKey = "collect"

// KitSetting is a setting of one thing of a kit.
type KitSetting struct {
	Sort KitSort
	Kit  string
	Name string // of the source, reading or parameter; empty for the kit itself
	// Tag is what devices must hold for it to hold for them, where it is set at a place for some of its devices.
	Tag string
}

// For is the setting for devices that hold a tag; empty for all.
func (k KitSetting) For(tag string) KitSetting {
	k.Tag = tag
	return k
}

// KitSort says what of a kit is set.
type KitSort string

// What of a kit can be set on the tree.
const (
	KitOn     KitSort = "kit"       // whether it is collected: on or off
	SourceOn  KitSort = "source"    // whether a source is asked: on or off
	ReadingOn KitSort = "reading"   // whether a reading is made: on or off
	Every     KitSort = "every"     // how often a source is asked, as 90s or 5m
	Parameter KitSort = "parameter" // the value of a parameter
)

// Key is the setting's key.
func (k KitSetting) Key() SettingKey {
	out := string(k.Sort) + ":" + k.Kit
	if k.Name != "" {
		out += ":" + k.Name
	}
	if k.Tag != "" {
		out += tagMark + k.Tag
	}
	return SettingKey(out)
}

// tagMark parts a tag from what is set for it; no tag has it in its name.
const tagMark = "#"

// OfKit reads the key of a setting of a kit; ok is false for any other.
func (k SettingKey) OfKit() (s KitSetting, ok bool) {
	key, tag, tagged := strings.Cut(string(k), tagMark)
	if tagged && tag == "" {
		return s, false
	}
	s.Tag = tag
	sort, rest, _ := strings.Cut(key, ":")
	switch s.Sort = KitSort(sort); s.Sort {
	case KitOn, SourceOn, ReadingOn, Every, Parameter:
		s.Kit, s.Name, _ = strings.Cut(rest, ":")
		return s, s.Kit != "" && (s.Name == "") == (s.Sort == KitOn)
	}
	return s, false
}

// On and Off are the values of what is switched.
const (
	On  = "on"
	Off = "off"
)

// Override is a value set at a place, a device or a part in the place of an inherited one.
type Override struct {
	PlaceID  ID         `json:"place_id,omitempty"` // one of the three is set
	DeviceID ID         `json:"device_id,omitempty"`
	PartID   ID         `json:"part_id,omitempty"`
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
	// SeriesOff is one that is not collected: its kit is not fitted any more, or it is switched off.
	SeriesOff SeriesState = "off"
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

// TakingUp is how far changes are that many devices have part in: Ready of so many devices are made ready to be collected
// from anew; each goes on as it was until all of its change are, and then they change over at one moment.
type TakingUp struct {
	Ready int `json:"ready"`
	Of    int `json:"of"`
}

// SourceRun is the last time that a device was asked for something.
type SourceRun struct {
	At   time.Time // when the answer was there; zero for not since the application started
	Took time.Duration
	Rows int
	// Next is when it is asked again, as it is planned; zero where it is not. It may be over while the device is busy.
	Next time.Time
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

// FittedBy says what decided that a kit is on a device.
type FittedBy string

// What decides about kits on devices.
const (
	ByHand FittedBy = "hand" // a person
	ByRule FittedBy = "rule" // a fitting rule
	ByKit  FittedBy = "kit"  // another kit that brings it along
)

// Fitting is a kit on a device.
type Fitting struct {
	ID       ID     `json:"id"`
	DeviceID ID     `json:"device_id"`
	Kit      string `json:"kit"`
	// Parameters are those that are set on the device.
	Parameters map[string]string `json:"parameters"`
	// Presets are those that kits set which bring it along.
	Presets map[string]string `json:"presets,omitempty"`
	By      FittedBy          `json:"by"`
	// Who fitted it or keeps it off, where that was a person; empty where that is not known.
	Who string `json:"who,omitempty"`
	// Since is when that was decided; zero for not known.
	Since  time.Time `json:"since,omitzero"`
	RuleID ID        `json:"rule_id,omitempty"`
	Inside string    `json:"inside,omitempty"` // the kit that brings it along
	// Off is true where a person keeps it off, whatever rules and kits say.
	Off bool `json:"off,omitempty"`
}

// Values are the parameters that are not as the kit says: those set on the device go before presets.
func (f Fitting) Values() map[string]string {
	if len(f.Presets) == 0 {
		return f.Parameters
	}
	out := maps.Clone(f.Presets)
	for name, value := range f.Parameters {
		if value != "" {
			out[name] = value
		}
	}
	return out
}

// FittingRule says which devices get, or do not get, some kits. The first rule that speaks of a kit and
// holds decides.
type FittingRule struct {
	ID ID `json:"id"`
	// Rank is its place in the order in which rules are asked, from 1.
	Rank     int      `json:"rank"`
	Name     string   `json:"name"`
	When     string   `json:"when"` // a condition in CEL
	Fits     []string `json:"fits"`
	KeepsOff []string `json:"keeps_off"`
	Off      bool     `json:"off"` // it is not asked
	Version  int      `json:"version"`
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
	// Author is who brought it, and Reason why; both are empty for what was shipped.
	Author string `json:"author"`
	Reason string `json:"reason"`
	// Withdrawn is true for the end of a kit, which has no document: it can be brought in again.
	Withdrawn bool `json:"withdrawn,omitempty"`
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
