package store

import (
	"context"
	"database/sql"
	"slices"
	"strings"
	"sync"

	"tirelessowl/internal/domain"
)

// standing remembers which devices lie within scopes for as long as none comes, goes or
// moves: to ask that again with each statement costs more than many a statement.
type standing struct {
	mu sync.Mutex
	of map[string]stood
}

// stood is which devices lay within a scope after some moves, as runs of neighbours.
type stood struct {
	moves string
	runs  [][2]domain.ID
}

// mostDeviceRuns is up to how many runs of neighbours the devices of a scope are written out;
// mostScopes how many scopes are remembered.
const (
	mostDeviceRuns = 32
	mostScopes     = 500
)

// lastMoves tells the moves up to now. One that is told late, by a transaction that began
// before another and ended after it, changes the count and the sum and not the last.
const lastMoves = "SELECT concat_ws('/', count(*), sum(id), max(id)) FROM public.device_moves"

// devicesWithin are the devices of a scope.
const devicesWithin = "SELECT id FROM public.all_devices WHERE " + devices

// within returns the devices of a scope as runs of neighbours; not nil, even where there are none.
func (s *standing) within(ctx context.Context, p scopedPool) ([][2]domain.ID, error) {
	var moves string
	if err := p.ConnPool.QueryRowContext(ctx, lastMoves).Scan(&moves); err != nil {
		return nil, err
	}
	key := p.scope.Key()
	if known := s.known(key); known.moves == moves {
		return known.runs, nil
	}
	// What moves from here on is in this answer or not: the next statement asks again.
	text, args := p.filled(devicesWithin, nil)
	rows, err := p.ConnPool.QueryContext(ctx, text, args...)
	ids, err := collect(rows, err, func(r *sql.Rows) (id domain.ID, err error) { return id, r.Scan(&id) })
	if err != nil {
		return nil, err
	}
	now := stood{moves, append([][2]domain.ID{}, domain.InOrder(slices.Values(ids)).Runs...)}
	s.keep(key, now)
	return now.runs, nil
}

func (s *standing) known(key string) stood {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.of[key]
}

func (s *standing) keep(key string, now stood) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.of == nil || len(s.of) >= mostScopes {
		s.of = map[string]stood{}
	}
	s.of[key] = now
}

// deviceMarks are the columns of a device's id in the conditions of seen.go.
var deviceMarks = []string{"device_id", "behind_id"}

// ofDevices puts into a statement which devices are those of the scope: as runs of neighbours
// where these are few, else as a question of its own.
func (p scopedPool) ofDevices(ctx context.Context, text string) string {
	if !slices.ContainsFunc(deviceMarks, func(c string) bool { return strings.Contains(text, "{"+c+"}") }) {
		return text
	}
	among := func(column string) string { return column + " IN (" + devicesWithin + ")" }
	// Where it cannot be told, the statement itself fails for the same reason.
	p.once.Do(func() { *p.runs, _ = p.standing.within(ctx, p) })
	if runs := *p.runs; runs != nil && len(runs) <= mostDeviceRuns {
		among = func(column string) string { return amongRuns(column, runs) }
	}
	for _, column := range deviceMarks {
		text = strings.ReplaceAll(text, "{"+column+"}", among(column))
	}
	return text
}
