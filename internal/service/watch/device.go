package watch

import (
	"context"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/inherit"
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
	// Because says in words why the value is what it is, where the kit has that told.
	Because string
}

// PartValues is a part with its newest values by reading.
type PartValues struct {
	Part   domain.Part
	Health domain.Health
	Values map[string]Value
}

// Kind is a page of the parts of one kind, as a table: those in trouble first.
type Kind struct {
	Parts    kit.Parts
	Kit      string
	Readings []kit.Reading
	Rows     []PartValues
	Total    int64 // parts in all
	Gone     int64 // of which the device no longer tells, beside those
	// Keep is for how long those are kept.
	Keep     time.Duration
	Matching int64 // those that fit the search
}

// PartsPage is how many parts of a kind a page shows.
const PartsPage = 50

// Look says what of a device is looked at.
type Look struct {
	Kind   string // of parts that is searched and paged; empty for none
	Search string
	Page   int
	Part   domain.ID // that is chosen
	Gone   bool      // of that kind, those that are gone
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
	// Count is how its series fare, Sources how asking it goes.
	Count     store.SeriesCount
	Sources   []Source
	Open      []domain.Incident
	Changes   []domain.Transition
	Via       *domain.Device
	ViaFrom   inherit.Resolved // where that is set
	Behind    []domain.Device  // some of those that are reached through it
	BehindAll int
	Links     []domain.Neighbour // what stands next to it, as the newest sweep heard
}

// Device gathers a device's page.
func (s *Service) Device(ctx context.Context, who access.Actor, id domain.ID, look Look, now time.Time) (Subject, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return Subject{}, err
	}
	return l.device(ctx, id, look, now)
}

func (s looking) device(ctx context.Context, id domain.ID, look Look, now time.Time) (Subject, error) {
	d, err := s.store.Devices.One(ctx, id)
	if err != nil {
		return Subject{}, err
	}
	out := Subject{Device: d}
	if out.Path, err = s.store.Places.Along(ctx, d.PlaceID); err != nil {
		return out, err
	}
	changes, err := s.store.Transitions.Ribbons(ctx, []domain.ID{id}, now.Add(-RibbonSpan))
	if err != nil {
		return out, err
	}
	out.Ribbon = ribbonsOf(changes).of(id, d.Health, now)
	if out.Addresses, err = s.store.Devices.Addresses(ctx, id); err != nil {
		return out, err
	}
	if out.Changes, err = s.store.Transitions.Find(ctx, domain.TransitionFilter{DeviceID: id, Limit: 8}); err != nil {
		return out, err
	}
	open := []domain.IncidentState{domain.IncidentOpen, domain.IncidentAcknowledged}
	if out.Open, _, err = s.store.Incidents.Find(ctx, domain.IncidentFilter{DeviceID: id, States: open, Limit: 10}); err != nil {
		return out, err
	}
	tree, err := s.Service.store.Tree(ctx)
	if err != nil {
		return out, err
	}
	if err := s.values(ctx, &out, look, tree); err != nil {
		return out, err
	}
	if out.Links, err = s.store.Finds.Neighbours(ctx, id); err != nil {
		return out, err
	}
	_, out.ViaFrom = tree.SeenBy(s.scope.HasPlace).Gateway(d)
	return out, s.neighbours(ctx, &out)
}

// values arranges the newest values of the device and of the parts on the page.
func (s looking) values(ctx context.Context, out *Subject, look Look, tree inherit.Tree) error {
	id := out.Device.ID
	fittings, err := s.store.Fittings.Of(ctx, id)
	if err != nil {
		return err
	}
	levels, err := s.store.Rules.Levels(ctx, id)
	if err != nil {
		return err
	}
	if out.Count, err = s.store.Series.CountOf(ctx, id); err != nil {
		return err
	}
	if out.Sources, err = s.sources(ctx, id, s.kits.Effective(tree, out.Device, fittings)); err != nil {
		return err
	}
	gone, err := s.store.Parts.CountGone(ctx, id)
	if err != nil {
		return err
	}
	keep, _ := tree.KeepRows(out.Device)
	out.Parameters = map[string]map[string]string{}
	for _, f := range fittings {
		k, err := s.kits.Kit(f.Kit)
		if err != nil {
			continue
		}
		out.Kits = append(out.Kits, k)
		out.Parameters[k.Name] = f.Parameters
		for _, def := range k.Parts {
			kind, err := s.kind(ctx, id, k, def, levels, look)
			if err != nil {
				return err
			}
			kind.Keep = keep
			for _, g := range gone {
				if g.Kit == k.Name && g.Kind == def.Kind {
					kind.Gone = g.N
				}
			}
			out.Kinds = append(out.Kinds, kind)
		}
	}
	return s.fill(ctx, out, levels)
}

