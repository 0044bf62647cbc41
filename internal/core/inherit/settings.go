package inherit

import (
	"strconv"
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
		_, err := cadence.ReadHours(value)
		return err == nil
	})
	hours, _ := cadence.ReadHours(r.Value) // it was read before
	return hours, r
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
