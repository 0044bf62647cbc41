// Package audit lets people see what was changed or refused, by whom, and how things
// were before.
package audit

import (
	"context"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// Service is the use cases.
type Service struct{ desk *act.Desk }

// New returns the service.
func New(desk *act.Desk) *Service { return &Service{desk} }

// Page is part of what was noted.
type Page struct {
	Entries []domain.Entry
	Acts    []string // all that was ever done, to choose from
	Days    int      // for how long entries are kept
}

// Find returns what was noted, the newest first, as far as an actor may see.
func (s *Service) Find(ctx context.Context, who access.Actor, f domain.EntryFilter) (out Page, err error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRun)
	if err != nil {
		return out, err
	}
	if out.Entries, err = seen.Audit.Find(ctx, f); err != nil {
		return out, err
	}
	if out.Acts, err = seen.Audit.Acts(ctx); err != nil {
		return out, err
	}
	out.Days, err = seen.Audit.Days(ctx)
	return out, err
}

// One returns an entry, or ErrNotFound.
func (s *Service) One(ctx context.Context, who access.Actor, id domain.ID) (domain.Entry, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRun)
	if err != nil {
		return domain.Entry{}, err
	}
	return seen.Audit.One(ctx, id)
}

// exportBatch is how many entries are read at once.
const exportBatch = 1000

// Export hands over all entries that a filter picks, the newest first.
func (s *Service) Export(ctx context.Context, who access.Actor, f domain.EntryFilter, write func(domain.Entry) error) error {
	seen, err := s.desk.See(ctx, who, domain.AreaRun)
	if err != nil {
		return err
	}
	f.Limit, f.Offset = exportBatch, 0
	for {
		found, err := seen.Audit.Find(ctx, f)
		if err != nil {
			return err
		}
		for _, e := range found {
			if err := write(e); err != nil {
				return err
			}
		}
		if len(found) < exportBatch {
			return nil
		}
		f.Before = found[len(found)-1].ID
	}
}
