package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"tirelessowl/internal/core/rate"
	"tirelessowl/internal/domain"
)

// Counters are the last looks at counters, kept from one run of the application to the next.
type Counters struct {
	area
	pool *pgxpool.Pool // for COPY, in a transaction of its own
}

// Save keeps the last look at counters for the next start, in the place
// of what was kept before. Those of series that are gone are left out.
func (s Counters) Save(ctx context.Context, last map[domain.ID]rate.Reading) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "TRUNCATE counters"); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "CREATE TEMPORARY TABLE seen (LIKE counters) ON COMMIT DROP"); err != nil {
			return err
		}
		rows := make([][]any, 0, len(last))
		for id, r := range last {
			rows = append(rows, []any{id, r.At, int64(r.Count), int16(r.Bits), hundredths(r.Uptime, r.UptimeKnown), r.Of.Index, hundredths(r.Of.Since, r.Of.SinceKnown)})
		}
		if _, err := tx.CopyFrom(ctx, pgx.Identifier{"seen"}, counterColumns, pgx.CopyFromRows(rows)); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, "INSERT INTO counters SELECT c.* FROM seen c JOIN series s ON s.id = c.series_id")
		return err
	})
}

var counterColumns = []string{"series_id", "at", "count", "bits", "uptime", "index", "since"}

// hundredths is a time of the device, or NULL where it does not tell.
func hundredths(of uint32, known bool) *int64 {
	if !known {
		return nil
	}
	n := int64(of)
	return &n
}

type counterRow struct {
	SeriesID int64
	At       time.Time
	Count    int64 // the 64 bits, read with a sign
	Bits     int16
	Uptime   *int64
	Index    string
	Since    *int64
}

func (r counterRow) reading() rate.Reading {
	out := rate.Reading{At: r.At.UTC(), Count: uint64(r.Count), Bits: int(r.Bits), UptimeKnown: r.Uptime != nil}
	if r.Uptime != nil {
		out.Uptime = uint32(*r.Uptime)
	}
	out.Of = rate.Instance{Index: r.Index, SinceKnown: r.Since != nil}
	if r.Since != nil {
		out.Of.Since = uint32(*r.Since)
	}
	return out
}

// Take returns what Save kept, once: after a crash, nothing older is taken for it.
func (s Counters) Take(ctx context.Context) (map[domain.ID]rate.Reading, error) {
	var rows []counterRow
	if err := s.q(ctx).Raw("DELETE FROM counters RETURNING series_id, at, count, bits, uptime, index, since").Scan(&rows).Error; err != nil {
		return nil, err
	}
	out := make(map[domain.ID]rate.Reading, len(rows))
	for _, r := range rows {
		out[r.SeriesID] = r.reading()
	}
	return out, nil
}
