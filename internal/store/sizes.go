package store

import (
	"context"
	"fmt"
	"time"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/store/samples"
)

// Storage is what the database takes.
type Storage struct {
	Total  float64 // bytes
	Tables []TableSize
}

// TableSize is one table with all its partitions.
type TableSize struct {
	Name  string
	Rows  int64 // as the planner estimates
	Bytes float64
}

// Tables returns sizes of the tables, largest first.
func (s Sizes) Tables(ctx context.Context) (out Storage, err error) {
	err = s.q(ctx).
		Raw(`SELECT coalesce((SELECT relname FROM pg_class
			WHERE oid = pg_partition_root(c.oid)), CASE WHEN c.relname LIKE 'journal\_%' THEN 'journal' ELSE c.relname END)::text AS name,
				sum(greatest(c.reltuples, 0))::bigint AS rows, sum(pg_total_relation_size(c.oid))::float8 AS bytes
		FROM pg_class c WHERE c.relkind = 'r' AND c.relnamespace = 'public'::regnamespace GROUP BY 1 ORDER BY 3 DESC LIMIT 12`).
		Scan(&out.Tables).
		Error
	for _, t := range out.Tables {
		out.Total += t.Bytes
	}
	return out, err
}

// Sizes tell what the database takes.
type Sizes struct {
	area
	samples *samples.Store
}

// sizes is what the samples of readings take, of some days.
type sizes struct {
	points, all map[key]float64 // bytes of the tables: of single samples, and of all forms
	seen        map[key]float64 // bytes of single samples that were counted
	count       map[key]float64 // how many samples those are
}

func newSizes() *sizes {
	return &sizes{map[key]float64{}, map[key]float64{}, map[key]float64{}, map[key]float64{}}
}

// add takes what a reading takes in a table.
func (z *sizes) add(k key, bytes float64, points bool) {
	z.all[k] += bytes
	if points {
		z.points[k] += bytes
	}
}

// see takes a long chunk with its number of samples.
func (z *sizes) see(k key, bytes, n int) {
	z.seen[k] += float64(bytes + samples.Overhead)
	z.count[k] += float64(n)
}

// perSample is what a sample takes in all its forms: what rollups add is
// taken from the sizes of the tables. 0 where none was counted.
func (z *sizes) perSample(k key) float64 {
	if z.count[k] == 0 || z.points[k] == 0 {
		return 0
	}
	return z.seen[k] / z.count[k] * z.all[k] / z.points[k]
}

// recently is the last day that is at rest for sure: it tells what a sample
// takes now, while older ones may have been brought in at other intervals.
func recently() int { return int(time.Now().Add(-2*time.Hour).Unix()/86_400) - 1 }

// sizedPages is how many pages are looked at to learn what a sample takes.
const sizedPages = 1000

// countSamples counts the samples in some long chunks, of all days and of those
// since one.
func (s Sizes) countSamples(ctx context.Context, since int, whole, latest *sizes) error {
	_, pages, err := s.samples.Size(ctx, samples.RestTables()[0])
	if err != nil {
		return err
	}
	rows, err := s.q(ctx).
		Raw(fmt.Sprintf(`SELECT s.kit, s.reading, x.day, x.data FROM days x TABLESAMPLE SYSTEM (%s) JOIN series s ON s.id = x.series_id`,
			samples.Percent(min(1, sizedPages/max(1, pages))))).
		Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	var dec codec.Decoder
	for rows.Next() {
		var k key
		var day int
		var data []byte
		if err := rows.Scan(&k.kit, &k.reading, &day, &data); err != nil {
			return err
		}
		sum, err := dec.Summary(data)
		if err != nil {
			return err
		}
		whole.see(k, len(data), sum.Count)
		if day >= since {
			latest.see(k, len(data), sum.Count)
		}
	}
	return rows.Err()
}
