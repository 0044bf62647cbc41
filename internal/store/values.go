package store

import (
	"context"
	"slices"
	"time"

	"tirelessowl/internal/core/aggregate"
	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/core/envelope"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store/samples"
)

// Values are the samples of series as people ask for them.
type Values struct {
	area
	samples *samples.Store
	words   *Words
}

func sampleOf(p codec.Point) domain.Sample {
	return domain.Sample{At: time.UnixMilli(p.T).UTC(), Value: p.V}
}

// Of returns the stored values of a series between two times, ordered.
func (s Values) Of(ctx context.Context, seriesID domain.ID, from, to time.Time) (out []domain.Sample, err error) {
	err = s.samples.Points(ctx, []domain.ID{seriesID}, from, to, func(_ domain.ID, points []codec.Point) error {
		out = each(points, sampleOf)
		return nil
	})
	return out, err
}

// OfReading returns the stored values of all series of one reading, by
// series and ordered by time.
func (s Values) OfReading(ctx context.Context, kit, reading string, from, to time.Time) (map[domain.ID][]domain.Sample, error) {
	var ids []domain.ID
	if err := s.q(ctx).Table("series").Where("kit = ? AND reading = ?", kit, reading).Pluck("id", &ids).Error; err != nil {
		return nil, err
	}
	out := make(map[domain.ID][]domain.Sample, len(ids))
	return out, s.Each(ctx, ids, from, to, func(id domain.ID, samples []domain.Sample) { out[id] = samples })
}

// Each calls f with the stored values of each of some series between two times, ordered; with no
// series that has none.
func (s Values) Each(ctx context.Context, ids []domain.ID, from, to time.Time, f func(domain.ID, []domain.Sample)) error {
	return s.samples.Points(ctx, ids, from, to, func(id domain.ID, points []codec.Point) error {
		if len(points) > 0 {
			f(id, each(points, sampleOf))
		}
		return nil
	})
}

// Latest is the newest value of a series with the one before it.
type Latest struct {
	SeriesID    domain.ID
	At          time.Time
	Value       float64
	BeforeAt    *time.Time
	BeforeValue *float64
}

// LatestIn returns the newest values of the given series, as far as there are any.
func (s Values) LatestIn(ids []domain.ID) map[domain.ID]Latest {
	out := make(map[domain.ID]Latest, len(ids))
	for _, id := range ids {
		if l, ok := s.latest(id); ok {
			out[id] = l
		}
	}
	return out
}

func (s Values) latest(id domain.ID) (Latest, bool) {
	newest, before, n := s.samples.LastTwo(id)
	if n == 0 {
		return Latest{}, false
	}
	x := sampleOf(newest)
	l := Latest{SeriesID: id, At: x.At, Value: x.Value}
	if n > 1 {
		b := sampleOf(before)
		l.BeforeAt, l.BeforeValue = &b.At, &b.Value
	}
	return l, true
}

// Range answers a chart: at most about points rollups between two times, with
// exact extremes. width is that of the rollups, or a second where every value
// stands for itself; resolution is that of the rollup that was read, 0 for
// single samples.
func (s Values) Range(
	ctx context.Context,
	x domain.Series,
	from, to time.Time,
	points int,
) (rollups []domain.Rollup, width, resolution time.Duration, err error) {
	width = stepWidth(from, to, points)
	if int(to.Sub(from)/max(x.Interval, time.Second)) <= points*2 {
		samples, err := s.Of(ctx, x.ID, from, to)
		return envelope.Fold(samples, from, time.Second), time.Second, 0, err
	}
	resolution, err = s.samples.Range(ctx, []domain.ID{x.ID}, from, to, width, func(_ domain.ID, got []codec.Rollup) error {
		rollups = each(got, rollupOf)
		return nil
	})
	return rollups, width, resolution, err
}

// Glances are what some series did between two times, in at most points rollups each.
func (s Values) Glances(ctx context.Context, ids []domain.ID, from, to time.Time, points int) (map[domain.ID][]domain.Rollup, error) {
	out := make(map[domain.ID][]domain.Rollup, len(ids))
	_, err := s.samples.Range(ctx, ids, from, to, stepWidth(from, to, points), func(id domain.ID, got []codec.Rollup) error {
		out[id] = each(got, rollupOf)
		return nil
	})
	return out, err
}

func rollupOf(c codec.Rollup) domain.Rollup {
	return domain.Rollup{At: time.UnixMilli(c.T).UTC(), Count: c.Count, Min: c.Min, Avg: c.Avg(), Max: c.Max}
}

// stepWidth is a width that gives at most points rollups and, where they are
// long, one that stored rollups fit into.
func stepWidth(from, to time.Time, points int) time.Duration {
	grain := time.Second
	for _, g := range []time.Duration{5 * time.Minute, time.Hour, 24 * time.Hour} {
		if to.Sub(from)/time.Duration(max(1, points)) >= g {
			grain = g
		}
	}
	return envelope.Width(from, to, points, grain)
}

// Combined is many series combined into one.
type Combined struct {
	Values     []aggregate.Value
	Top        []aggregate.Ranked
	Width      time.Duration // of the rollups
	Resolution time.Duration // of the rollup that was read, 0 for single samples
}

// Combine reads series between two times in at most about points rollups, and
// combines them while they are read; top is how many of the highest are named.
func (s Values) Combine(
	ctx context.Context,
	ids []domain.ID,
	from, to time.Time,
	points int,
	how aggregate.How,
	top int,
) (out Combined, err error) {
	across, ranks := aggregate.NewAcross(how), aggregate.NewTop(top, how)
	out.Width = stepWidth(from, to, points)
	for part := range slices.Chunk(ids, combineBatch) {
		out.Resolution, err = s.samples.Range(ctx, part, from, to, out.Width, func(id domain.ID, rollups []codec.Rollup) error {
			across.Add(rollups)
			ranks.Add(id, rollups)
			return nil
		})
		if err != nil {
			return out, err
		}
	}
	out.Values, out.Top = across.Values(), ranks.Ranks()
	return out, nil
}

// combineBatch is how many series are read at once.
const combineBatch = 200
