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

// UsualKeep is for how long samples are kept where nothing else is set, when
// single ones are kept for some days.
func UsualKeep(points int) domain.KeepDays {
	k := samples.KeepFor(time.Duration(points) * 24 * time.Hour)
	days := func(d time.Duration) int { return int(d / (24 * time.Hour)) }
	return domain.KeepDays{
		Points:      days(k.Points),
		FiveMinutes: days(k.FiveMinutes),
		Hours:       days(k.Hours),
		Days:        days(k.Days),
	}
}

type keepRow struct {
	Kit, Reading    string
	domain.KeepDays `       gorm:"embedded"`
}

const keepColumns = "coalesce(points, 0) AS points, coalesce(five_minutes, 0) AS five_minutes, coalesce(hours, 0) AS hours, " +
	"coalesce(days, 0) AS days"

// All returns for how long samples of readings are kept, where that is not
// the setting for all.
func (s Keeps) All(ctx context.Context) (map[domain.ReadingKey]domain.KeepDays, error) {
	var rows []keepRow
	if err := s.q(ctx).Table("keeps").Select("kit, reading, " + keepColumns).Scan(&rows).Error; err != nil {
		return nil, err
	}
	out := make(map[domain.ReadingKey]domain.KeepDays, len(rows))
	for _, r := range rows {
		if r.KeepDays != (domain.KeepDays{}) {
			out[domain.ReadingKey{Kit: r.Kit, Reading: r.Reading}] = r.KeepDays
		}
	}
	return out, nil
}

// Unsettled returns the readings whose changed times to keep are not applied
// yet to what is stored.
func (s Keeps) Unsettled(ctx context.Context) (map[domain.ReadingKey]bool, error) {
	var rows []domain.ReadingKey
	err := s.q(ctx).Table("keeps").Select("kit, reading").Where("NOT settled").Scan(&rows).Error
	out := make(map[domain.ReadingKey]bool, len(rows))
	for _, k := range rows {
		out[k] = true
	}
	return out, err
}

// Set changes for how long samples of a reading are kept; SettleKeeps
// applies it to what is stored already.
func (s Keeps) Set(ctx context.Context, k domain.ReadingKey, days domain.KeepDays) error {
	return s.q(ctx).
		Exec(`INSERT INTO keeps (kit, reading, points, five_minutes, hours, days)
			VALUES (?, ?, nullif(?, 0), nullif(?, 0), nullif(?, 0), nullif(?, 0))
		ON CONFLICT (kit, reading) DO UPDATE SET points = excluded.points, five_minutes = excluded.five_minutes, hours = excluded.hours,
		days = excluded.days, settled = false`,
			k.Kit, k.Reading, days.Points, days.FiveMinutes, days.Hours, days.Days).
		Error
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
		domain.KeepDays
	}
	rows, err := s.q(ctx).Raw("SELECT s.id, s.kind, s.every_s, "+keepColumns+` FROM series s LEFT JOIN keeps k USING (kit, reading)
		WHERE s.id = ANY(?::bigint[]) AND (s.kind <> 'number' OR k.kit IS NOT NULL)`, arrayOf(series)).Rows()
	all, err := collect(rows, err, func(rows *sql.Rows) (p planned, err error) {
		return p, rows.Scan(&p.id, &p.kind, &p.every, &p.Points, &p.FiveMinutes, &p.Hours, &p.Days)
	})
	out := make(map[int64]samples.Plan, len(all))
	for _, x := range all {
		p := samples.Plan{Keep: Times(x.KeepDays), NoRollups: x.kind == domain.KindText}
		if x.kind.Stands() {
			p.Runs = cadence.Gap(time.Duration(x.every) * time.Second)
		}
		out[x.id] = p
	}
	return out, err
}

// Times returns numbers of days as lengths of time.
func Times(d domain.KeepDays) samples.Keep {
	const day = 24 * time.Hour
	return samples.Keep{
		Points:      time.Duration(d.Points) * day,
		FiveMinutes: time.Duration(d.FiveMinutes) * day,
		Hours:       time.Duration(d.Hours) * day,
		Days:        time.Duration(d.Days) * day,
	}
}
