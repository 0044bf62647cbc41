package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"tirelessowl/internal/core/rate"
	"tirelessowl/internal/domain"
)

// SaveCounters keeps the last look at counters for the next start, in the place
// of what was kept before. Those of series that are gone are left out.
func (s *Store) SaveCounters(ctx context.Context, last map[domain.ID]rate.Reading) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "TRUNCATE counters"); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "CREATE TEMPORARY TABLE seen (LIKE counters) ON COMMIT DROP"); err != nil {
			return err
		}
		rows := make([][]any, 0, len(last))
		for id, r := range last {
			var uptime *int64
			if r.UptimeKnown {
				hundredths := int64(r.Uptime)
				uptime = &hundredths
			}
			rows = append(rows, []any{id, r.At, int64(r.Count), int16(r.Bits), uptime})
		}
		if _, err := tx.CopyFrom(ctx, pgx.Identifier{"seen"}, []string{"series_id", "at", "count", "bits", "uptime"}, pgx.CopyFromRows(rows)); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, "INSERT INTO counters SELECT c.* FROM seen c JOIN series s ON s.id = c.series_id")
		return err
	})
}

// TakeCounters returns what SaveCounters kept, once: after a crash, nothing
// older is taken for it.
func (s *Store) TakeCounters(ctx context.Context) (map[domain.ID]rate.Reading, error) {
	rows, err := s.pool.Query(ctx, "DELETE FROM counters RETURNING series_id, at, count, bits, uptime")
	if err != nil {
		return nil, err
	}
	out := map[domain.ID]rate.Reading{}
	var id, count int64
	var at time.Time
	var bits int16
	var uptime *int64
	_, err = pgx.ForEachRow(rows, []any{&id, &at, &count, &bits, &uptime}, func() error {
		r := rate.Reading{At: at.UTC(), Count: uint64(count), Bits: int(bits), UptimeKnown: uptime != nil}
		if uptime != nil {
			r.Uptime = uint32(*uptime)
		}
		out[id] = r
		return nil
	})
	return out, err
}
