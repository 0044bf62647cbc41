package estate

import (
	"testing"
	"time"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
)

// BenchmarkSample judges a sample of a device with many series, nothing of
// which is in trouble: what happens a thousand times a second.
func BenchmarkSample(b *testing.B) {
	e := New()
	e.SetRules([]rule.Rule{{ID: 1, Name: "busy", Kit: "k", Reading: "r", Side: rule.Above, InARow: 3, RecoverInARow: 1, Enabled: true,
		Limits: map[domain.Level]rule.Limit{domain.LevelWarning: {Raise: 90, Recover: 80}}}})
	e.SetDevice(Device{ID: 1, Name: "switch"}, domain.Unknown)
	const series = 300
	for id := range int64(series) {
		e.SetSeries(Series{ID: id + 1, DeviceID: 1, Kit: "k", Reading: "r", Every: time.Minute})
	}
	at := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	b.ReportAllocs()
	for i := 0; b.Loop(); i++ {
		e.Sample(int64(i%series)+1, domain.Sample{At: at.Add(time.Duration(i) * time.Second), Value: float64(i % 80)})
	}
}
