// Package audit lets people see what was changed or refused, by whom, and how things
// were before.
package audit

import (
	"context"
	"maps"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// Service is the use cases.
type Service struct {
	desk *act.Desk
	// undo is how deeds are undone, by their names.
	undo map[string]act.Undoing
}

// New returns the service; undo is how deeds are undone, by their names.
func New(desk *act.Desk, undo map[string]act.Undoing) *Service {
	s := &Service{desk, map[string]act.Undoing{}}
	maps.Copy(s.undo, undo)
	s.undo[setKeep.Name] = s.undoKeep()
	return s
}

// Page is part of what was noted.
type Page struct {
	Rows []Row
	Acts []string // all that was ever done, to choose from
	Days int      // for how long entries are kept
	// Total is how many match in all, where a page was asked for.
	Total int64
}

// Find returns what was noted, the newest first, as far as an actor may see.
func (s *Service) Find(ctx context.Context, who access.Actor, f domain.EntryFilter) (out Page, err error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRun)
	if err != nil {
		return out, err
	}
	var entries []domain.Entry
	if f.Page != nil {
		entries, out.Total, err = seen.Audit.Page(ctx, f)
	} else {
		entries, err = seen.Audit.Find(ctx, f)
	}
	if err != nil {
		return out, err
	}
	for _, e := range entries {
		out.Rows = append(out.Rows, Row{e, Changes(e)})
	}
	if err := inWords(ctx, seen, out.Rows); err != nil {
		return out, err
	}
	if out.Acts, err = seen.Audit.Acts(ctx); err != nil {
		return out, err
	}
	out.Days, err = seen.Audit.Days(ctx)
	return out, err
}

// One returns an entry with what was changed in words, or ErrNotFound.
func (s *Service) One(ctx context.Context, who access.Actor, id domain.ID) (Row, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRun)
	if err != nil {
		return Row{}, err
	}
	e, err := seen.Audit.One(ctx, id)
	if err != nil {
		return Row{}, err
	}
	row := []Row{{e, Changes(e)}}
	return row[0], inWords(ctx, seen, row)
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
