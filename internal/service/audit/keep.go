package audit

import (
	"context"
	"fmt"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// Kept is for how long entries are kept, or would be.
type Kept struct {
	Days int // now
	Gone int64
	// Why tells what goes with another time, and since when there are entries.
	Why why.Trace
}

var setKeep = act.Deed{Name: "set how long the audit is kept", Area: domain.AreaRun, Needs: domain.AccessAdminister}

// Rehearse tells what would go if entries were kept for so many days; zero asks for
// the time that is set. Errors are by field.
func (s *Service) Rehearse(ctx context.Context, who access.Actor, days int) (out Kept, err error) {
	seen, err := s.desk.SeeWhole(ctx, who, domain.AreaRun)
	if err != nil {
		return out, err
	}
	if out.Days, err = seen.Audit.Days(ctx); err != nil {
		return out, err
	}
	if days == 0 {
		days = out.Days
	}
	if err := checkDays(days); err != nil {
		return out, err
	}
	gone, oldest, err := seen.Audit.Older(ctx, days)
	if err != nil {
		return out, err
	}
	out.Gone, out.Why = gone, effect(days, gone, oldest)
	return out, nil
}

// effect says what keeping entries for so many days does.
func effect(days int, gone int64, oldest time.Time) (trace why.Trace) {
	trace.Answer = "Nothing goes: no entry is older than " + text.Count(int64(days), "day") + "."
	if gone > 0 {
		trace.Answer = text.Thousands(gone) + " of the entries go for good, within ten minutes."
		if gone == 1 {
			trace.Answer = "One entry goes for good, within ten minutes."
		}
	}
	if !oldest.IsZero() {
		trace.Because("The oldest entry is of "+oldest.UTC().Format("2006-01-02 15:04 UTC"), "", nil)
	}
	return trace
}

// SetKeep sets for how many days entries are kept. Errors are by field.
func (s *Service) SetKeep(ctx context.Context, who access.Actor, days int) error {
	return s.desk.Do(ctx, who, setKeep, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		if err := checkDays(days); err != nil {
			return err
		}
		was, err := w.Audit.Days(ctx)
		if err != nil || was == days {
			return err
		}
		w.Note(act.Thing{Kind: "setting", Name: "audit"}, kept{was}, kept{days})
		return w.Audit.SetDays(ctx, days)
	})
}

func checkDays(days int) error {
	if days < store.LeastAuditDays || days > store.MostAuditDays {
		return domain.FieldErrors{"days": fmt.Sprintf("must be a whole number from %d to %d", store.LeastAuditDays, store.MostAuditDays)}
	}
	return nil
}
