package demo

import (
	"context"

	"tirelessowl/internal/domain"
)

// What people say of the demo world: at places, at devices, and friendly names.
var (
	saidOfPlaces = []domain.Attribute{
		{Name: "contact", Value: "shore-desk@kittiwake.example"},
		{Name: "passengers", Tag: true},
	}
	saidOfDevices = map[string][]domain.Attribute{
		"booking-db-1": {{Name: "database", Value: "postgresql"}, {Name: "role", Value: "active"}},
		"booking-db-2": {{Name: "database", Value: "postgresql"}, {Name: "role", Value: "standby"}},
	}
	friendly = map[string]string{
		"booking-db-1": "Bookings, main database",
		"booking-db-2": "Bookings, standby database",
		"gr-edge-1":    "Router on the rock",
		"np-sw-1":      "Switch under the ticket hall",
	}
)

// attributes sets what people say: the contact at the organisation, and that passengers
// come there at the terminals.
func (w *World) attributes(ctx context.Context) error {
	places, err := w.Store.Places.All(ctx)
	if err != nil {
		return err
	}
	var all []domain.Attribute
	for _, p := range places {
		for _, a := range saidOfPlaces {
			terminal := p.Name == "North Pier" || p.Name == "Sandhaven" || p.Name == "Gull Rock"
			if a.Tag == terminal && (terminal || p.ParentID == 0) {
				a.PlaceID = p.ID
				all = append(all, a)
			}
		}
	}
	devices, err := w.Store.Devices.All(ctx)
	if err != nil {
		return err
	}
	for _, d := range devices {
		for _, a := range saidOfDevices[d.Name] {
			a.DeviceID = d.ID
			all = append(all, a)
		}
		if called := friendly[d.Name]; called != "" {
			d.Friendly = called
			if err := w.Store.Devices.Update(ctx, d); err != nil {
				return err
			}
		}
	}
	return w.Store.Attributes.Set(ctx, all)
}
