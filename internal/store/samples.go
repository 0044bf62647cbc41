package store

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"gorm.io/gorm"

	"tirelessowl/internal/core/aggregate"
	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/core/envelope"
	"tirelessowl/internal/domain"
)

func sampleOf(p codec.Point) domain.Sample {
	return domain.Sample{At: time.UnixMilli(p.T).UTC(), Value: p.V}
}

// SamplesOf returns the stored values of a series between two times, ordered.
func (s *Store) SamplesOf(ctx context.Context, seriesID domain.ID, from, to time.Time) (out []domain.Sample, err error) {
	err = s.Samples.Points(ctx, []domain.ID{seriesID}, from, to, func(_ domain.ID, points []codec.Point) error {
		out = each(points, sampleOf)
		return nil
	})
	return out, err
}

// SamplesOfReading returns the stored values of all series of one reading, by
// series and ordered by time.
func (s *Store) SamplesOfReading(ctx context.Context, kit, reading string, from, to time.Time) (map[domain.ID][]domain.Sample, error) {
	var ids []domain.ID
	if err := s.q(ctx).Table("series").Where("kit = ? AND reading = ?", kit, reading).Pluck("id", &ids).Error; err != nil {
		return nil, err
	}
	out := make(map[domain.ID][]domain.Sample, len(ids))
	err := s.Samples.Points(ctx, ids, from, to, func(id domain.ID, points []codec.Point) error {
		out[id] = each(points, sampleOf)
		return nil
	})
	return out, err
}

// Latest is the newest value of a series with the one before it.
type Latest struct {
	SeriesID    domain.ID
	At          time.Time
	Value       float64
	BeforeAt    *time.Time
	BeforeValue *float64
}

// LatestIn returns the newest values of the given series, as far as there are any.
func (s *Store) LatestIn(ids []domain.ID) map[domain.ID]Latest {
	out := make(map[domain.ID]Latest, len(ids))
	for _, id := range ids {
		if l, ok := s.latest(id); ok {
			out[id] = l
		}
	}
	return out
}

func (s *Store) latest(id domain.ID) (Latest, bool) {
	newest, before, n := s.Samples.LastTwo(id)
	if n == 0 {
		return Latest{}, false
	}
	x := sampleOf(newest)
	l := Latest{SeriesID: id, At: x.At, Value: x.Value}
	if n > 1 {
		b := sampleOf(before)
		l.BeforeAt, l.BeforeValue = &b.At, &b.Value
	}
	return l, true
}

// Range answers a chart: at most about points steps between two times, with
// exact extremes. width is that of the steps, or a second where every value
// stands for itself; resolution is that of the rollup that was read, 0 for
// single samples.
func (s *Store) Range(ctx context.Context, x domain.Series, from, to time.Time, points int) (steps []domain.Step, width, resolution time.Duration, err error) {
	width = stepWidth(from, to, points)
	if int(to.Sub(from)/max(x.Interval, time.Second)) <= points*2 {
		samples, err := s.SamplesOf(ctx, x.ID, from, to)
		return envelope.Fold(samples, from, time.Second), time.Second, 0, err
	}
	resolution, err = s.Samples.Range(ctx, []domain.ID{x.ID}, from, to, width, func(_ domain.ID, got []codec.Step) error {
		steps = each(got, func(c codec.Step) domain.Step {
			return domain.Step{At: time.UnixMilli(c.T).UTC(), Count: c.Count, Min: c.Min, Avg: c.Avg(), Max: c.Max}
		})
		return nil
	})
	return steps, width, resolution, err
}

// stepWidth is a width that gives at most points steps and, where they are
// long, one that stored steps fit into.
func stepWidth(from, to time.Time, points int) time.Duration {
	grain := time.Second
	for _, g := range []time.Duration{5 * time.Minute, time.Hour, 24 * time.Hour} {
		if to.Sub(from)/time.Duration(max(1, points)) >= g {
			grain = g
		}
	}
	return envelope.Width(from, to, points, grain)
}

// ListedValue is a newest value with the names of what it belongs to.
type ListedValue struct {
	SeriesID    int64
	DeviceID    int64
	Device      string
	Part        string
	Kit         string
	Reading     string
	Name        string
	Unit        string
	Kind        domain.SeriesKind
	EveryS      int
	State       string
	Error       string
	At          *time.Time `gorm:"-"`
	Value       *float64   `gorm:"-"`
	BeforeValue *float64   `gorm:"-"`
	Text        string     `gorm:"-"` // the value of a text series
}

// ValueFilter picks latest values; zero fields do not filter.
type ValueFilter struct {
	Search  string // part of device, part or reading
	Kit     string
	Reading string
	State   string
	Sort    string // device, reading, value, age; with a leading "-" downwards
	Limit   int
	Offset  int
}

