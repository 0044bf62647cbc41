package samples

import (
	"context"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5/pgtype"

	"tirelessowl/internal/core/codec"
)

// Overhead is what a row takes beside its data: its head, its key, its
// entry in the index.
const Overhead = 64

// RestTables returns the names of the tables that hold samples at rest, that of
// the points first.
func RestTables() (names []string) {
	for _, t := range restTables {
		names = append(names, t.name)
	}
	return names
}

// Size returns what a table takes with its indexes, and the pages of it
// without them.
func (s *Store) Size(ctx context.Context, table string) (bytes, pages float64, err error) {
	err = s.pool.QueryRow(ctx, `SELECT coalesce(sum(pg_total_relation_size(relid)), 0)::float8,
		coalesce(sum(pg_relation_size(relid)), 0)::float8 / 8192
		FROM pg_partition_tree($1::regclass) WHERE isleaf`, table).
		Scan(&bytes, &pages)
	return bytes, pages, err
}

// sizePages bounds what is looked at to learn the size of a sample.
const sizePages = 200

// BytesPerSample measures what a sample takes at rest, with its rollups and
// indexes; 0 when there are none at rest.
func (s *Store) BytesPerSample(ctx context.Context) (float64, error) {
	total, days, pages := 0.0, 0.0, 0.0
	for _, name := range RestTables() {
		bytes, n, err := s.Size(ctx, name)
		if err != nil {
			return 0, err
		}
		if total += bytes; name == daysTable.name {
			days, pages = bytes, n
		}
	}
	rows, err := s.pool.Query(ctx, fmt.Sprintf("SELECT data FROM days TABLESAMPLE SYSTEM (%s)", Percent(sizePages/max(sizePages, pages))))
	if err != nil {
		return 0, err
	}
	defer rows.Close()
	var dec codec.Decoder
	var data pgtype.DriverBytes
	bytes, points := 0.0, 0.0
	for rows.Next() {
		if err := rows.Scan(&data); err != nil {
			return 0, err
		}
		sum, err := dec.Summary(data)
		if err != nil {
			return 0, err
		}
		bytes, points = bytes+float64(len(data)+Overhead), points+float64(sum.Count)
	}
	if err := rows.Err(); err != nil || points == 0 || days == 0 {
		return 0, err
	}
	return total / (days * points / bytes), nil
}

// Percent writes a share as TABLESAMPLE takes it.
func Percent(share float64) string {
	return strings.TrimRight(strings.TrimRight(fmt.Sprintf("%.6f", 100*share), "0"), ".")
}