// kind takes a page of the parts of a kind, those in trouble first.
func (s looking) kind(ctx context.Context, id domain.ID, k *kit.Kit, def kit.Parts, levels []store.Level, look Look) (Kind, error) {
	out := Kind{Parts: def, Kit: k.Name}
	for _, r := range k.Readings {
		if r.Of == def.Kind {
			out.Readings = append(out.Readings, r)
		}
	}
	f := store.PartFilter{DeviceID: id, Kit: k.Name, Kind: def.Kind, Limit: PartsPage, First: []domain.ID{look.Part}}
	for _, l := range levels {
		f.First = append(f.First, l.PartID)
	}
	if look.Kind == def.Kind {
		f.Search, f.Offset, f.Gone = look.Search, look.Page*PartsPage, look.Gone
	}
	parts, total, err := s.store.Parts.Find(ctx, f)
	if err == nil && total > PartsPage && f.Offset == 0 && f.Search == "" && !f.Gone {
		// What carries most is worth a look, wherever it stands.
		var busiest domain.ID
		if busiest, err = s.busiest(ctx, id, k, def); err == nil && busiest != 0 {
			f.First = append(f.First, busiest)
			parts, total, err = s.store.Parts.Find(ctx, f)
		}
	}
	for _, p := range parts {
		out.Rows = append(out.Rows, PartValues{Part: p, Health: domain.Fine, Values: map[string]Value{}})
	}
	out.Total, out.Matching = total, total
	return out, err
}

// busiest is the part of a kind with the most traffic or filling now, 0 for none.
func (s looking) busiest(ctx context.Context, id domain.ID, k *kit.Kit, def kit.Parts) (best domain.ID, err error) {
	var readings []string
	for _, r := range k.Readings {
		if r.Of == def.Kind && (r.Purpose == kit.Traffic || r.Purpose == kit.Filling) {
			readings = append(readings, r.Key)
		}
	}
	series, err := s.store.Series.OfReadings(ctx, id, k.Name, readings)
	if err != nil || len(series) == 0 {
		return 0, err
	}
	ids := make([]domain.ID, 0, len(series))
	for x := range series {
		ids = append(ids, x)
	}
	carried := map[domain.ID]float64{}
	for x, v := range s.store.Values.LatestIn(ids) {
		part := series[x]
		carried[part] += v.Value
		if carried[part] > carried[best] || carried[part] == carried[best] && part < best {
			best = part
		}
	}
	return best, nil
}

// fill reads the values of what is on the page.
func (s looking) fill(ctx context.Context, out *Subject, levels []store.Level) error {
	var parts []domain.ID
	for _, k := range out.Kinds {
		for _, row := range k.Rows {
			parts = append(parts, row.Part.ID)
		}
	}
	series, err := s.store.Series.OfParts(ctx, out.Device.ID, parts)
	if err != nil {
		return err
	}
	standing, err := s.store.Values.Standing(ctx, series)
	if err != nil {
		return err
	}
	worst := map[domain.ID]domain.Level{}
	for _, l := range levels {
		worst[l.SeriesID] = l.Level
	}
	latest := s.store.Values.LatestIn(domain.IDsOf(series))
	by := map[domain.ID]map[kit.Ref]Value{}
	for _, x := range series {
		v := Value{Series: x, Health: domain.HealthOf(worst[x.ID])}
		if l, ok := latest[x.ID]; ok {
			v.Latest = &l
		}
		if r, ok := standing[x.ID]; ok {
			v.Stood = &r
		}
		if by[x.PartID] == nil {
			by[x.PartID] = map[kit.Ref]Value{}
		}
		by[x.PartID][kit.Ref{Kit: x.Kit, Reading: x.Reading}] = v
	}
	out.arrange(by)
	return nil
}

func (out *Subject) arrange(by map[domain.ID]map[kit.Ref]Value) {
	for _, k := range out.Kits {
		for _, r := range k.Readings {
			if v, ok := by[0][kit.Ref{Kit: k.Name, Reading: r.Key}]; ok && r.Of == "" {
				v.Reading = r
				if says := by[0][kit.Ref{Kit: k.Name, Reading: r.Because}]; says.Stood != nil && r.Because != "" {
					v.Because = says.Stood.Text
				}
				out.Values = append(out.Values, v)
			}
		}
	}
	for _, kind := range out.Kinds {
		for i := range kind.Rows {
			row := &kind.Rows[i]
			for _, r := range kind.Readings {
				v := by[row.Part.ID][kit.Ref{Kit: kind.Kit, Reading: r.Key}]
				v.Reading, v.Part = r, row.Part.Name
				row.Values[r.Key] = v
				if v.Health != "" {
					row.Health = domain.Worse(row.Health, v.Health)
				}
			}
		}
	}
}

// shownBehind is how many of the devices behind one are named.
const shownBehind = 4

// neighbours finds what the device is reached through, and what is behind it.
func (s looking) neighbours(ctx context.Context, out *Subject) error {
	via, behind := s.judge.Way(ctx, out.Device.ID)
	out.BehindAll = len(behind)
	wanted := append([]domain.ID{via}, behind[:min(len(behind), shownBehind)]...)
	devices, err := s.store.Devices.Some(ctx, wanted)
	if err != nil {
		return err
	}
	for _, d := range devices {
		if d.ID == via {
			out.Via = &d
		} else {
			out.Behind = append(out.Behind, d)
		}
	}
	return nil
}
