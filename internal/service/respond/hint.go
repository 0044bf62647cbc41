package respond

import (
	"context"
	"errors"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Hint is what asking a device for the things of a kit meets now, and what helps.
// Both are empty where it goes well.
type Hint struct{ Met, Advice string }

// Hint tells why a device does not answer, as far as is known: a runbook that
// follows the reason is worth more than one for all.
func (s *Service) Hint(ctx context.Context, who access.Actor, deviceID domain.ID, kit string) (Hint, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRespond)
	if err != nil {
		return Hint{}, err
	}
	return hint(ctx, seen.Sources, deviceID, kit)
}

func hint(ctx context.Context, sources store.Sources, deviceID domain.ID, kit string) (Hint, error) {
	x, err := sources.Failing(ctx, deviceID, kit)
	if errors.Is(err, domain.ErrNotFound) {
		return Hint{}, nil
	}
	return Hint{x.Error, derive.Failure(x.Failure).Advice()}, err
}

// Runbook puts what helps before what a rule says.
func (h Hint) Runbook(of string) string { return strings.TrimSpace(h.Advice + " " + of) }
