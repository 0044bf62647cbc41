package estate

import (
	"slices"

	"tirelessowl/internal/core/dependency"
	"tirelessowl/internal/domain"
)

// SetVia changes what a known device is reached through.
func (e *Estate) SetVia(id, via domain.ID) {
	if d, ok := e.devices[id]; ok && d.ViaID != via {
		d.ViaID, e.waysChanged = via, true
	}
}

// Place returns where a device belongs, zero for one that is not known.
func (e *Estate) Place(id domain.ID) domain.ID {
	if d := e.devices[id]; d != nil {
		return d.PlaceID
	}
	return 0
}

// Via returns what a device is reached through, zero for none.
func (e *Estate) Via(id domain.ID) domain.ID {
	if d, ok := e.devices[id]; ok {
		return d.ViaID
	}
	return 0
}

// Behind returns the devices that are reached through one, at any distance.
func (e *Estate) Behind(id domain.ID) []domain.ID {
	if e.waysChanged {
		e.behind, e.waysChanged = map[domain.ID][]domain.ID{}, false
		for other := range e.devices {
			for _, hop := range e.chain(other) {
				e.behind[hop] = append(e.behind[hop], other)
			}
		}
		for _, list := range e.behind {
			slices.Sort(list)
		}
	}
	return e.behind[id]
}

func (e *Estate) chain(id domain.ID) []domain.ID { return dependency.Chain(id, e.Via) }

func (e *Estate) hops(d *device) []dependency.Hop {
	var hops []dependency.Hop
	for _, id := range e.chain(d.ID) {
		hop, ok := e.devices[id]
		if !ok || hop.Paused {
			continue // nothing is known of it
		}
		h := dependency.Hop{ID: hop.ID, Name: hop.Name}
		if hop.reach != nil && len(hop.reach.window) > 0 {
			h.LastAt = hop.reach.window[len(hop.reach.window)-1].At
			h.Answers = e.answers(hop.reach)
		}
		hops = append(hops, h)
	}
	return hops
}
