package main

import (
	"context"
	"math/rand/v2"
	"slices"
	"time"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/store/samples"
)

// reading measures the median of repeated reads, warm.
func (b *bench) reading(ctx context.Context) error {
	r := rand.New(rand.NewPCG(3, 3))
	const series, days = 20, 30
	today := time.Now().UTC().Truncate(24 * time.Hour)
	var past []samples.History
	for i := range series {
		h := samples.History{Series: int64(i + 1)}
		for step := range days * 1440 {
			h.Points = append(
				h.Points,
				codec.Point{T: today.AddDate(0, 0, -days).Add(time.Duration(step) * time.Minute).UnixMilli(), V: value(i, step, r)},
			)
		}
		past = append(past, h)
	}
	long := samples.History{Series: 1000}
	for step := range 400 * 288 {
		long.Points = append(
			long.Points,
			codec.Point{T: today.AddDate(0, 0, -400).Add(time.Duration(step) * 5 * time.Minute).UnixMilli(), V: value(2, step, r)},
		)
	}
	if err := b.db.Samples.Import(ctx, append(past, long)); err != nil {
		return err
	}
	if _, err := b.db.Pool().Exec(ctx, "ANALYZE"); err != nil {
		return err
	}
	ids := func(n int) (out []int64) {
		for i := range n {
			out = append(out, int64(i+1))
		}
		return out
	}
	states, err := b.states(ctx, 50, 400)
	if err != nil {
		return err
	}
	nothing := func(int64, []codec.Rollup) error { return nil }
	from := today.AddDate(0, 0, -days)
	for _, x := range []struct {
		name, target string
		do           func() error
	}{
		{"30 days of 1 series at 60 s, to 45 min rollups", "< 5", func() error {
			_, err := b.db.Samples.Range(ctx, ids(1), from, today, 45*time.Minute, nothing)
			return err
		}},
		{"30 days of 1 series at 60 s, to 44 min rollups from every sample", "< 5", func() error {
			_, err := b.db.Samples.Range(ctx, ids(1), from, today, 44*time.Minute, nothing)
			return err
		}},
		{"30 days of 10 series at 60 s, to 45 min rollups", "< 25", func() error {
			_, err := b.db.Samples.Range(ctx, ids(10), from, today, 45*time.Minute, nothing)
			return err
		}},
		{"400 days of 1 series from hourly rollups, to 10 h rollups", "< 10", func() error {
			_, err := b.db.Samples.Range(ctx, []int64{1000}, today.AddDate(0, 0, -400), today, 10*time.Hour, nothing)
			return err
		}},
		{"since when 50 states stand", "", func() error {
			_, err := b.db.Values.Standing(ctx, states)
			return err
		}},
	} {
		if err := b.median(x.name, x.target, x.do); err != nil {
			return err
		}
	}
	if err := b.db.Samples.Start(ctx, samples.Options{}); err != nil {
		return err
	}
	defer b.db.Samples.Stop()
	if err := b.db.Samples.Append(ctx, round(10_000, 0, today, r)); err != nil {
		return err
	}
	return b.median("the values now of 10,000 series", "< 20", func() error {
		for id := range int64(10_000) {
			b.db.Samples.LastTwo(id + 1)
		}
		return nil
	})
}

func (b *bench) median(name, target string, do func() error) error {
	var took []float64
	for range 41 {
		began := time.Now()
		if err := do(); err != nil {
			return err
		}
		took = append(took, time.Since(began).Seconds()*1000)
	}
	slices.Sort(took)
	b.add(name, took[len(took)/2], "ms", target)
	return nil
}
