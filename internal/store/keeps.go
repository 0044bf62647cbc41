package store

import (
	"context"
	"database/sql"
	"time"

	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store/samples"
)

// Keeps are for how long samples are kept.
type Keeps struct{ area }

// ReadingKey names a reading of a kit.
type ReadingKey struct {
	Kit     string `json:"kit"`
	Reading string `json:"reading"`
}

// KeepDays is for how many days the samples of a reading are kept, single and
// in rollups; 0 means the setting for all.
type KeepDays struct {
	Points      int `json:"points" required:"false"`
	FiveMinutes int `json:"five_minutes" required:"false"`
	Hours       int `json:"hours" required:"false"`
	Days        int `json:"days" required:"false"`
}

// Most days that samples may be kept: ten years of points, twenty of rollups.
const (
	MostPointDays  = 3650
	MostRollupDays = 7300
)

// UsualKeep is for how long samples are kept where nothing else is set, when
// single ones are kept for some days.
func UsualKeep(points int) KeepDays {
	k := samples.KeepFor(time.Duration(points) * 24 * time.Hour)
	days := func(d time.Duration) int { return int(d / (24 * time.Hour)) }
	return KeepDays{days(k.Points), days(k.FiveMinutes), days(k.Hours), days(k.Days)}
}

type keepRow struct {
	Kit, Reading string
	KeepDays     `gorm:"embedded"`
}

const keepColumns = "coalesce(points, 0) AS points, coalesce(five_minutes, 0) AS five_minutes, coalesce(hours, 0) AS hours, coalesce(days, 0) AS days"

// All returns for how long samples of readings are kept, where that is not
// the setting for all.
func (s Keeps) All(ctx context.Context) (map[ReadingKey]KeepDays, error) {
	var rows []keepRow
	if err := s.q(ctx).Table("keeps").Select("kit, reading, " + keepColumns).Scan(&rows).Error; err != nil {
		return nil, err
	}
	out := make(map[ReadingKey]KeepDays, len(rows))
	for _, r := range rows {
		if r.KeepDays != (KeepDays{}) {
			out[ReadingKey{r.Kit, r.Reading}] = r.KeepDays
		}
	}
	return out, nil
}

// Unsettled returns the readings whose changed times to keep are not applied
// yet to what is stored.
func (s Keeps) Unsettled(ctx context.Context) (map[ReadingKey]bool, error) {
	var rows []ReadingKey
	err := s.q(ctx).Table("keeps").Select("kit, reading").Where("NOT settled").Scan(&rows).Error
	out := make(map[ReadingKey]bool, len(rows))
	for _, k := range rows {
		out[k] = true
	}
	return out, err
}

// Set changes for how long samples of a reading are kept; SettleKeeps
// applies it to what is stored already.
func (s Keeps) Set(ctx context.Context, k ReadingKey, days KeepDays) error {
	return s.q(ctx).Exec(`INSERT INTO keeps (kit, reading, points, five_minutes, hours, days) VALUES (?, ?, nullif(?, 0), nullif(?, 0), nullif(?, 0), nullif(?, 0))
		ON CONFLICT (kit, reading) DO UPDATE SET points = excluded.points, five_minutes = excluded.five_minutes, hours = excluded.hours, days = excluded.days, settled = false`,
		k.Kit, k.Reading, days.Points, days.FiveMinutes, days.Hours, days.Days).Error
}

// settling returns the readings whose times to keep are not applied yet.
func (s Keeps) settling(ctx context.Context) (rows []keepRow, err error) {
	return rows, s.q(ctx).Table("keeps").Select("kit, reading, " + keepColumns).Where("NOT settled").Scan(&rows).Error
}

// settled notes that what is stored lies where a row says. Should the row
// have been changed again meanwhile, it stays unsettled.
func (s Keeps) settled(ctx context.Context, r keepRow) error {
	return s.q(ctx).Exec(`UPDATE keeps SET settled = true WHERE kit = ? AND reading = ?
		AND coalesce(points, 0) = ? AND coalesce(five_minutes, 0) = ? AND coalesce(hours, 0) = ? AND coalesce(days, 0) = ?`,
		r.Kit, r.Reading, r.Points, r.FiveMinutes, r.Hours, r.Days).Error
}

// prune removes rows that say nothing any more.
func (s Keeps) prune(ctx context.Context) error {
	return s.q(ctx).Exec("DELETE FROM keeps WHERE settled AND coalesce(points, five_minutes, hours, days) IS NULL").Error
}

// plans tells the sample store how series are kept.
func (s Keeps) plans(ctx context.Context, series []int64) (map[int64]samples.Plan, error) {
	type planned struct {
		id    int64
		kind  domain.SeriesKind
		every int
		KeepDays
	}
	rows, err := s.q(ctx).Raw("SELECT s.id, s.kind, s.every_s, "+keepColumns+` FROM series s LEFT JOIN keeps k USING (kit, reading)
		WHERE s.id = ANY(?::bigint[]) AND (s.kind <> 'number' OR k.kit IS NOT NULL)`, arrayOf(series)).Rows()
	all, err := collect(rows, err, func(rows *sql.Rows) (p planned, err error) {
		return p, rows.Scan(&p.id, &p.kind, &p.every, &p.Points, &p.FiveMinutes, &p.Hours, &p.Days)
	})
	out := make(map[int64]samples.Plan, len(all))
	for _, x := range all {
		p := samples.Plan{Keep: x.Times(), NoRollups: x.kind == domain.KindText}
		if x.kind.Stands() {
			p.Runs = cadence.Gap(time.Duration(x.every) * time.Second)
		}
		out[x.id] = p
	}
	return out, err
}

// Times returns the same as lengths of time.
func (d KeepDays) Times() samples.Keep {
	const day = 24 * time.Hour
	return samples.Keep{Points: time.Duration(d.Points) * day, FiveMinutes: time.Duration(d.FiveMinutes) * day, Hours: time.Duration(d.Hours) * day, Days: time.Duration(d.Days) * day}
}
