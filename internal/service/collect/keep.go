package collect

import (
	"context"
	"fmt"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/retention"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

var setKeep = act.Deed{Name: "set how long values are kept", Area: domain.AreaRun, Needs: domain.AccessConfigure}

// SetKeep changes for how many days the samples of a reading are kept, single
// and in rollups; 0 means the setting for all. What is stored already follows
// within minutes.
func (s *Service) SetKeep(ctx context.Context, who access.Actor, k domain.ReadingKey, days domain.KeepDays) error {
	return s.Desk.Do(ctx, who, setKeep, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		if err := s.checkKeep(k, days); err != nil {
			return err
		}
		keeps, err := w.Keeps.All(ctx)
		if err != nil || keeps[k] == days {
			return err // nothing stored needs to be looked at
		}
		w.Note(act.Thing{Kind: "reading", Name: k.Kit + "/" + k.Reading}, keeps[k], days)
		return w.Keeps.Set(ctx, k, days)
	})
}

// KeepsOf tells for how long readings are kept where that is not the setting for all.
func (s *Service) KeepsOf(ctx context.Context, who access.Actor) (map[domain.ReadingKey]domain.KeepDays, error) {
	seen, err := s.Desk.SeeWhole(ctx, who, domain.AreaRun)
	if err != nil {
		return nil, err
	}
	return seen.Keeps.All(ctx)
}

// checkKeep refuses what cannot be set; the errors are by field.
func (s *Service) checkKeep(k domain.ReadingKey, days domain.KeepDays) error {
	kit, err := s.Kit(k.Kit)
	if err != nil {
		return err
	}
	if _, ok := kit.Reading(k.Reading); !ok {
		return fmt.Errorf("reading %q of the kit %q: %w", k.Reading, k.Kit, domain.ErrNotFound)
	}
	errs := domain.FieldErrors{}
	for field, x := range map[string]struct{ days, most int }{
		"points": {days.Points, domain.MostPointDays}, "five_minutes": {days.FiveMinutes, domain.MostRollupDays},
		"hours": {days.Hours, domain.MostRollupDays}, "days": {days.Days, domain.MostRollupDays},
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
func (s *Service) RehearseKeep(
	ctx context.Context,
	who access.Actor,
	k domain.ReadingKey,
	days, usual domain.KeepDays,
) (out KeepRehearsal, err error) {
	if _, err := s.Desk.SeeWhole(ctx, who, domain.AreaRun); err != nil {
		return out, err
	}
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
func (s *Service) tryKeep(ctx context.Context, series []int64, today int, own, usual domain.KeepDays) ([]retention.Kept, error) {
	step := max(1, len(series)/triedSeries)
	var some []int64
	for i := 0; i < len(series); i += step {
		some = append(some, series[i])
	}
	kept, err := s.store.Samples.Try(ctx, some, today-1, store.Times(own), store.Times(usual))
	for i := range kept {
		kept[i].PerDay *= float64(len(series))
	}
	return kept, err
}
