package samples

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
)

// foldBatch is how many series are folded in one transaction.
const foldBatch = 1000

// FoldDue folds all days that ended long enough ago, and those of them that
// got late points. It returns how many days were folded.
func (s *Store) FoldDue(ctx context.Context, now time.Time) (int, error) {
	limit := DayOf(now.Add(-s.opt.FoldAfter).UnixMilli())
	days := s.openDays()
	slices.Sort(days)
	done := 0
	for _, day := range days {
		if day >= limit {
			break
		}
		if err := s.fold(ctx, day); err != nil {
			return done, fmt.Errorf("fold day %d: %w", day, err)
		}
		done++
	}
	return done, nil
}

// fold makes one long chunk for each series out of all its chunks of a day,
// with its rollups, and drops the table of the short ones. It can be broken
// off at any place: what was done is done again with the same result.
func (s *Store) fold(ctx context.Context, day int) error {
	s.folding.begin(day)
	name, _, _ := chunksTable.partition(keepUsual, day)
	rows, err := s.pool.Query(ctx, "SELECT DISTINCT series_id FROM "+name+" ORDER BY 1")
	if err != nil {
		return err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return err
	}
	if err := s.foldSeries(ctx, day, ids); err != nil {
		return err
	}
	// Series that got chunks meanwhile are few; none can come while they are folded.
	s.folding.Lock()
	defer s.folding.Unlock()
	if err := s.foldSeries(ctx, day, slices.Collect(maps.Keys(s.folding.arrived))); err != nil {
		return err
	}
	_, err = s.drop(ctx, chunksTable, keepUsual, day)
	return err
}

// folding notes which series get chunks of the day that is being folded.
// Whoever stores chunks holds it for reading, so that holding it whole keeps
// chunks from coming.
type folding struct {
	sync.RWMutex
	day     int
	mu      sync.Mutex
	arrived map[int64]bool
}

func (f *folding) begin(day int) {
	f.Lock()
	defer f.Unlock()
	f.day, f.arrived = day, map[int64]bool{}
}

// note is called within RLock, when the chunks are committed.
func (f *folding) note(rows []chunkRow) {
	f.mu.Lock()
	defer f.mu.Unlock()
	for _, r := range rows {
		if r.day == f.day && f.arrived != nil {
			f.arrived[r.series] = true
		}
	}
}

func (s *Store) foldSeries(ctx context.Context, day int, ids []int64) error {
	w := dayWriter{Store: s}
	for batch := range slices.Chunk(ids, foldBatch) {
		if err := ctx.Err(); err != nil {
			return err
		}
		if err := w.foldBatch(ctx, day, batch); err != nil {
			return err
		}
	}
	return nil
}
