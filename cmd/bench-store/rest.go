package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"time"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store/samples"
)

// atRest measures bytes a sample of whole days, at regular seconds and with
// jittered milliseconds.
func (b *bench) atRest(ctx context.Context) error {
	const series, days = 500, 3
	for name, jitter := range map[string]int64{"regular seconds": 0, "milliseconds of jitter": 40} {
		if err := b.fresh(ctx); err != nil {
			return err
		}
		r := rand.New(rand.NewPCG(2, 2))
		first := time.Now().UTC().Truncate(24*time.Hour).AddDate(0, 0, -days)
		n := 0
		var past []samples.History
		for i := range series {
			h := samples.History{Series: int64(i + 1)}
			for step := range days * 1440 {
				at := first.Add(time.Duration(step) * time.Minute).UnixMilli()
				if jitter > 0 {
					at += r.Int64N(jitter)
				}
				h.Points = append(h.Points, codec.Point{T: at, V: value(i, step, r)})
				n++
			}
			past = append(past, h)
		}
		if err := b.db.Samples.Import(ctx, past); err != nil {
			return err
		}
		for table, target := range map[string]string{"days": "≤ 2.0", "rollup_5m": "", "rollup_1h": "", "rollup_1d": ""} {
			if jitter > 0 {
				if table != "days" {
					continue
				}
				target = "≤ 3.0"
			}
			bytes, _, err := b.db.Samples.Size(ctx, table)
			if err != nil {
				return err
			}
			b.add(fmt.Sprintf("at rest with index, %s, %s", name, table), bytes/float64(n), "B/sample", target)
		}
		b.db.Close()
	}
	var err error
	b.db, err = b.open()
	return err
}

// states makes series of states that change twice a day, asked once a minute.
func (b *bench) states(ctx context.Context, n, days int) ([]domain.Series, error) {
	place, err := b.db.Places.Save(ctx, domain.Place{Name: "Bench", Kind: domain.Site})
	if err != nil {
		return nil, err
	}
	d, err := b.db.Devices.Add(
		ctx,
		domain.Device{PlaceID: place.ID, Name: "bench", Address: netip.MustParseAddr("192.0.2.1"), CreatedAt: time.Now()},
		"",
		nil,
	)
	if err != nil {
		return nil, err
	}
	if _, err := b.db.Pool().Exec(ctx, "ALTER SEQUENCE series_id_seq RESTART WITH 2000"); err != nil { // behind those that have no row
		return nil, err
	}
	var wanted []domain.Series
	for i := range n {
		wanted = append(
			wanted,
			domain.Series{
				DeviceID: d.ID,
				Kit:      "k",
				Reading:  fmt.Sprint("state", i),
				Name:     "State",
				Kind:     domain.KindState,
				Interval: time.Minute,
			},
		)
	}
	made, err := b.db.Series.Add(ctx, wanted)
	if err != nil {
		return nil, err
	}
	first := time.Now().UTC().Truncate(24*time.Hour).AddDate(0, 0, -days)
	before, after := 0.0, 0.0
	if before, err = b.resting(ctx); err != nil {
		return nil, err
	}
	for _, x := range made {
		h := samples.History{Series: x.ID}
		for step := range days * 1440 {
			h.Points = append(
				h.Points,
				codec.Point{T: first.Add(time.Duration(step) * time.Minute).UnixMilli(), V: float64(1 + step/720%2)},
			)
		}
		if err := b.db.Samples.Import(ctx, []samples.History{h}); err != nil {
			return nil, err
		}
	}
	after, err = b.resting(ctx)
	b.add("at rest with index, states that change twice a day, in all", (after-before)/float64(n*days*1440), "B/sample", "")
	runs, _, _ := b.db.Samples.Size(ctx, "runs")
	b.add("the same, runs alone", runs/float64(n*days*1440), "B/sample", "")
	return made, err
}

// resting is what all tables at rest take, in bytes.
func (b *bench) resting(ctx context.Context) (sum float64, err error) {
	for _, table := range samples.RestTables() {
		bytes, _, err := b.db.Samples.Size(ctx, table)
		if err != nil {
			return 0, err
		}
		sum += bytes
	}
	return sum, nil
}
