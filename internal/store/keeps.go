package store

import (
	"context"
	"time"

	"tirelessowl/internal/core/runs"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store/samples"
)

// ReadingKey names a reading of a kit.
type ReadingKey struct{ Kit, Reading string }

// KeepDays is for how many days the samples of a reading are kept, single and
// in steps; 0 means the setting for all.
type KeepDays struct {
	Points      int `json:"points" required:"false"`
	FiveMinutes int `json:"five_minutes" required:"false"`
	Hours       int `json:"hours" required:"false"`
	Days        int `json:"days" required:"false"`
}

// Most days that samples may be kept: ten years of points, twenty of steps.
const (
	MostPointDays = 3650
	MostStepDays  = 7300
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

// Keeps returns for how long samples of readings are kept, where that is not
// the setting for all.
func (s *Store) Keeps(ctx context.Context) (map[ReadingKey]KeepDays, error) {
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
func (s *Store) Unsettled(ctx context.Context) (map[ReadingKey]bool, error) {
	var rows []ReadingKey
	err := s.q(ctx).Table("keeps").Select("kit, reading").Where("NOT settled").Scan(&rows).Error
	out := make(map[ReadingKey]bool, len(rows))
	for _, k := range rows {
		out[k] = true
	}
	return out, err
}

// SetKeep changes for how long samples of a reading are kept; SettleKeeps
// applies it to what is stored already.
func (s *Store) SetKeep(ctx context.Context, k ReadingKey, days KeepDays) error {
	return s.q(ctx).Exec(`INSERT INTO keeps (kit, reading, points, five_minutes, hours, days) VALUES (?, ?, nullif(?, 0), nullif(?, 0), nullif(?, 0), nullif(?, 0))
		ON CONFLICT (kit, reading) DO UPDATE SET points = excluded.points, five_minutes = excluded.five_minutes, hours = excluded.hours, days = excluded.days, settled = false`,
		k.Kit, k.Reading, days.Points, days.FiveMinutes, days.Hours, days.Days).Error
}

// SeriesIDs returns all series of a reading.
func (s *Store) SeriesIDs(ctx context.Context, k ReadingKey) (ids []domain.ID, err error) {
	return ids, s.q(ctx).Table("series").Where("kit = ? AND reading = ?", k.Kit, k.Reading).Order("id").Pluck("id", &ids).Error
}

// SettleKeeps brings what is stored to where changed times to keep say, and
// returns how many readings that concerned. It can be broken off and repeated.
func (s *Store) SettleKeeps(ctx context.Context) (int, error) {
	var rows []keepRow
	if err := s.q(ctx).Table("keeps").Select("kit, reading, " + keepColumns).Where("NOT settled").Scan(&rows).Error; err != nil {
		return 0, err
	}
	for i, r := range rows {
		ids, err := s.SeriesIDs(ctx, ReadingKey{r.Kit, r.Reading})
		if err != nil {
			return i, err
		}
		if err := s.Samples.Refile(ctx, ids); err != nil {
			return i, err
		}
		// Should it have been changed again meanwhile, it stays unsettled.
		err = s.q(ctx).Exec(`UPDATE keeps SET settled = true WHERE kit = ? AND reading = ? AND coalesce(points, 0) = ? AND coalesce(five_minutes, 0) = ? AND coalesce(hours, 0) = ? AND coalesce(days, 0) = ?`,
			r.Kit, r.Reading, r.Points, r.FiveMinutes, r.Hours, r.Days).Error
		if err != nil {
			return i, err
		}
	}
	return len(rows), s.q(ctx).Exec("DELETE FROM keeps WHERE settled AND coalesce(points, five_minutes, hours, days) IS NULL").Error
}

// plans tells the sample store how series are kept.
func (s *Store) plans(ctx context.Context, series []int64) (map[int64]samples.Plan, error) {
	rows, err := s.pool.Query(ctx, "SELECT s.id, s.kind, s.every_s, "+keepColumns+` FROM series s LEFT JOIN keeps k USING (kit, reading)
		WHERE s.id = ANY($1) AND (s.kind <> 'number' OR k.kit IS NOT NULL)`, series)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[int64]samples.Plan{}
	for rows.Next() {
		var id int64
		var kind domain.SeriesKind
		var every int
		var d KeepDays
		if err := rows.Scan(&id, &kind, &every, &d.Points, &d.FiveMinutes, &d.Hours, &d.Days); err != nil {
			return nil, err
		}
		p := samples.Plan{Keep: d.Times(), NoSteps: kind == domain.KindText}
		if kind.Stands() {
			p.Runs = runs.Gap(time.Duration(every) * time.Second)
		}
		out[id] = p
	}
	return out, rows.Err()
}

// Times returns the same as lengths of time.
func (d KeepDays) Times() samples.Keep {
	const day = 24 * time.Hour
	return samples.Keep{Points: time.Duration(d.Points) * day, FiveMinutes: time.Duration(d.FiveMinutes) * day, Hours: time.Duration(d.Hours) * day, Days: time.Duration(d.Days) * day}
}
