package collect

import (
	"context"
	"time"

	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
)

// Questions are what a device is asked because of its kits.
func (s *Service) Questions(d domain.Device, kits []fit.Effective, talks map[string]kit.Talk) (out []way.Question) {
	if d.Paused {
		return nil
	}
	for _, e := range kits {
		out = append(out, e.Kit.Questions(d, e.Values, talks)...)
	}
	return out
}

// Held is what a device has, with what is set for it.
type Held struct {
	Tree  inherit.Tree
	Kits  []fit.Effective
	Parts []domain.Part
	// Series are those that are there.
	Series []domain.Series
}

// seriesKey names a series within its device.
type seriesKey struct {
	kit.Ref
	part domain.ID
}

func keyOfSeries(x domain.Series) seriesKey {
	return seriesKey{kit.Ref{Kit: x.Kit, Reading: x.Reading}, x.PartID}
}

// DeviceSeries makes sure that a device has a series for each reading of itself and of each part that is
// there, and that all series say how often they are collected, and which are off and why. It returns all
// series of the device.
func (s *Service) DeviceSeries(ctx context.Context, deviceID domain.ID, h Held) ([]domain.Series, error) {
	if err := s.inStretch(ctx, h); err != nil {
		return nil, err
	}
	if err := s.switched(ctx, h); err != nil {
		return nil, err
	}
	known := make(map[seriesKey]bool, len(h.Series))
	for _, x := range h.Series {
		known[keyOfSeries(x)] = true
	}
	var missing []domain.Series
	add := func(x domain.Series) {
		if !known[keyOfSeries(x)] {
			missing = append(missing, x)
		}
	}
	for _, e := range h.Kits {
		for _, r := range e.Kit.Readings {
			if r.Of == "" {
				add(seriesOf(e.Kit, r, deviceID, 0))
				continue
			}
			for _, p := range h.Parts {
				if p.Kit == e.Kit.Name && p.Kind == r.Of && p.GoneAt.IsZero() {
					add(seriesOf(e.Kit, r, deviceID, p.ID))
				}
			}
		}
	}
	made, err := s.store.Series.Add(ctx, missing)
	return append(h.Series, made...), err
}

// Why a series is not collected.
const (
	notMade = "not collected: no kit on the device makes this reading any more"
	partOff = "not collected: its part is switched off"
)

// switched lets series be off that are not collected, and wait for a value that are again.
func (s *Service) switched(ctx context.Context, h Held) error {
	kits := map[string]fit.Effective{}
	for _, e := range h.Kits {
		kits[e.Whole.Name] = e
	}
	var others []domain.Series
	for i, x := range h.Series {
		reason := h.off(kits, x)
		switch {
		case reason == "" && x.State == domain.SeriesOff:
			h.Series[i].State, h.Series[i].Error = domain.SeriesWaiting, ""
		case reason != "" && (x.State != domain.SeriesOff || x.Error != reason):
			h.Series[i].State, h.Series[i].Error = domain.SeriesOff, reason
		default:
			continue
		}
		others = append(others, h.Series[i])
	}
	if len(others) == 0 {
		return nil
	}
	return s.store.Series.SetStates(ctx, others)
}

// off says why a series is not collected; empty for one that is.
func (h Held) off(kits map[string]fit.Effective, x domain.Series) string {
	e, fitted := kits[x.Kit]
	if !fitted {
		return notMade
	}
	if x.PartID != 0 && h.Tree.PartOff(x.PartID) {
		return partOff
	}
	if set, off := e.Off(x.Reading); off {
		return "not collected: switched off " + set.At()
	}
	if p, lacks := e.Lacks(x.Reading); lacks {
		return "not collected: “" + p.Label + "” must be set first"
	}
	if _, made := e.Kit.Reading(x.Reading); !made {
		return notMade
	}
	return ""
}

// inStretch corrects the intervals of series that are collected at others from now on.
func (s *Service) inStretch(ctx context.Context, h Held) error {
	changed := map[time.Duration][]domain.ID{}
	kits := map[string]*kit.Kit{}
	for _, e := range h.Kits {
		kits[e.Kit.Name] = e.Kit
	}
	for i, x := range h.Series {
		k := kits[x.Kit]
		if k == nil {
			continue
		}
		r, _ := k.Reading(x.Reading)
		if src, ok := k.Source(r.Source); ok && r.StoredEvery(src) != x.Interval {
			h.Series[i].Interval = r.StoredEvery(src)
			changed[h.Series[i].Interval] = append(changed[h.Series[i].Interval], x.ID)
		}
	}
	for every, ids := range changed {
		if err := s.store.Series.SetInterval(ctx, ids, every); err != nil {
			return err
		}
	}
	return nil
}

func seriesOf(k *kit.Kit, r kit.Reading, deviceID, partID domain.ID) domain.Series {
	src, _ := k.Source(r.Source)
	return domain.Series{
		DeviceID: deviceID,
		PartID:   partID,
		Kit:      k.Name,
		Reading:  r.Key,
		Name:     r.Name,
		Unit:     r.Unit,
		Kind:     r.Kind(),
		Interval: r.StoredEvery(src),
	}
}
