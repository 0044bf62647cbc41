package settings

import (
	"context"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

func (s *Service) hours() kind {
	return kind{
		key:   domain.SettingHours,
		title: "Hours of collecting",
		help: "Such as Mon-Fri 07:00-19:00, not 12-24..12-26 Europe/Vienna, the name of a calendar, or always. Outside of them nothing " +
			"is asked, and nothing is judged.",
		ofDevices: true,
		reloads:   true,
		read: func(ctx context.Context, from *store.Areas, _ access.Actor, _ site, typed string) (string, domain.ID, error) {
			typed = strings.Join(strings.Fields(typed), " ")
			tree, err := from.Tree(ctx)
			if err != nil {
				return "", 0, err
			}
			if name, _, ok := tree.Named(typed); ok {
				return name, 0, nil
			}
			if _, err := cadence.ReadHours(typed); err != nil {
				return "", 0, domain.FieldErrors{"value": text.UpperFirst(err.Error()) + "."}
			}
			return typed, 0, nil
		},
		shown: func(ctx context.Context, _ access.Actor, value string) (string, error) {
			tree, err := s.desk.Whole(ctx).Tree(ctx)
			if name, hours, ok := tree.Named(value); ok {
				return name + ": " + hours, err
			}
			return value, err
		},
		effect: s.hoursEffect,
	}
}

// hoursEffect tells what other hours cost or save, and what they are now.
func (s *Service) hoursEffect(ctx context.Context, a affected, trace *why.Trace) error {
	was, err := a.tree.ReadHours(a.tree.Resolve(a.Place, a.Device, a.override.Key, nil).Value)
	if err != nil {
		was = cadence.Hours{}
	}
	shall, err := a.tree.ReadHours(a.override.Value)
	if err != nil {
		return domain.FieldErrors{"value": text.UpperFirst(err.Error()) + "."}
	}
	volumes, err := a.from.Fittings.Volumes(ctx, a.reach)
	if err != nil {
		return err
	}
	var whole kit.Cost
	for _, v := range volumes {
		if k, err := s.kits.CatalogueIn(ctx).Kit(v.Kit); err == nil {
			count := func(p kit.Parts) int { return v.Parts[p.Kind] / v.Devices }
			whole = whole.Add(k.Estimate(count, s.kits.BytesPerSample(ctx)).Times(v.Devices))
		}
	}
	now := time.Now()
	said, next := "nothing is asked now", "it begins "
	if shall.Open(now) {
		said, next = "they are asked now", "it ends "
	}
	detail := ""
	if turns, ok := shall.Turns(now); ok {
		detail = next + "in " + units.Span(turns.Sub(now).Truncate(time.Minute))
	}
	trace.Because("By these hours "+said, detail, nil)
	trace.Because("Samples a day, about", turned(whole.SamplesPerDay*was.Share(), whole.SamplesPerDay*shall.Share(), ""), nil)
	trace.Because("Storage a month, about", turned(whole.BytesPerMonth*was.Share(), whole.BytesPerMonth*shall.Share(), "B"), nil)
	return nil
}
