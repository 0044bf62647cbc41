package collect

import (
	"context"
	"slices"
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
	if err := s.MakeSeries(ctx, map[domain.ID]*Held{deviceID: &h}); err != nil {
		return nil, err
	}
	return h.Series, s.Settle(ctx, h.Stand())
}

// MakeSeries makes the series that devices lack, and adds them to those that they hold.
func (s *Service) MakeSeries(ctx context.Context, held map[domain.ID]*Held) error {
	var missing []domain.Series
	for id, h := range held {
		missing = append(missing, h.missing(id)...)
	}
	made, err := s.store.Series.Add(ctx, missing)
	if err != nil {
		return err
	}
	for _, x := range made {
		held[x.DeviceID].Series = append(held[x.DeviceID].Series, x)
	}
	return nil
}

// missing are the series that a device lacks.
func (h Held) missing(deviceID domain.ID) (out []domain.Series) {
	known := make(map[seriesKey]bool, len(h.Series))
	for _, x := range h.Series {
		known[keyOfSeries(x)] = true
	}
	add := func(x domain.Series) {
		if !known[keyOfSeries(x)] {
			out = append(out, x)
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
	return out
}

// Why a series is not collected.
const (
	notMade = "not collected: no kit on the device makes this reading any more"
	partOff = "not collected: its part is switched off"
)

// Standing is how series stand otherwise than is stored: whether they are collected, and how often.
type Standing struct {
	States []domain.Series
	Every  map[time.Duration][]domain.ID
}

// Add puts that of other series behind.
func (x *Standing) Add(more Standing) {
	x.States = append(x.States, more.States...)
	for every, ids := range more.Every {
		if x.Every == nil {
			x.Every = map[time.Duration][]domain.ID{}
		}
		x.Every[every] = append(x.Every[every], ids...)
	}
}

// settledAtOnce is how many series are written at once.
const settledAtOnce = 10_000

// Settle writes how series stand.
func (s *Service) Settle(ctx context.Context, x Standing) error {
	for every, ids := range x.Every {
		for some := range slices.Chunk(ids, settledAtOnce) {
			if err := s.store.Series.SetInterval(ctx, some, every); err != nil {
				return err
			}
		}
	}
	for some := range slices.Chunk(x.States, settledAtOnce) {
		if err := s.store.Series.SetStates(ctx, some); err != nil {
			return err
		}
	}
	return nil
}

// Stand corrects how the held series stand, and returns what is stored otherwise: those that are not collected
// are off, those that are again wait for a value, and each has the interval at which it is collected.
func (h *Held) Stand() Standing {
	out := Standing{Every: map[time.Duration][]domain.ID{}}
	kits := map[string]fit.Effective{}
	for _, e := range h.Kits {
		kits[e.Whole.Name] = e
	}
	for i := range h.Series {
		x := &h.Series[i]
		if every, known := intervalOf(kits, *x); known && every != x.Interval {
			x.Interval = every
			out.Every[every] = append(out.Every[every], x.ID)
		}
		reason := h.off(kits, *x)
		switch {
		case reason == "" && x.State == domain.SeriesOff:
			x.State, x.Error = domain.SeriesWaiting, ""
		case reason != "" && (x.State != domain.SeriesOff || x.Error != reason):
			x.State, x.Error = domain.SeriesOff, reason
		default:
			continue
		}
		out.States = append(out.States, *x)
	}
	return out
}

// intervalOf is how often a series is collected, where a kit says so.
func intervalOf(kits map[string]fit.Effective, x domain.Series) (every time.Duration, known bool) {
	e, fitted := kits[x.Kit]
	if !fitted {
		return 0, false
	}
	r, _ := e.Kit.Reading(x.Reading)
	src, ok := e.Kit.Source(r.Source)
	if !ok {
		return 0, false
	}
	return r.StoredEvery(src), true
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