var valueOrder = map[string]string{
	"device": "d.name, p.id NULLS FIRST, s.id", "-device": "d.name DESC, s.id", "reading": "s.name, d.name, s.id", "-reading": "s.name DESC, d.name, s.id",
}

// LatestValues returns newest values over all devices, and how many match.
func (s *Store) LatestValues(ctx context.Context, f ValueFilter) ([]ListedValue, int64, error) {
	q := s.q(ctx).Table("series s").Joins("JOIN devices d ON d.id = s.device_id").Joins("LEFT JOIN parts p ON p.id = s.part_id")
	q = when(q, f.Kit != "", "s.kit = ?", f.Kit)
	q = when(q, f.Reading != "", "s.reading = ?", f.Reading)
	q = when(q, f.State != "", "s.state = ?", f.State)
	if f.Search != "" {
		like := "%" + escapeLike(f.Search) + "%"
		q = q.Where("d.name ILIKE ? OR p.name ILIKE ? OR s.name ILIKE ?", like, like, like)
	}
	var total int64
	order, byName := valueOrder[f.Sort]
	switch column := f.Sort; {
	case byName, column != "value" && column != "-value" && column != "age" && column != "-age":
		if err := q.Count(&total).Error; err != nil {
			return nil, 0, err
		}
		q = q.Order(cmp.Or(order, valueOrder["device"])).Limit(f.Limit).Offset(f.Offset)
	default: // newest values are in memory: the order is made there
		ids, err := manyIDs(q)
		if err != nil {
			return nil, 0, err
		}
		total = int64(len(ids))
		q = s.page(ctx, ids, f)
	}
	var rows []ListedValue
	err := q.Select("s.id AS series_id, s.device_id, d.name AS device, coalesce(p.name, '') AS part, s.kit, s.reading, s.name, s.unit, s.kind, s.every_s, s.state, s.error").Scan(&rows).Error
	for i := range rows {
		if l, ok := s.latest(rows[i].SeriesID); ok {
			rows[i].At, rows[i].Value, rows[i].BeforeValue = &l.At, &l.Value, l.BeforeValue
		}
	}
	if err != nil {
		return nil, 0, err
	}
	return rows, total, s.fillTexts(ctx, rows)
}

// fillTexts looks up the texts of text series.
func (s *Store) fillTexts(ctx context.Context, rows []ListedValue) error {
	needed := map[WordKey]bool{}
	key := func(r ListedValue) (WordKey, bool) {
		if r.Kind != domain.KindText || r.Value == nil {
			return WordKey{}, false
		}
		return WordKey{r.SeriesID, int(*r.Value)}, true
	}
	for _, r := range rows {
		if k, ok := key(r); ok {
			needed[k] = true
		}
	}
	words, err := s.Words(ctx, needed)
	for i, r := range rows {
		if k, ok := key(r); ok {
			rows[i].Text = words[k]
		}
	}
	return err
}

// manyIDs reads the ids of all series that a query picks as one value: with
// tens of thousands of them, rows would take several times as long.
func manyIDs(q *gorm.DB) ([]domain.ID, error) {
	var text string
	if err := q.Select("coalesce(string_agg(s.id::text, ','), '')").Row().Scan(&text); err != nil {
		return nil, err
	}
	ids := make([]domain.ID, 0, strings.Count(text, ",")+1)
	for len(text) > 0 {
		var one string
		one, text, _ = strings.Cut(text, ",")
		id, err := strconv.ParseInt(one, 10, 64)
		if err != nil {
			return nil, err
		}
		ids = append(ids, id)
	}
	return ids, nil
}

// page asks for one page of series in the order of their newest values;
// those without one come last.
func (s *Store) page(ctx context.Context, ids []domain.ID, f ValueFilter) *gorm.DB {
	type keyed struct {
		id  domain.ID
		has bool
		key float64
	}
	keys := make([]keyed, len(ids))
	for i, id := range ids {
		p, _, n := s.Samples.LastTwo(id)
		keys[i] = keyed{id, n > 0, p.V}
		if f.Sort == "age" || f.Sort == "-age" {
			keys[i].key = float64(-p.T) // a young value has a small age
		}
	}
	down := f.Sort[0] == '-'
	slices.SortFunc(keys, func(a, b keyed) int {
		if a.has != b.has {
			if a.has {
				return -1
			}
			return 1
		}
		c := cmp.Compare(a.key, b.key)
		if down {
			c = -c
		}
		return cmp.Or(c, cmp.Compare(a.id, b.id))
	})
	shown := []domain.ID{}
	for _, k := range keys[min(f.Offset, len(keys)):min(f.Offset+f.Limit, len(keys))] {
		shown = append(shown, k.id)
	}
	return s.q(ctx).Table("unnest(?::text::bigint[]) WITH ORDINALITY AS o(id, place)", arrayOf(shown)).Joins("JOIN series s ON s.id = o.id").
		Joins("JOIN devices d ON d.id = s.device_id").Joins("LEFT JOIN parts p ON p.id = s.part_id").Order("o.place")
}

