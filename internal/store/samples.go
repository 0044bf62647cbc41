package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"tirelessowl/internal/core/envelope"
	"tirelessowl/internal/domain"
)

// StepWidth is the width of the stored steps.
const StepWidth = 15 * time.Minute

// sampleDay and stepMonth name partitions by the time they begin at.
func sampleDay(at time.Time) (name string, from, to time.Time) {
	from = at.UTC().Truncate(24 * time.Hour)
	return "samples_" + from.Format("20060102"), from, from.AddDate(0, 0, 1)
}

func stepMonth(at time.Time) (name string, from, to time.Time) {
	from = time.Date(at.UTC().Year(), at.UTC().Month(), 1, 0, 0, 0, 0, time.UTC)
	return "steps_" + from.Format("200601"), from, from.AddDate(0, 1, 0)
}

// Prepare makes the partitions of samples and steps for all times between
// from and to.
func (s *Store) Prepare(ctx context.Context, from, to time.Time) error {
	if err := s.partitions(ctx, "samples", sampleDay, from, to); err != nil {
		return err
	}
	return s.PrepareSteps(ctx, from, to)
}

// PrepareSteps makes the partitions of steps only.
func (s *Store) PrepareSteps(ctx context.Context, from, to time.Time) error {
	return s.partitions(ctx, "steps", stepMonth, from, to)
}

func (s *Store) partitions(ctx context.Context, table string, at func(time.Time) (string, time.Time, time.Time), from, to time.Time) error {
	for from.Before(to) {
		name, begin, end := at(from)
		const layout = "2006-01-02 15:04:05Z07:00"
		sql := fmt.Sprintf("CREATE TABLE IF NOT EXISTS %s PARTITION OF %s FOR VALUES FROM ('%s') TO ('%s')", name, table, begin.Format(layout), end.Format(layout))
		if err := s.q(ctx).Exec(sql).Error; err != nil {
			return fmt.Errorf("partition %s: %w", name, err)
		}
		from = end
	}
	return nil
}

// DropBefore removes whole days of samples that ended before a time.
func (s *Store) DropBefore(ctx context.Context, before time.Time) (dropped []string, err error) {
	var names []string
	err = s.q(ctx).Raw("SELECT inhrelid::regclass::text FROM pg_inherits WHERE inhparent = 'samples'::regclass ORDER BY 1").Scan(&names).Error
	if err != nil {
		return nil, err
	}
	limit, _, _ := sampleDay(before)
	for _, name := range names {
		if name >= limit || !strings.HasPrefix(name, "samples_") {
			continue
		}
		if err := s.q(ctx).Exec("DROP TABLE " + pgx.Identifier{name}.Sanitize()).Error; err != nil {
			return dropped, err
		}
		dropped = append(dropped, name)
	}
	return dropped, nil
}

// WriteSamples stores values and moves the newest ones along, all or nothing.
// A value for a time that is stored already is left out, so that a write
// that was repeated after a lost answer does no harm.
func (s *Store) WriteSamples(ctx context.Context, samples []domain.SeriesSample) error {
	if len(samples) == 0 {
		return nil
	}
	ids, ats, values := make([]int64, len(samples)), make([]time.Time, len(samples)), make([]float64, len(samples))
	for i, x := range samples {
		ids[i], ats[i], values[i] = x.SeriesID, x.At, x.Value
	}
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `INSERT INTO samples SELECT * FROM unnest($1::bigint[], $2::timestamptz[], $3::float8[]) ON CONFLICT DO NOTHING`, ids, ats, values); err != nil {
			return fmt.Errorf("samples: %w", err)
		}
		// Only the newest of each series in this batch matters; series that
		// were deleted meanwhile are passed over.
		_, err := tx.Exec(ctx, `INSERT INTO latest AS l (series_id, at, value)
			SELECT DISTINCT ON (n.id) n.id, n.at, n.value FROM unnest($1::bigint[], $2::timestamptz[], $3::float8[]) AS n(id, at, value)
			JOIN series s ON s.id = n.id ORDER BY n.id, n.at DESC
			ON CONFLICT (series_id) DO UPDATE SET before_at = l.at, before_value = l.value, at = excluded.at, value = excluded.value
			WHERE excluded.at > l.at`, ids, ats, values)
		return err
	})
}

