package store

import (
	"context"
	"fmt"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store/samples"
)

// Usage is what the samples of one reading of one device take.
type Usage struct {
	Kit      string
	Reading  string
	DeviceID domain.ID
	PlaceID  domain.ID
	Device   string
	Kind     domain.SeriesKind
	Series   int
	PerDay   float64 // samples a day at the reading's interval
	Bytes    float64 // at rest now
	// PerSample is what a sample of this reading takes with its rollups and
	// indexes, in bytes; 0 where none is at rest.
	PerSample float64 `gorm:"-"`
}

// key is what usage is gathered by.
type key struct {
	kit, reading string
	device       domain.ID
}

// lookedAt is how many pages of a table are looked at to tell who fills it.
const lookedAt = 800

// SampleUsage tells what the samples of each reading of each device take. The
// sizes of the tables are exact; who fills them is taken from a part of their
// pages when they are large. share is that part, 1 for all.
func (s *Store) SampleUsage(ctx context.Context) (out []Usage, share float64, err error) {
	var rows []Usage
	err = s.q(ctx).Raw(`SELECT s.kit, s.reading, s.device_id, d.place_id, d.name AS device, min(s.kind) AS kind, count(*) AS series, sum(86400.0 / s.every_s) AS per_day
		FROM series s JOIN devices d ON d.id = s.device_id GROUP BY 1, 2, 3, 4, 5`).Scan(&rows).Error
	if err != nil {
		return nil, 0, err
	}
	places := map[key]int{}
	for i, r := range rows {
		places[key{r.Kit, r.Reading, r.DeviceID}] = i
	}
	share = 1
	var days map[key]float64
	tables := samples.RestTables()
	for _, table := range tables {
		size, pages, err := s.Samples.Size(ctx, table)
		if err != nil {
			return nil, 0, err
		}
		part := min(1, lookedAt/max(1, pages))
		share = min(share, part)
		var found []Usage
		err = s.q(ctx).Raw(fmt.Sprintf(`SELECT s.kit, s.reading, s.device_id, sum(octet_length(x.data) + %d)::float8 AS bytes FROM %s x TABLESAMPLE SYSTEM (%s)
			JOIN series s ON s.id = x.series_id GROUP BY 1, 2, 3`, samples.Overhead, table, samples.Percent(part))).Scan(&found).Error
		if err != nil {
			return nil, 0, err
		}
		total := 0.0
		for _, f := range found {
			total += f.Bytes
		}
		for _, f := range found {
			if i, ok := places[key{f.Kit, f.Reading, f.DeviceID}]; ok {
				rows[i].Bytes += f.Bytes / total * size
			}
		}
		if table == tables[0] {
			days = gather(rows)
		}
	}
	all := gather(rows)
	perSample, err := s.daySampleSize(ctx)
	for i, r := range rows {
		k := key{kit: r.Kit, reading: r.Reading}
		if days[k] > 0 { // what rollups add is taken from the sizes of the tables
			rows[i].PerSample = perSample[k] * all[k] / days[k]
		}
	}
	return rows, share, err
}

// gather adds up the bytes of each reading.
func gather(rows []Usage) map[key]float64 {
	out := map[key]float64{}
	for _, r := range rows {
		out[key{kit: r.Kit, reading: r.Reading}] += r.Bytes
	}
	return out
}

// sizedPages is how many pages are looked at to learn what a sample takes.
const sizedPages = 200

// daySampleSize measures, on some long chunks, what a sample of each reading
// takes without rollups.
func (s *Store) daySampleSize(ctx context.Context) (map[key]float64, error) {
	_, pages, err := s.Samples.Size(ctx, samples.RestTables()[0])
	if err != nil {
		return nil, err
	}
	rows, err := s.pool.Query(ctx, fmt.Sprintf(`SELECT s.kit, s.reading, x.data FROM days x TABLESAMPLE SYSTEM (%s) JOIN series s ON s.id = x.series_id`,
		samples.Percent(min(1, sizedPages/max(1, pages)))))
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	bytes, points := map[key]float64{}, map[key]float64{}
	var dec codec.Decoder
	for rows.Next() {
		var k key
		var data []byte
		if err := rows.Scan(&k.kit, &k.reading, &data); err != nil {
			return nil, err
		}
		sum, err := dec.Summary(data)
		if err != nil {
			return nil, err
		}
		bytes[k] += float64(len(data) + samples.Overhead)
		points[k] += float64(sum.Count)
	}
	for k := range bytes {
		bytes[k] /= max(1, points[k])
	}
	return bytes, rows.Err()
}