// arrayOf writes ids as PostgreSQL reads an array: GORM would make a list of
// parameters out of a slice.
func arrayOf(ids []domain.ID) string {
	return "{" + strings.Trim(strings.Join(strings.Fields(fmt.Sprint(ids)), ","), "[]") + "}"
}

// FinishLoad brings the states of series and planner statistics up to date
// after a bulk load.
func (s *Store) FinishLoad(ctx context.Context) error {
	var ids, have []domain.ID
	if err := s.q(ctx).Table("series").Pluck("id", &ids).Error; err != nil {
		return err
	}
	for _, id := range ids {
		if _, _, n := s.Samples.LastTwo(id); n > 0 {
			have = append(have, id)
		}
	}
	if _, err := s.pool.Exec(ctx, "UPDATE series SET state = 'ok' WHERE id = ANY($1)", have); err != nil {
		return err
	}
	_, err := s.pool.Exec(ctx, "ANALYZE")
	return err
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
	err = s.q(ctx).Raw(`SELECT coalesce((SELECT relname FROM pg_class WHERE oid = pg_partition_root(c.oid)), CASE WHEN c.relname LIKE 'journal\_%' THEN 'journal' ELSE c.relname END)::text AS name, sum(greatest(c.reltuples, 0))::bigint AS rows, sum(pg_total_relation_size(c.oid))::float8 AS bytes
		FROM pg_class c WHERE c.relkind = 'r' AND c.relnamespace = 'public'::regnamespace GROUP BY 1 ORDER BY 3 DESC LIMIT 12`).Scan(&out.Tables).Error
	for _, t := range out.Tables {
		out.Total += t.Bytes
	}
	return out, err
}

// NamedSeries is a series with the names that tell it from all others.
type NamedSeries struct {
	ID      domain.ID
	Device  string
	Part    string
	Kit     string
	Reading string
	Unit    string
	Kind    domain.SeriesKind
}

// NamedFilter picks series by their names; empty fields do not filter.
type NamedFilter struct {
	Device, Part, Kit, Reading string
	ID                         domain.ID
}

// NamedSeries returns series by kit, reading, device and part.
func (s *Store) NamedSeries(ctx context.Context, f NamedFilter) (rows []NamedSeries, err error) {
	q := s.q(ctx).Table("series s").Joins("JOIN devices d ON d.id = s.device_id").Joins("LEFT JOIN parts p ON p.id = s.part_id")
	q = when(q, f.Device != "", "d.name = ?", f.Device)
	q = when(q, f.Part != "", "p.name = ?", f.Part)
	q = when(q, f.Kit != "", "s.kit = ?", f.Kit)
	q = when(q, f.Reading != "", "s.reading = ?", f.Reading)
	q = when(q, f.ID != 0, "s.id = ?", f.ID)
	err = q.Select("s.id, d.name AS device, coalesce(p.name, '') AS part, s.kit, s.reading, s.unit, s.kind").Order("s.kit, s.reading, d.name, p.name, s.id").Scan(&rows).Error
	return rows, err
}

// Combined is many series combined into one.
type Combined struct {
	Values     []aggregate.Value
	Top        []aggregate.Ranked
	Width      time.Duration // of the steps
	Resolution time.Duration // of the rollup that was read, 0 for single samples
}

// Combine reads series between two times in at most about points steps, and
// combines them while they are read; top is how many of the highest are named.
func (s *Store) Combine(ctx context.Context, ids []domain.ID, from, to time.Time, points int, how aggregate.How, top int) (out Combined, err error) {
	across, ranks := aggregate.NewAcross(how), aggregate.NewTop(top, how)
	out.Width = stepWidth(from, to, points)
	for part := range slices.Chunk(ids, combineBatch) {
		out.Resolution, err = s.Samples.Range(ctx, part, from, to, out.Width, func(id domain.ID, steps []codec.Step) error {
			across.Add(steps)
			ranks.Add(id, steps)
			return nil
		})
		if err != nil {
			return out, err
		}
	}
	out.Values, out.Top = across.Values(), ranks.Ranks()
	return out, nil
}

// combineBatch is how many series are read at once.
const combineBatch = 200
