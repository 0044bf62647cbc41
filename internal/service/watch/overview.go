package watch

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/ribbon"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Slots is how many slots a ribbon of a day has: one for a quarter of an hour.
const Slots = 96

// RibbonSpan is the time that ribbons show.
const RibbonSpan = 24 * time.Hour

// ShownAtOnce is how many devices of a place are shown without asking.
const ShownAtOnce = 6

// Device is a device with its recent past.
type Device struct {
	domain.Device
	Ribbon []domain.Health
}

// Place is a place with everything in and below it.
type Place struct {
	domain.Place
	Devices []Device // in the place itself, worst first: the conspicuous ones, or all
	Own     int      // devices in the place itself
	// Behind are those of them that are out of reach behind another device, by that one.
	Behind []Behind
	// Unshown is how many of its own devices are not fine and neither shown nor behind.
	Unshown int
	Total   int // in and below
	Health  domain.Health
	Ribbon  []domain.Health
	// Reason is what stands out: the worst device's.
	Reason string
	// Folded is how many places below it are not shown by themselves, all of them fine.
	Folded int
}

// Behind is how many devices of a place are out of reach behind a device.
type Behind struct {
	ID   domain.ID
	Name string
	N    int
}

// Overview is the whole estate.
type Overview struct {
	Root   string  // name of the root of the tree
	Places []Place // worst first, and those below an open one after it
	// Unshown is how many places are not shown, nor those above them, and UnshownBad how
	// many of these are not fine; InAll is how many places there are.
	Unshown, UnshownBad, InAll int
	Counts                     map[domain.Health]int
	Total                      int
	Ribbon                     []domain.Health
	Newest                     time.Time // of all values
	Series                     int64
	// Undelivered is how many messages failed for good in the last day: what
	// they told reached nobody, so that every page tells it.
	Undelivered int64
}

// Overview gathers places with their ribbons, worst first, and the devices
// that stand out; of the places that are open all devices.
func (s *Service) Overview(ctx context.Context, who access.Actor, open []domain.ID, now time.Time) (o Overview, err error) {
	o.Counts = map[domain.Health]int{}
	l, err := s.look(ctx, who)
	if err != nil {
		return o, err
	}
	tree, err := l.tree(ctx, &o, now)
	if err != nil {
		return o, err
	}
	shown, err := l.store.Devices.Conspicuous(ctx, ShownAtOnce, open)
	if err != nil {
		return o, err
	}
	for _, d := range shown {
		if p := tree.places[d.PlaceID]; p != nil {
			p.Devices = append(p.Devices, Device{d, tree.ribbons.of(d.ID, d.Health, now)})
		}
	}
	if err := l.fold(ctx, tree); err != nil {
		return o, err
	}
	tree.lay(&o, open)
	if o.Undelivered, err = l.store.Deliveries.CountFailed(ctx, now.Add(-RibbonSpan)); err != nil {
		return o, err
	}
	return o, l.count(ctx, &o)
}

// placeTree is the places while they are counted.
type placeTree struct {
	places   map[domain.ID]*Place
	ribbons  ribbons
	troubled []store.Troubled
	// calm is the ribbon of what was fine all the time: most places share it.
	calm []domain.Health
}

// tree counts devices by place and health, and lays out their recent past:
// only what was not fine all the time is looked at.
func (s looking) tree(ctx context.Context, o *Overview, now time.Time) (t placeTree, err error) {
	places, err := s.store.Places.All(ctx)
	if err != nil {
		return t, err
	}
	counts, err := s.store.Devices.Count(ctx)
	if err != nil {
		return t, err
	}
	troubled, err := s.store.Devices.Troubled(ctx)
	if err != nil {
		return t, err
	}
	changes, err := s.store.Transitions.Ribbons(ctx, nil, now.Add(-RibbonSpan))
	if err != nil {
		return t, err
	}
	t = placeTree{map[domain.ID]*Place{}, ribbonsOf(changes), troubled, nil}
	t.calm = t.ribbons.of(0, domain.Fine, now)
	o.Ribbon = slices.Clone(t.calm)
	for _, p := range places {
		t.places[p.ID] = &Place{Place: p, Health: domain.Fine}
	}
	o.Root = t.root()
	for _, c := range counts {
		o.Counts[c.Health] += c.N
		o.Total += c.N
		if p := t.places[c.PlaceID]; p != nil {
			p.Own += c.N
		}
		t.up(c.PlaceID, func(p *Place) {
			p.Total += c.N
			p.Health = domain.Worse(p.Health, c.Health)
		})
	}
	t.past(o, changes, troubled, now)
	return t, nil
}

