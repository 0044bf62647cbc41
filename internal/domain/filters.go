package domain

import "time"

// ReadingKey names a reading of a kit.
type ReadingKey struct {
	Kit     string `json:"kit"`
	Reading string `json:"reading"`
}

// KeepDays is for how many days the samples of a reading are kept, single and
// in rollups; 0 means the setting for all.
type KeepDays struct {
	Points      int `json:"points"       required:"false"`
	FiveMinutes int `json:"five_minutes" required:"false"`
	Hours       int `json:"hours"        required:"false"`
	Days        int `json:"days"         required:"false"`
}

// Most days that samples may be kept: ten years of points, twenty of rollups.
const (
	MostPointDays  = 3650
	MostRollupDays = 7300
)

// DeviceFilter picks devices; zero fields do not filter.
type DeviceFilter struct {
	// Search is a part of name, address, maker, model, place, note or of an attribute of
	// the device itself.
	Search string
	// Picked picks devices in some places but for some, and some more; nil picks all.
	Picked *PickedDevices
	Health Health
	Kind   string
	Sort   string // health, name, address, kind, place, since; with a leading "-" downwards
	Limit  int
	Offset int
	// Page picks in the place of Sort, Limit and Offset, by: name, since, created, id.
	Page *Page
}

// PickedDevices are devices in places, but for some, and some more by themselves.
type PickedDevices struct{ Places, With, Without []ID }

// ValueFilter picks the newest values; zero fields do not filter.
type ValueFilter struct {
	Search  string // part of device, part or reading
	Kit     string
	Reading string
	// Of picks those of any of these readings.
	Of []ReadingKey
	// State is a state of series, or KeptApart.
	State string
	// PlaceID picks devices of a place and all below it.
	PlaceID ID
	// Group keeps series together by their device, place, reading or kit; empty for none. Then Sort is by names alone.
	Group  string
	Sort   string // device, reading, value, age; with a leading "-" downwards
	Limit  int
	Offset int
	// Page picks in the place of Sort, Limit and Offset, by: id.
	Page *Page
}

// KeptApart picks the series of which values came that cannot be.
const KeptApart = "implausible"

// TransitionFilter picks transitions; zero fields do not filter.
type TransitionFilter struct {
	DeviceID ID
	SeriesID ID
	To       Health
	Search   string // part of a device's name or of the reason
	From     time.Time
	Until    time.Time
	Devices  bool // only those of whole devices
	Limit    int
	Offset   int
	// Page picks in the place of Limit and Offset, by: at, id.
	Page *Page
}

// IncidentFilter picks incidents; zero fields do not filter.
type IncidentFilter struct {
	States   []IncidentState
	AtLeast  Level
	DeviceID ID
	Cause    string
	Search   string
	Tag      string         // one of its tags
	Picked   *PickedDevices // nil for all
	Sort     string         // opened, level, device; with a leading "-" downwards
	Limit    int
	Offset   int
	// Page picks in the place of Sort, Limit and Offset, by: opened, level, id.
	Page *Page
}

// AlertFilter picks alerts; zero fields do not filter.
type AlertFilter struct {
	DeviceID ID
	Open     bool // only those that last
	Limit    int  // of the newest
	// Page picks in the place of Limit, by: opened, id.
	Page *Page
}

// DeliveryFilter picks deliveries; zero fields do not filter.
type DeliveryFilter struct {
	State      DeliveryState
	IncidentID ID
	Limit      int // of the newest
	Offset     int
	// Page picks in the place of Limit and Offset, by: id.
	Page *Page
}

// TicketFilter picks tickets; zero fields do not filter.
type TicketFilter struct {
	Incidents []ID // nil for all
	State     string
	Limit     int // of the newest
	// Page picks in the place of Limit, by: id.
	Page *Page
}
