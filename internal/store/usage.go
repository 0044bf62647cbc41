package store

import (
	"context"
	"fmt"
	"time"

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
	// PerSample is what a sample of this reading takes lately with its rollups
	// and indexes, in bytes; 0 where none of the last days is at rest.
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
	since := recently()
	days, all := map[key]float64{}, map[key]float64{} // what the latest days take: their points, and all
	for i, table := range samples.RestTables() {
		size, pages, err := s.Samples.Size(ctx, table)
		if err != nil {
			return nil, 0, err
		}
		part := min(1, lookedAt/max(1, pages))
		share = min(share, part)
		var found []struct {
			Usage  `gorm:"embedded"`
			Latest float64
		}
		err = s.q(ctx).Raw(fmt.Sprintf(`SELECT s.kit, s.reading, s.device_id, sum(octet_length(x.data) + %[1]d)::float8 AS bytes,
			coalesce(sum(octet_length(x.data) + %[1]d) FILTER (WHERE x.day >= %[2]d), 0)::float8 AS latest FROM %[3]s x TABLESAMPLE SYSTEM (%[4]s)
			JOIN series s ON s.id = x.series_id GROUP BY 1, 2, 3`, samples.Overhead, since, table, samples.Percent(part))).Scan(&found).Error
		if err != nil {
			return nil, 0, err
		}
		total := 0.0
		for _, f := range found {
			total += f.Bytes
		}
		for _, f := range found {
			if place, ok := places[key{f.Kit, f.Reading, f.DeviceID}]; ok {
				rows[place].Bytes += f.Bytes / total * size
			}
			k := key{kit: f.Kit, reading: f.Reading}
			all[k] += f.Latest / total * size
			if i == 0 {
				days[k] += f.Latest / total * size
			}
		}
	}
	perSample, err := s.daySampleSize(ctx, since)
	for i, r := range rows {
		k := key{kit: r.Kit, reading: r.Reading}
		if days[k] > 0 { // what rollups add is taken from the sizes of the tables
			rows[i].PerSample = perSample[k] * all[k] / days[k]
		}
	}
	return rows, share, err
}

// recently is the last day that is at rest for sure: it tells what a sample
// takes now, while older ones may have been brought in at other intervals.
func recently() int { return int(time.Now().Add(-2*time.Hour).Unix()/86_400) - 1 }

// sizedPages is how many pages are looked at to learn what a sample takes.
const sizedPages = 1000

// daySampleSize measures, on some long chunks of a day and later ones, what a
// sample of each reading takes without rollups.
func (s *Store) daySampleSize(ctx context.Context, since int) (map[key]float64, error) {
	_, pages, err := s.Samples.Size(ctx, samples.RestTables()[0])
	if err != nil {
		return nil, err
	}
	rows, err := s.pool.Query(ctx, fmt.Sprintf(`SELECT s.kit, s.reading, x.data FROM days x TABLESAMPLE SYSTEM (%s) JOIN series s ON s.id = x.series_id WHERE x.day >= $1`,
		samples.Percent(min(1, sizedPages/max(1, pages)))), since)
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