// fold counts what is not shown by itself: devices behind others, and those that are too
// many.
func (s looking) fold(ctx context.Context, t placeTree) error {
	shown, roots := map[domain.ID]bool{}, map[domain.ID]bool{}
	for _, p := range t.places {
		for _, d := range p.Devices {
			shown[d.ID] = true
		}
	}
	for _, d := range t.troubled {
		p := t.places[d.PlaceID]
		if p == nil || shown[d.ID] {
			continue
		}
		if d.Health != domain.Unreachable || d.BehindID == 0 {
			p.Unshown++
			continue
		}
		roots[d.BehindID] = true
		i := slices.IndexFunc(p.Behind, func(b Behind) bool { return b.ID == d.BehindID })
		if i < 0 {
			i = len(p.Behind)
			p.Behind = append(p.Behind, Behind{ID: d.BehindID})
		}
		p.Behind[i].N++
	}
	if len(roots) == 0 {
		return nil
	}
	names, err := s.store.Devices.Names(ctx, slices.Collect(maps.Keys(roots)))
	for _, p := range t.places {
		for i, b := range p.Behind {
			p.Behind[i].Name = names[b.ID]
		}
		slices.SortFunc(p.Behind, func(a, b Behind) int { return cmp.Or(b.N-a.N, cmp.Compare(a.Name, b.Name)) })
	}
	return err
}

// root is the name of the place above all others; empty where there are several.
func (t placeTree) root() (name string) {
	tops := 0
	for _, p := range t.places {
		if t.places[p.ParentID] == nil {
			name = p.Name
			tops++
		}
	}
	if tops != 1 {
		return ""
	}
	return name
}

// past adds the ribbons of all devices that were not fine all the time. Those of a place
// that were as they are for all of it add the same.
func (t placeTree) past(o *Overview, changes []store.RibbonChange, troubled []store.Troubled, now time.Time) {
	health, place := map[domain.ID]domain.Health{}, map[domain.ID]domain.ID{}
	for _, c := range changes {
		health[c.DeviceID], place[c.DeviceID] = domain.Fine, c.PlaceID
	}
	type lasting struct {
		place  domain.ID
		health domain.Health
	}
	added := map[lasting]bool{}
	for _, d := range troubled {
		if _, changed := health[d.ID]; changed {
			health[d.ID] = d.Health
			continue
		}
		if same := (lasting{d.PlaceID, d.Health}); !added[same] {
			added[same] = true
			t.add(o, d.PlaceID, t.ribbons.of(d.ID, d.Health, now))
		}
	}
	for id, h := range health {
		t.add(o, place[id], t.ribbons.of(id, h, now))
	}
}

// add adds a strip to a place and all above it.
func (t placeTree) add(o *Overview, place domain.ID, strip []domain.Health) {
	o.Ribbon = ribbon.Add(o.Ribbon, strip)
	t.up(place, func(p *Place) {
		if p.Ribbon == nil {
			p.Ribbon = slices.Clone(t.calm)
		}
		p.Ribbon = ribbon.Add(p.Ribbon, strip)
	})
}

// up gives a place and all above it.
func (t placeTree) up(id domain.ID, f func(*Place)) {
	seen := 0
	for p := t.places[id]; p != nil && seen < 100; p = t.places[p.ParentID] {
		f(p)
		seen++
	}
}

// reasons says of each place what stands out.
func (t placeTree) reasons() {
	for _, p := range t.places {
		switch {
		case len(p.Devices) > 0 && p.Devices[0].Health != domain.Fine:
			p.Reason = p.Devices[0].HealthNote
		case len(p.Behind) > 0:
			p.Reason = text.Count(int64(p.Behind[0].N), "device") + " behind " + p.Behind[0].Name
		case len(p.Devices) > 0:
			p.Reason = p.Devices[0].HealthNote
		}
	}
}

// mostPlaces is how many places an overview shows by themselves.
const mostPlaces = 60

// rested gives a place that was fine all the time its ribbon.
func (t placeTree) rested(p Place) Place {
	if p.Ribbon == nil {
		p.Ribbon = t.calm
	}
	return p
}