// CopySamples loads many new samples at once; none of them may exist yet.
func (s *Store) CopySamples(ctx context.Context, samples []domain.SeriesSample) error {
	_, err := s.pool.CopyFrom(ctx, pgx.Identifier{"samples"}, []string{"series_id", "at", "value"},
		pgx.CopyFromSlice(len(samples), func(i int) ([]any, error) {
			return []any{samples[i].SeriesID, samples[i].At, samples[i].Value}, nil
		}))
	return err
}

// SeriesSteps are the steps of one series.
type SeriesSteps struct {
	SeriesID domain.ID
	Steps    []domain.Step
}

// CopySteps loads many new steps at once; none of them may exist yet.
func (s *Store) CopySteps(ctx context.Context, all []SeriesSteps) error {
	i, k := 0, -1
	_, err := s.pool.CopyFrom(ctx, pgx.Identifier{"steps"}, []string{"series_id", "at", "count", "min", "avg", "max"},
		pgx.CopyFromFunc(func() ([]any, error) {
			for k++; i < len(all) && k >= len(all[i].Steps); i, k = i+1, 0 {
			}
			if i >= len(all) {
				return nil, nil
			}
			x := all[i].Steps[k]
			return []any{all[i].SeriesID, x.At, x.Count, x.Min, x.Avg, x.Max}, nil
		}))
	return err
}

// MakeSteps folds the samples between two times (multiples of StepWidth) into
// steps, replacing steps that were made before.
func (s *Store) MakeSteps(ctx context.Context, from, to time.Time) error {
	_, err := s.pool.Exec(ctx, `INSERT INTO steps SELECT series_id, date_bin('15 minutes', at, '2000-01-01Z') AS slot, count(*), min(value), avg(value), max(value)
		FROM samples WHERE at >= $1 AND at < $2 GROUP BY series_id, slot
		ON CONFLICT (series_id, at) DO UPDATE SET count = excluded.count, min = excluded.min, avg = excluded.avg, max = excluded.max`, from, to)
	return err
}

// Samples returns the stored values of a series between two times, ordered.
func (s *Store) Samples(ctx context.Context, seriesID domain.ID, from, to time.Time) ([]domain.Sample, error) {
	rows, err := s.pool.Query(ctx, "SELECT at, value FROM samples WHERE series_id = $1 AND at >= $2 AND at < $3 ORDER BY at", seriesID, from, to)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(r pgx.CollectableRow) (x domain.Sample, err error) {
		err = r.Scan(&x.At, &x.Value)
		x.At = x.At.UTC()
		return x, err
	})
}

// Steps returns the stored steps of a series between two times, ordered.
func (s *Store) Steps(ctx context.Context, seriesID domain.ID, from, to time.Time) ([]domain.Step, error) {
	rows, err := s.pool.Query(ctx, "SELECT at, count, min, avg, max FROM steps WHERE series_id = $1 AND at >= $2 AND at < $3 ORDER BY at", seriesID, from, to)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(r pgx.CollectableRow) (x domain.Step, err error) {
		err = r.Scan(&x.At, &x.Count, &x.Min, &x.Avg, &x.Max)
		x.At = x.At.UTC()
		return x, err
	})
}

// Recent returns the newest n samples of every series, ordered by time within
// a series, no older than since.
func (s *Store) Recent(ctx context.Context, n int, since time.Time, f func(domain.ID, domain.Sample)) error {
	rows, err := s.pool.Query(ctx, `SELECT r.series_id, r.at, r.value FROM series s CROSS JOIN LATERAL
		(SELECT series_id, at, value FROM samples WHERE series_id = s.id AND at >= $2 ORDER BY at DESC LIMIT $1) r ORDER BY r.series_id, r.at`, n, since)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var id domain.ID
		var x domain.Sample
		if err := rows.Scan(&id, &x.At, &x.Value); err != nil {
			return err
		}
		x.At = x.At.UTC()
		f(id, x)
	}
	return rows.Err()
}

