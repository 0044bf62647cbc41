package collect

import (
	"context"
	"fmt"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// SetKeep changes for how many days the samples of a reading are kept, single
// and in steps; 0 means the setting for all. What is stored already follows
// within minutes.
func (s *Service) SetKeep(ctx context.Context, kitName, reading string, days store.KeepDays) error {
	k, err := s.Kit(kitName)
	if err != nil {
		return err
	}
	if _, ok := k.Reading(reading); !ok {
		return fmt.Errorf("reading %q of the kit %q: %w", reading, kitName, domain.ErrNotFound)
	}
	errs := domain.FieldErrors{}
	for field, x := range map[string]struct{ days, most int }{
		"points": {days.Points, store.MostPointDays}, "five_minutes": {days.FiveMinutes, store.MostStepDays},
		"hours": {days.Hours, store.MostStepDays}, "days": {days.Days, store.MostStepDays},
	} {
		if x.days < 0 || x.days > x.most {
			errs[field] = fmt.Sprintf("Must be a number of days from 1 to %d, or empty.", x.most)
		}
	}
	if err := errs.OrNil(); err != nil {
		return err
	}
	return s.store.SetKeep(ctx, store.ReadingKey{Kit: kitName, Reading: reading}, days)
}