// lay lays the places out, worst first; an organisation only where it has devices of its
// own. Where there are many, those below others are shown only while they are not fine, or
// the one above is open.
func (t placeTree) lay(o *Overview, open []domain.ID) {
	t.reasons()
	shown := map[domain.ID]*Place{}
	for id, p := range t.places {
		if p.Kind != domain.Organisation || p.Own > 0 {
			shown[id] = p
		}
	}
	o.InAll = len(shown)
	inside := map[domain.ID][]*Place{}
	if len(shown) > mostPlaces {
		inside = t.foldPlaces(shown, open)
	}
	rows := slices.SortedFunc(maps.Values(shown), worstFirst)
	for _, p := range rows[min(mostPlaces, len(rows)):] {
		o.Unshown++
		if p.Health != domain.Fine {
			o.UnshownBad++
		}
	}
	for _, p := range rows[:min(mostPlaces, len(rows))] {
		o.Places = append(o.Places, t.rested(*p))
		for _, below := range slices.SortedFunc(slices.Values(inside[p.ID]), worstFirst) {
			o.Places = append(o.Places, t.rested(*below))
		}
	}
}

// foldPlaces takes out of what is shown the places that lie below others: those that are
// fine count there, and those in an open one come after it.
func (t placeTree) foldPlaces(shown map[domain.ID]*Place, open []domain.ID) (inside map[domain.ID][]*Place) {
	inside = map[domain.ID][]*Place{}
	isOpen := func(id domain.ID) bool { return slices.Contains(open, id) }
	for id, p := range t.places {
		above := t.places[p.ParentID]
		if shown[id] == nil || above == nil || above.Kind == domain.Organisation {
			continue
		}
		switch {
		case isOpen(above.ID):
			inside[above.ID] = append(inside[above.ID], p)
		case isOpen(id) || p.Health != domain.Fine:
			continue
		default:
			above.Folded++
		}
		delete(shown, id)
	}
	return inside
}

func worstFirst(a, b *Place) int {
	return cmp.Or(b.Health.Badness()-a.Health.Badness(), cmp.Compare(a.Name, b.Name), cmp.Compare(a.ID, b.ID))
}

// ribbons are the changes of health of devices.
type ribbons map[domain.ID][]ribbon.Change

func ribbonsOf(changes []store.RibbonChange) ribbons {
	out := ribbons{}
	for _, c := range changes {
		out[c.DeviceID] = append(out[c.DeviceID], ribbon.Change{At: c.At, From: domain.Health(c.FromHealth), To: domain.Health(c.ToHealth)})
	}
	return out
}

func (r ribbons) of(id domain.ID, h domain.Health, now time.Time) []domain.Health {
	return ribbon.Strip(r[id], h, now.Add(-RibbonSpan), now, Slots)
}

// DeviceList is a page of devices.
type DeviceList struct {
	Rows   []Device
	Total  int64
	Kinds  []string
	Places map[domain.ID]string
}

// Devices returns devices with their recent past, and what they can be
// filtered by.
func (s *Service) Devices(ctx context.Context, who access.Actor, f domain.DeviceFilter, now time.Time) (out DeviceList, err error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return out, err
	}
	return l.devices(ctx, f, now)
}

func (s looking) devices(ctx context.Context, f domain.DeviceFilter, now time.Time) (out DeviceList, err error) {
	if out.Kinds, err = s.store.Devices.Kinds(ctx); err != nil {
		return out, err
	}
	if f.Picked, err = s.store.Picked(ctx, f.Search); err != nil {
		return out, err
	}
	if f.Picked != nil {
		f.Search = ""
	}
	found, total, err := s.store.Devices.Find(ctx, f)
	if err != nil || len(found) == 0 {
		return out, err
	}
	out.Total = total
	ids, at := make([]domain.ID, len(found)), make([]domain.ID, len(found))
	for i, d := range found {
		ids[i], at[i] = d.ID, d.PlaceID
	}
	places, err := s.store.Places.Some(ctx, at)
	if err != nil {
		return out, err
	}
	out.Places = make(map[domain.ID]string, len(places))
	for _, p := range places {
		out.Places[p.ID] = p.Name
	}
	changes, err := s.store.Transitions.Ribbons(ctx, ids, now.Add(-RibbonSpan))
	past := ribbonsOf(changes)
	for _, d := range found {
		out.Rows = append(out.Rows, Device{d, past.of(d.ID, d.Health, now)})
	}
	return out, err
}