// Latest is the newest value of a series with the one before it.
type Latest struct {
	SeriesID    domain.ID
	At          time.Time
	Value       float64
	BeforeAt    *time.Time
	BeforeValue *float64
}

// LatestOf returns the newest values of all series of a device that have any.
func (s *Store) LatestOf(ctx context.Context, deviceID domain.ID) (map[domain.ID]Latest, error) {
	var rows []Latest
	err := s.q(ctx).Raw("SELECT l.* FROM latest l JOIN series s ON s.id = l.series_id WHERE s.device_id = ?", deviceID).Scan(&rows).Error
	return byID(rows), err
}

// LatestIn returns the newest values of the given series.
func (s *Store) LatestIn(ctx context.Context, ids []domain.ID) (map[domain.ID]Latest, error) {
	var rows []Latest
	err := s.q(ctx).Raw("SELECT * FROM latest WHERE series_id IN ?", ids).Scan(&rows).Error
	return byID(rows), err
}

func byID(rows []Latest) map[domain.ID]Latest {
	out := make(map[domain.ID]Latest, len(rows))
	for _, r := range rows {
		out[r.SeriesID] = r
	}
	return out
}

// Newest returns the time of the newest value of all.
func (s *Store) Newest(ctx context.Context) (time.Time, error) {
	var at *time.Time
	err := s.pool.QueryRow(ctx, "SELECT max(at) FROM latest").Scan(&at)
	return orNever(at), err
}

// fillLatest takes the newest values from the samples, after a bulk load.
func (s *Store) fillLatest(ctx context.Context) error {
	return s.q(ctx).Exec(`INSERT INTO latest SELECT s.id, a.at, a.value, a.before_at, a.before_value FROM series s CROSS JOIN LATERAL
		(SELECT at, value, lead(at) OVER w AS before_at, lead(value) OVER w AS before_value FROM
			(SELECT at, value FROM samples WHERE series_id = s.id AND at > now() - interval '2 days' ORDER BY at DESC LIMIT 2) x
			WINDOW w AS (ORDER BY at DESC) LIMIT 1) a
		ON CONFLICT (series_id) DO UPDATE SET at = excluded.at, value = excluded.value, before_at = excluded.before_at, before_value = excluded.before_value`).Error
}

// FinishLoad brings newest values and planner statistics up to date after a
// bulk load.
func (s *Store) FinishLoad(ctx context.Context) error {
	if err := s.fillLatest(ctx); err != nil {
		return err
	}
	if _, err := s.pool.Exec(ctx, "UPDATE series SET state = 'ok' FROM latest WHERE latest.series_id = series.id"); err != nil {
		return err
	}
	_, err := s.pool.Exec(ctx, "ANALYZE")
	return err
}

// Range answers a chart: at most points steps between two times. It reads
// single samples while they are few and stored, else the stored steps; the
// tail that has no steps yet comes from samples. width is that of the steps
// returned, and raw tells whether single samples were read.
func (s *Store) Range(ctx context.Context, x domain.Series, from, to time.Time, points int, rawSince time.Time) (steps []domain.Step, width time.Duration, raw bool, err error) {
	width = envelope.Width(from, to, points, time.Second)
	expected := int(to.Sub(from) / max(x.Interval, time.Second))
	if !from.Before(rawSince) && expected <= maxRawRead {
		samples, err := s.Samples(ctx, x.ID, from, to)
		if expected <= points*2 {
			width = time.Second // every sample stands for itself
		}
		return envelope.Fold(samples, from, width), width, true, err
	}
	width = envelope.Width(from, to, points, StepWidth)
	stored, err := s.Steps(ctx, x.ID, from.Truncate(StepWidth), to)
	if err != nil {
		return nil, width, false, err
	}
	tail := from
	if n := len(stored); n > 0 {
		tail = stored[n-1].At.Add(StepWidth)
	}
	if tail.Before(to) {
		samples, err := s.Samples(ctx, x.ID, tail, to)
		if err != nil {
			return nil, width, false, err
		}
		stored = append(stored, envelope.Fold(samples, tail.Truncate(StepWidth), StepWidth)...)
	}
	return envelope.Merge(stored, from.Truncate(StepWidth), width), width, false, nil
}

