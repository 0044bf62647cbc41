package engine

import (
	"tirelessowl/internal/domain"
)

// Gateways finds the device that others are reached through.
type Gateways struct{ places map[domain.ID]domain.Place }

// NewGateways takes the present tree.
func NewGateways(places []domain.Place) Gateways {
	g := Gateways{map[domain.ID]domain.Place{}}
	for _, p := range places {
		g.places[p.ID] = p
	}
	return g
}

// Of returns the device's own setting, else that of the nearest place above
// it that has one; a gateway is not reached through itself but through the
// gateway of the place further up.
func (g Gateways) Of(d domain.Device) domain.ID {
	if d.ViaID != 0 {
		return d.ViaID
	}
	for p, ok := g.places[d.PlaceID]; ok; p, ok = g.places[p.ParentID] {
		if p.GatewayID != 0 && p.GatewayID != d.ID {
			return p.GatewayID
		}
	}
	return 0
}
