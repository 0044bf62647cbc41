package inherit

import (
	"strconv"
	"strings"
	"time"

	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/core/retention"
	"tirelessowl/internal/domain"
)

// Gateway returns the device that another is reached through, zero for none.
// A gateway is not reached through itself but through the gateway of a place
// further up.
func (t Tree) Gateway(d domain.Device) (domain.ID, Resolved) {
	r := t.Resolve(d.PlaceID, d.ID, domain.SettingGateway, func(value string) bool { return value != strconv.FormatInt(d.ID, 10) })
	id, _ := strconv.ParseInt(r.Value, 10, 64)
	return id, r
}

// Stretch returns by how much the intervals at which a device is asked are stretched, 1
// where nobody says anything.
func (t Tree) Stretch(d domain.Device) (float64, Resolved) {
	r := t.Resolve(d.PlaceID, d.ID, domain.SettingStretch, func(value string) bool {
		_, err := cadence.ReadStretch(value)
		return err == nil
	})
	if !r.Set {
		return 1, r
	}
	stretch, _ := cadence.ReadStretch(r.Value)
	return stretch, r
}

// Hours returns when a device is collected from.
func (t Tree) Hours(d domain.Device) (cadence.Hours, Resolved) {
	r := t.Resolve(d.PlaceID, d.ID, domain.SettingHours, func(value string) bool {
		_, err := t.ReadHours(value)
		return err == nil
	})
	hours, _ := t.ReadHours(r.Value) // it was read before
	return hours, r
}

// WithCalendars is the tree with the hours of calendars, which are set by their names.
func (t Tree) WithCalendars(calendars []domain.Calendar) Tree {
	t.hours = make(map[string]string, len(calendars))
	for _, c := range calendars {
		t.hours[c.Name] = c.Hours
	}
	return t
}

// ReadHours reads hours, or those of a calendar of that name.
func (t Tree) ReadHours(value string) (cadence.Hours, error) {
	if typed, ok := t.hours[value]; ok {
		value = typed
	}
	return cadence.ReadHours(value)
}

// Named is the hours of a calendar by its name, however it is written; ok is false where there is none.
func (t Tree) Named(typed string) (name, hours string, ok bool) {
	for name, hours := range t.hours {
		if strings.EqualFold(name, typed) {
			return name, hours, true
		}
	}
	return "", "", false
}

// KeepRows returns for how long rows are kept of which a device no longer tells.
func (t Tree) KeepRows(d domain.Device) (time.Duration, Resolved) {
	r := t.Resolve(d.PlaceID, d.ID, domain.SettingKeepRows, func(value string) bool {
		_, err := retention.ReadDays(value)
		return err == nil
	})
	days, err := retention.ReadDays(r.Value)
	if err != nil {
		days = retention.RowDays
	}
	return time.Duration(days) * 24 * time.Hour, r
}

// Credential returns the credential with which a device is asked by a way: own, that of
// its endpoint, else what holds for its place; zero for none.
func (t Tree) Credential(d domain.Device, way string, own domain.ID) (domain.ID, Resolved) {
	key := domain.SettingCredential(way)
	if own != 0 {
		t = t.with(Device(d.ID), key, strconv.FormatInt(own, 10))
	}
	r := t.Resolve(d.PlaceID, d.ID, key, nil)
	id, _ := strconv.ParseInt(r.Value, 10, 64)
	return id, r
}

// with is the tree with one more value at a thing that has none of its own; it shares all
// others.
func (t Tree) with(thing Thing, key Key, value string) Tree {
	t.extra = extra{thing, key, value}
	return t
}