// maxRawRead is how many single samples one chart line reads at most.
const maxRawRead = 12_000

// OldestRaw returns the begin of the oldest day that has single samples.
func (s *Store) OldestRaw(ctx context.Context) (time.Time, error) {
	var name string
	err := s.q(ctx).Raw("SELECT coalesce(min(inhrelid::regclass::text), '') FROM pg_inherits WHERE inhparent = 'samples'::regclass").Scan(&name).Error
	if err != nil || name == "" {
		return time.Now().UTC(), err
	}
	return time.Parse("samples_20060102", name)
}

// SeriesSubject is a series with the names of what it belongs to.
type SeriesSubject struct {
	domain.Series
	Device string
	Part   string
	Speed  float64 // bit/s, zero when not known
}

type subjectRow struct {
	Row    seriesRow `gorm:"embedded"`
	Device string
	Part   string
	Speed  float64
}

func (r subjectRow) subject() SeriesSubject {
	return SeriesSubject{Series: r.Row.domain(), Device: r.Device, Part: r.Part, Speed: r.Speed}
}

// SeriesOfReading returns the series of one reading with the names of their
// devices and parts.
func (s *Store) SeriesOfReading(ctx context.Context, kit, reading string, limit int) ([]SeriesSubject, error) {
	var rows []subjectRow
	err := s.q(ctx).Raw(`SELECT s.*, d.name AS device, coalesce(p.name, '') AS part, coalesce(p.speed, 0) AS speed FROM series s JOIN devices d ON d.id = s.device_id
		LEFT JOIN parts p ON p.id = s.part_id WHERE s.kit = ? AND s.reading = ? ORDER BY d.name, p.id LIMIT ?`, kit, reading, limit).Scan(&rows).Error
	return each(rows, subjectRow.subject), err
}

// SamplesOfReading returns the stored values of all series of one reading, by
// series and ordered by time.
func (s *Store) SamplesOfReading(ctx context.Context, kit, reading string, from, to time.Time) (map[domain.ID][]domain.Sample, error) {
	rows, err := s.pool.Query(ctx, `SELECT x.series_id, x.at, x.value FROM series s JOIN samples x ON x.series_id = s.id
		WHERE s.kit = $1 AND s.reading = $2 AND x.at >= $3 AND x.at < $4 ORDER BY x.series_id, x.at`, kit, reading, from, to)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[domain.ID][]domain.Sample{}
	for rows.Next() {
		var id domain.ID
		var x domain.Sample
		if err := rows.Scan(&id, &x.At, &x.Value); err != nil {
			return nil, err
		}
		out[id] = append(out[id], x)
	}
	return out, rows.Err()
}

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

// Storage returns sizes of the tables, largest first.
func (s *Store) Storage(ctx context.Context) (out Storage, err error) {
	err = s.q(ctx).Raw(`SELECT coalesce(p.relname, c.relname)::text AS name, sum(greatest(c.reltuples, 0))::bigint AS rows, sum(pg_total_relation_size(c.oid))::float8 AS bytes
		FROM pg_class c LEFT JOIN pg_inherits i ON i.inhrelid = c.oid LEFT JOIN pg_class p ON p.oid = i.inhparent
		WHERE c.relkind = 'r' AND c.relnamespace = 'public'::regnamespace GROUP BY 1 ORDER BY 3 DESC LIMIT 12`).Scan(&out.Tables).Error
	for _, t := range out.Tables {
		out.Total += t.Bytes
	}
	return out, err
}
