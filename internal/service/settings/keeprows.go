package settings

import (
	"context"
	"fmt"
	"strconv"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/retention"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

func (s *Service) keepRows() kind {
	return kind{
		key:   domain.SettingKeepRows,
		title: "Rows that are gone",
		help: fmt.Sprintf("For how many days parts are kept of which their device no longer tells, with all that was collected there. "+
			"%d where nothing is set; what led to an alert stays.", retention.RowDays),
		ofDevices: true,
		read: func(_ context.Context, _ *store.Areas, _ access.Actor, _ site, typed string) (string, domain.ID, error) {
			days, err := retention.ReadDays(typed)
			if err != nil {
				return "", 0, domain.FieldErrors{"value": text.UpperFirst(err.Error()) + "."}
			}
			return strconv.Itoa(days), 0, nil
		},
		shown: func(_ context.Context, _ access.Actor, value string) (string, error) {
			days, err := retention.ReadDays(value)
			if err != nil {
				return "", nil //nolint:nilerr // nothing is set
			}
			return text.Count(int64(days), "day"), nil
		},
		effect: s.keepRowsEffect,
	}
}

// keepRowsEffect tells how many parts would be removed at once.
func (s *Service) keepRowsEffect(ctx context.Context, a affected, trace *why.Trace) error {
	days, err := retention.ReadDays(a.override.Value)
	if err != nil {
		days = retention.RowDays
	}
	now := time.Now()
	gone, err := a.from.Parts.Gone(ctx, now)
	if err != nil {
		return err
	}
	within := make(map[domain.ID]bool, len(a.devices))
	for _, d := range a.devices {
		within[d.ID] = true
	}
	var all, due int64
	for _, p := range gone {
		if within[p.DeviceID] {
			all++
			if p.GoneAt.AddDate(0, 0, days).Before(now) {
				due++
			}
		}
	}
	trace.Because("Gone now: "+text.Count(all, "part"),
		text.Count(due, "part")+" would be removed within minutes, with all that was collected there", nil)
	return nil
}
