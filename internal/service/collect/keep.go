package collect

import (
	"context"
	"fmt"
	"time"

	"tirelessowl/internal/core/retention"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// SetKeep changes for how many days the samples of a reading are kept, single
// and in rollups; 0 means the setting for all. What is stored already follows
// within minutes.
func (s *Service) SetKeep(ctx context.Context, k store.ReadingKey, days store.KeepDays) error {
	if err := s.checkKeep(k, days); err != nil {
		return err
	}
	keeps, err := s.store.Keeps.All(ctx)
	if err != nil || keeps[k] == days {
		return err // nothing stored needs to be looked at
	}
	return s.store.Keeps.Set(ctx, k, days)
}

// checkKeep refuses what cannot be set; the errors are by field.
func (s *Service) checkKeep(k store.ReadingKey, days store.KeepDays) error {
	kit, err := s.Kit(k.Kit)
	if err != nil {
		return err
	}
	if _, ok := kit.Reading(k.Reading); !ok {
		return fmt.Errorf("reading %q of the kit %q: %w", k.Reading, k.Kit, domain.ErrNotFound)
	}
	errs := domain.FieldErrors{}
	for field, x := range map[string]struct{ days, most int }{
		"points": {days.Points, store.MostPointDays}, "five_minutes": {days.FiveMinutes, store.MostRollupDays},
		"hours": {days.Hours, store.MostRollupDays}, "days": {days.Days, store.MostRollupDays},
	} {
		if x.days < 0 || x.days > x.most {
			errs[field] = fmt.Sprintf("Must be a number of days from 1 to %d, or empty.", x.most)
		}
	}
	return errs.OrNil()
}

// KeepRehearsal is what keeping the samples of a reading for other times would do.
type KeepRehearsal struct {
	retention.Rehearsal
	Series int `json:"series"`
	// Share is the part of the stored pages that was looked at, 1 for all.
	Share float64 `json:"share"`
}

// triedSeries is how many series of a reading are looked at to learn what a
// day of it brings.
const triedSeries = 25

// RehearseKeep tells what SetKeep would do: what goes, what is left, and what
// the reading takes in the end. usual is the setting for all.
func (s *Service) RehearseKeep(ctx context.Context, k store.ReadingKey, days, usual store.KeepDays) (out KeepRehearsal, err error) {
	if err := s.checkKeep(k, days); err != nil {
		return out, err
	}
	keeps, err := s.store.Keeps.All(ctx)
	if err != nil {
		return out, err
	}
	series, err := s.store.Series.IDs(ctx, k)
	if err != nil {
		return out, err
	}
	today := int(time.Now().Unix() / 86_400)
	now, err := s.tryKeep(ctx, series, today, keeps[k], usual)
	if err != nil {
		return out, err
	}
	next, err := s.tryKeep(ctx, series, today, days, usual)
	if err != nil {
		return out, err
	}
	held, share, err := s.store.Samples.Held(ctx, series)
	if err != nil {
		return out, err
	}
	return KeepRehearsal{Rehearsal: retention.Rehearse(today, now, next, held), Series: len(series), Share: share}, nil
}

// tryKeep looks at some series, spread over all of them, on the last whole day.
func (s *Service) tryKeep(ctx context.Context, series []int64, today int, own, usual store.KeepDays) ([]retention.Kept, error) {
	step := max(1, len(series)/triedSeries)
	var some []int64
	for i := 0; i < len(series); i += step {
		some = append(some, series[i])
	}
	kept, err := s.store.Samples.Try(ctx, some, today-1, own.Times(), usual.Times())
	for i := range kept {
		kept[i].PerDay *= float64(len(series))
	}
	return kept, err
}
