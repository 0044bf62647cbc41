package settings

import (
	"context"
	"fmt"
	"time"

	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
)

// stretchEffect tells what another stretch costs or saves, and what would be known later.
func (s *Service) stretchEffect(ctx context.Context, a affected, trace *why.Trace) error {
	before := a.tree.Resolve(a.Place, a.Device, a.override.Key, nil).Value
	was, shall := stretchOf(before), stretchOf(a.override.Value)
	volumes, err := a.from.Fittings.Volumes(ctx, a.reach)
	if err != nil {
		return err
	}
	perSample := s.kits.BytesPerSample(ctx)
	var now, then kit.Cost
	var every time.Duration // in which it is asked whether they answer
	for _, v := range volumes {
		k, err := s.kits.CatalogueIn(ctx).Kit(v.Kit)
		if err != nil {
			continue
		}
		count := func(p kit.Parts) int { return v.Parts[p.Kind] / v.Devices }
		now = now.Add(k.Stretched(was).Estimate(count, perSample).Times(v.Devices))
		then = then.Add(k.Stretched(shall).Estimate(count, perSample).Times(v.Devices))
		if src, ok := k.Reach(); ok {
			every = max(every, src.Every)
		}
	}
	trace.Because("Requests a minute, about", turned(now.RequestsPerMinute, then.RequestsPerMinute, ""), nil)
	trace.Because("Samples a day, about", turned(now.SamplesPerDay, then.SamplesPerDay, ""), nil)
	trace.Because("Storage a month, about", turned(now.BytesPerMonth, then.BytesPerMonth, "B"), nil)
	if every > 0 {
		trace.Because("Whether they answer is asked every "+units.Span(cadence.Stretched(every, shall)),
			"every "+units.Span(cadence.Stretched(every, was))+" now", nil)
	}
	return nil
}

// stretchOf is a stretch as it is stored, 1 for none.
func stretchOf(value string) float64 {
	stretch, err := cadence.ReadStretch(value)
	if err != nil {
		return 1
	}
	return stretch
}

// turned is a figure now and then.
func turned(now, then float64, unit string) string {
	return fmt.Sprintf("%s → %s", figure(now, unit), figure(then, unit))
}

func figure(x float64, unit string) string {
	if unit == "" {
		return text.Thousands(int64(x + 0.5))
	}
	return units.Format(x, unit)
}
