package estate

import (
	"fmt"
	"testing"
	"time"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/rule/limit"
	"tirelessowl/internal/domain"
)

// BenchmarkSample judges a sample of a device with many series, nothing of
// which is in trouble: what happens a thousand times a second.
func BenchmarkSample(b *testing.B) {
	e := New()
	e.SetRules([]rule.Rule{{ID: 1, Name: "busy", Kit: "k", Reading: "r", Enabled: true, Condition: &limit.Condition{
		Side: limit.Above, For: rule.Hold{Values: 3}, Recover: rule.Hold{Values: 1}, Limits: map[domain.Level]limit.Limit{
			domain.LevelWarning: {Raise: 90, Recover: 80},
		}}}})
	const series = 300
	var all []Series
	for id := range int64(series) {
		all = append(all, Series{ID: id + 1, Kit: "k", Reading: "r", Every: time.Minute})
	}
	at := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	e.Set(Device{ID: 1, Name: "switch"}, all, domain.Unknown, at)
	b.ReportAllocs()
	for i := 0; b.Loop(); i++ {
		e.Sample(int64(i%series)+1, domain.Sample{At: at.Add(time.Duration(i) * time.Second), Value: float64(i % 80)})
	}
}

// BenchmarkLoad sets a chain of devices, as at a start: its cost for each
// device must not grow with their number.
func BenchmarkLoad(b *testing.B) {
	for _, n := range []int64{500, 5000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				e := New()
				for id := range n {
					e.Set(Device{ID: id + 1, ViaID: (id + 1) / 10}, nil, domain.Unknown, t0)
				}
				e.Behind(1)
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(n), "ns/device")
		})
	}
}
