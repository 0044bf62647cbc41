package watch

import (
	"context"
	"slices"
	"time"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Value is a series with its newest value.
type Value struct {
	Series  domain.Series
	Reading kit.Reading
	Part    string
	Latest  *store.Latest // nil while it waits for its first value
	Health  domain.Health
	// Stood is the value of a state or text with its begin; nil for numbers.
	Stood *domain.Run
}

// PartValues is a part with its newest values by reading.
type PartValues struct {
	Part   domain.Part
	Health domain.Health
	Values map[string]Value
}

// Kind is the parts of one kind, as a table.
type Kind struct {
	Parts    kit.Parts
	Kit      string
	Readings []kit.Reading
	Rows     []PartValues
}

// Subject is all that a device's page shows.
type Subject struct {
	Device    domain.Device
	Path      []domain.Place // from the root to its place
	Ribbon    []domain.Health
	Addresses []string
	Values    []Value // of the device itself
	Kinds     []Kind
	Kits      []*kit.Kit
	// Parameters are the values set on this device, by kit and name.
	Parameters map[string]map[string]string
	Series     int
	Failing    int
	Open       []domain.Incident
	Changes    []domain.Transition
	Via        *domain.Device
	Behind     []domain.Device // reached through it
}

// Device gathers a device's page.
func (s *Service) Device(ctx context.Context, id domain.ID, now time.Time) (Subject, error) {
	d, err := s.store.Devices.One(ctx, id)
	if err != nil {
		return Subject{}, err
	}
	out := Subject{Device: d}
	places, err := s.store.Places.All(ctx)
	if err != nil {
		return out, err
	}
	out.Path = path(places, d.PlaceID)
	changes, err := s.store.Transitions.Ribbons(ctx, []domain.ID{id}, now.Add(-RibbonSpan))
	if err != nil {
		return out, err
	}
	out.Ribbon = strips([]domain.Device{d}, changes, now)[0].Ribbon
	if out.Addresses, err = s.store.Devices.Addresses(ctx, id); err != nil {
		return out, err
	}
	if out.Changes, err = s.store.Transitions.Find(ctx, store.TransitionFilter{DeviceID: id, Limit: 8}); err != nil {
		return out, err
	}
	if out.Open, _, err = s.store.Incidents.Find(ctx, store.IncidentFilter{DeviceID: id, States: []domain.IncidentState{domain.IncidentOpen, domain.IncidentAcknowledged}, Limit: 10}); err != nil {
		return out, err
	}
	if err := s.values(ctx, &out); err != nil {
		return out, err
	}
	return out, s.neighbours(ctx, &out, places)
}

func path(places []domain.Place, id domain.ID) []domain.Place {
	var out []domain.Place
	for i := slices.IndexFunc(places, func(p domain.Place) bool { return p.ID == id }); i >= 0; {
		out = append([]domain.Place{places[i]}, out...)
		parent := places[i].ParentID
		i = slices.IndexFunc(places, func(p domain.Place) bool { return p.ID == parent })
	}
	return out
}

func idsOf(series []domain.Series) []domain.ID {
	ids := make([]domain.ID, len(series))
	for i, x := range series {
		ids[i] = x.ID
	}
	return ids
}

// values arranges the newest values by reading and part.
func (s *Service) values(ctx context.Context, out *Subject) error {
	id := out.Device.ID
	fittings, err := s.store.Fittings.Of(ctx, id)
	if err != nil {
		return err
	}
	series, err := s.store.Series.Of(ctx, id)
	if err != nil {
		return err
	}
	parts, err := s.store.Parts.Of(ctx, id)
	if err != nil {
		return err
	}
	latest := s.store.Values.LatestIn(idsOf(series))
	levels, err := s.store.Rules.Levels(ctx, id)
	if err != nil {
		return err
	}
	standing, err := s.store.Values.Standing(ctx, series)
	if err != nil {
		return err
	}
	out.Series, out.Parameters = len(series), map[string]map[string]string{}
	by := map[domain.ID]map[string]Value{}
	for _, x := range series {
		v := Value{Series: x, Health: domain.HealthOf(levels[x.ID])}
		if l, ok := latest[x.ID]; ok {
			v.Latest = &l
		}
		if r, ok := standing[x.ID]; ok {
			v.Stood = &r
		}
		if x.State == domain.SeriesFailing {
			out.Failing++
		}
		if by[x.PartID] == nil {
			by[x.PartID] = map[string]Value{}
		}
		by[x.PartID][x.Kit+"/"+x.Reading] = v
	}
	for _, f := range fittings {
		if k, err := s.kits.Kit(f.Kit); err == nil {
			out.Kits = append(out.Kits, k)
			out.Parameters[k.Name] = f.Parameters
			out.arrange(k, parts, by)
		}
	}
	return nil
}

func (out *Subject) arrange(k *kit.Kit, parts []domain.Part, by map[domain.ID]map[string]Value) {
	for _, r := range k.Readings {
		if v, ok := by[0][k.Name+"/"+r.Key]; ok && r.Of == "" {
			v.Reading = r
			out.Values = append(out.Values, v)
		}
	}
	for _, def := range k.Parts {
		kind := Kind{Parts: def, Kit: k.Name}
		for _, r := range k.Readings {
			if r.Of == def.Kind {
				kind.Readings = append(kind.Readings, r)
			}
		}
		for _, p := range parts {
			if p.Kit != k.Name || p.Kind != def.Kind || !p.GoneAt.IsZero() {
				continue
			}
			row := PartValues{Part: p, Health: domain.Fine, Values: map[string]Value{}}
			for _, r := range kind.Readings {
				v := by[p.ID][k.Name+"/"+r.Key]
				v.Reading, v.Part = r, p.Name
				row.Values[r.Key] = v
				if v.Health != "" {
					row.Health = domain.Worse(row.Health, v.Health)
				}
			}
			kind.Rows = append(kind.Rows, row)
		}
		out.Kinds = append(out.Kinds, kind)
	}
}

// neighbours finds what the device is reached through, and what is behind it.
func (s *Service) neighbours(ctx context.Context, out *Subject, places []domain.Place) error {
	devices, err := s.store.Devices.All(ctx)
	if err != nil {
		return err
	}
	gateway := map[domain.ID]domain.ID{}
	for _, p := range places {
		gateway[p.ID] = p.GatewayID
	}
	via := func(d domain.Device) domain.ID {
		if d.ViaID != 0 {
			return d.ViaID
		}
		if gateway[d.PlaceID] != d.ID {
			return gateway[d.PlaceID]
		}
		return 0
	}
	next := map[domain.ID]domain.ID{}
	for _, d := range devices {
		next[d.ID] = via(d)
	}
	for _, d := range devices {
		if d.ID == next[out.Device.ID] {
			out.Via = &d
		}
		seen := 0
		for at := next[d.ID]; at != 0 && seen < 32; at = next[at] {
			if seen++; at == out.Device.ID {
				out.Behind = append(out.Behind, d)
				break
			}
		}
	}
	return nil
}
