package store

import (
	"context"
	"fmt"

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
	// indexes, in bytes, on the last day if there is any; 0 where none is at rest.
	PerSample float64 `gorm:"-"`
}

// key is what usage is gathered by.
type key struct {
	kit, reading string
	device       domain.ID
}

// lookedAt is how many pages of a table are looked at to tell who fills it.
const lookedAt = 800

// Usage tells what the samples of each reading of each device take. The
// sizes of the tables are exact; who fills them is taken from a part of their
// pages when they are large. share is that part, 1 for all.
func (s Sizes) Usage(ctx context.Context) (out []Usage, share float64, err error) {
	var rows []Usage
	err = s.q(ctx).
		Raw(`SELECT s.kit, s.reading, s.device_id, d.place_id, d.name AS device, min(s.kind) AS kind, count(*) AS series,
			sum(86400.0 / s.every_s) AS per_day
		FROM series s JOIN devices d ON d.id = s.device_id GROUP BY 1, 2, 3, 4, 5`).
		Scan(&rows).
		Error
	if err != nil {
		return nil, 0, err
	}
	places := map[key]int{}
	for i, r := range rows {
		places[key{r.Kit, r.Reading, r.DeviceID}] = i
	}
	whole, latest, since := newSizes(), newSizes(), recently()
	share = 1
	for i, table := range samples.RestTables() {
		found, part, err := s.tableUsage(ctx, table, since)
		if err != nil {
			return nil, 0, err
		}
		share = min(share, part)
		for _, f := range found {
			if place, ok := places[key{f.Kit, f.Reading, f.DeviceID}]; ok {
				rows[place].Bytes += f.Bytes
			}
			k := key{kit: f.Kit, reading: f.Reading}
			whole.add(k, f.Bytes, i == 0)
			latest.add(k, f.Latest, i == 0)
		}
	}
	if err := s.countSamples(ctx, since, whole, latest); err != nil {
		return nil, 0, err
	}
	for i, r := range rows {
		k := key{kit: r.Kit, reading: r.Reading}
		if rows[i].PerSample = latest.perSample(k); rows[i].PerSample == 0 {
			rows[i].PerSample = whole.perSample(k)
		}
	}
	return rows, share, nil
}

// tableUse is what a reading of a device takes in one table, in bytes: in all,
// and of the latest days.
type tableUse struct {
	Kit, Reading  string
	DeviceID      domain.ID
	Bytes, Latest float64
}

// tableUsage shares out what a table takes by what is seen in a part of it.
func (s Sizes) tableUsage(ctx context.Context, table string, since int) (found []tableUse, part float64, err error) {
	size, pages, err := s.samples.Size(ctx, table)
	if err != nil {
		return nil, 0, err
	}
	part = min(1, lookedAt/max(1, pages))
	err = s.q(ctx).Raw(fmt.Sprintf(`SELECT s.kit, s.reading, s.device_id, sum(octet_length(x.data) + %[1]d)::float8 AS bytes,
		coalesce(sum(octet_length(x.data) + %[1]d) FILTER (WHERE x.day >= %[2]d), 0)::float8 AS latest
			FROM %[3]s x TABLESAMPLE SYSTEM (%[4]s)
		JOIN series s ON s.id = x.series_id GROUP BY 1, 2, 3`, samples.Overhead, since, table, samples.Percent(part))).Scan(&found).Error
	total := 0.0
	for _, f := range found {
		total += f.Bytes
	}
	for i := range found {
		found[i].Bytes *= size / total
		found[i].Latest *= size / total
	}
	return found, part, err
}
