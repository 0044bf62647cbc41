package engine_test

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/engine"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

// BenchmarkTakeUp has a kit of five readings taken up on 2,000 devices that are collected from: 10,000 series
// begin. It tells the milliseconds until all are there, and all devices have changed over.
func BenchmarkTakeUp(b *testing.B) {
	const devices, readings = 2000, 5
	for b.Loop() {
		ctx := b.Context()
		s := testkit.Store(b)
		kits := testkit.Kits(b, s)
		require.NoError(b, kits.Load(ctx))
		_, err := kits.Bring(ctx, testkit.Anyone, fiveReadings(readings), 0)
		require.NoError(b, err)
		p, err := s.Places.Save(ctx, domain.Place{Name: "Fleet", Kind: domain.Site})
		require.NoError(b, err)
		var ids []domain.ID
		var first, more []domain.Fitting
		require.NoError(b, s.InTx(ctx, func(tx *store.Areas) error {
			for i := range devices {
				d := domain.Device{PlaceID: p.ID, Name: fmt.Sprint("fleet-", i), CreatedAt: time.Now(),
					Address: netip.AddrFrom4([4]byte{127, 79, byte(i >> 8), byte(i)})}
				if d, err = tx.Devices.Add(ctx, d, "", nil); err != nil {
					return err
				}
				ids = append(ids, d.ID)
				first = append(first, domain.Fitting{DeviceID: d.ID, Kit: "reachability"})
				more = append(more, domain.Fitting{DeviceID: d.ID, Kit: "five"})
			}
			return tx.Fittings.Fit(ctx, first...)
		}))
		f := &script{counts: map[string]int{}, answer: func(way.Question, int) derive.Fetched {
			return derive.Fetched{Rows: []derive.Row{{Values: []derive.Value{num(0.01), num(0), num(0), num(0), num(0)}}}}
		}}
		judge := engine.NewJudge(s, respond.New(s, nil, nil, nil, "http://owl.example", func() {}), engine.NewHub(), quiet)
		c := engine.NewCollector(s, kits, f, judge, engine.Files{}, quiet)
		require.NoError(b, c.Start(ctx))
		before, err := s.Series.Count(ctx)
		require.NoError(b, err)

		began := time.Now()
		require.NoError(b, s.Fittings.Fit(ctx, more...))
		require.NoError(b, c.ReloadSome(ctx, ids))
		require.Eventually(b, func() bool {
			now, err := s.Series.Count(ctx)
			return err == nil && now == before+devices*readings && c.TakingUp() == domain.TakingUp{}
		}, time.Minute, 10*time.Millisecond)
		b.ReportMetric(float64(time.Since(began).Milliseconds()), "ms/10k-series")
		c.Stop()
	}
}

func fiveReadings(n int) string {
	var columns, made strings.Builder
	for i := range n {
		fmt.Fprintf(&columns, "      - {as: c%d, of: 1.3.6.1.4.1.99999.1.%d.0}\n", i, i)
		fmt.Fprintf(&made, "  - {key: r%d, name: Reading %d, source: whole, value: [c%d]}\n", i, i, i)
	}
	return "kit: five\ntitle: Five\nversion: 1\nsources:\n  - key: whole\n    way: snmp\n    every: 60s\n    ask: {form: get}\n" +
		"    columns:\n" + columns.String() + "readings:\n" + made.String()
}
