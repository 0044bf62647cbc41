package store

import (
	"cmp"
	"context"
	"time"

	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/domain"
)

// Fittings are which kits are fitted where.
type Fittings struct{ area }

type fittingRow struct {
	ID         int64
	DeviceID   int64
	Kit        string
	Parameters map[string]string `gorm:"serializer:json"`
	Presets    map[string]string `gorm:"serializer:json"`
	FittedBy   string
	Who        string
	Since      *time.Time
	RuleID     *int64
	Inside     string
	Off        bool
}

func (fittingRow) TableName() string { return "fittings" }

func (r fittingRow) domain() domain.Fitting {
	return domain.Fitting{
		ID:         r.ID,
		DeviceID:   r.DeviceID,
		Kit:        r.Kit,
		Parameters: r.Parameters,
		Presets:    r.Presets,
		By:         domain.FittedBy(r.FittedBy),
		Who:        r.Who,
		Since:      orNever(r.Since),
		RuleID:     orZero(r.RuleID),
		Inside:     r.Inside,
		Off:        r.Off,
	}
}

// Of returns the fitted kits of a device, or of all for id 0.
func (s Fittings) Of(ctx context.Context, deviceID domain.ID) ([]domain.Fitting, error) {
	return s.some(ctx, deviceID, "NOT off")
}

// Said returns what is said of kits on a device, or on all for id 0: the fitted ones, and those that
// people keep off.
func (s Fittings) Said(ctx context.Context, deviceID domain.ID) ([]domain.Fitting, error) {
	return s.some(ctx, deviceID, "true")
}

func (s Fittings) some(ctx context.Context, deviceID domain.ID, which string) ([]domain.Fitting, error) {
	q := s.q(ctx).Where(which).Order("device_id, kit")
	if deviceID != 0 {
		q = q.Where("device_id = ?", deviceID)
	}
	var rows []fittingRow
	err := q.Find(&rows).Error
	return each(rows, fittingRow.domain), err
}

// On returns the fittings of one kit, also where it is kept off.
func (s Fittings) On(ctx context.Context, kit string) ([]domain.Fitting, error) {
	var rows []fittingRow
	err := s.q(ctx).Where("kit = ?", kit).Order("device_id").Find(&rows).Error
	return each(rows, fittingRow.domain), err
}

// ByRule counts the devices to which rules fit something, by rule.
func (s Fittings) ByRule(ctx context.Context) (map[domain.ID]int, error) {
	var rows []struct {
		RuleID  domain.ID
		Devices int
	}
	err := s.q(ctx).
		Raw("SELECT rule_id, count(DISTINCT device_id) AS devices FROM fittings WHERE rule_id IS NOT NULL AND NOT off GROUP BY 1").
		Scan(&rows).
		Error
	out := map[domain.ID]int{}
	for _, r := range rows {
		out[r.RuleID] = r.Devices
	}
	return out, err
}

// Lock keeps others from changing what is fitted until the end of the transaction.
func (s Fittings) Lock(ctx context.Context) error {
	return s.q(ctx).Exec("LOCK TABLE fittings IN SHARE ROW EXCLUSIVE MODE").Error
}

// Volume is on how many devices a kit is fitted, and how many parts it has there by kind.
type Volume struct {
	Kit     string
	Devices int
	Parts   map[string]int
}

// Volumes tells of each kit how much there is of it where a value reaches that is set on
// the tree, by kit.
func (s Fittings) Volumes(ctx context.Context, r inherit.Reach) (out []Volume, err error) {
	var rows []struct {
		Kit, Kind string
		Devices   int
		Parts     int
	}
	err = s.q(ctx).Raw(`SELECT f.kit, coalesce(p.kind, '') AS kind, count(DISTINCT f.device_id) AS devices, count(p.id) AS parts
		FROM fittings f JOIN devices d ON d.id = f.device_id
		LEFT JOIN parts p ON p.device_id = f.device_id AND p.kit = f.kit AND p.gone_at IS NULL
		WHERE NOT f.off AND `+reached+" GROUP BY 1, 2 ORDER BY 1, 2", reachedBy(r)...).Scan(&rows).Error
	for _, row := range rows {
		if len(out) == 0 || out[len(out)-1].Kit != row.Kit {
			out = append(out, Volume{Kit: row.Kit, Parts: map[string]int{}})
		}
		v := &out[len(out)-1]
		v.Devices = max(v.Devices, row.Devices)
		v.Parts[row.Kind] = row.Parts
	}
	return out, err
}

// Volume tells how much there is of one kit.
func (s Fittings) Volume(ctx context.Context, kit string) (Volume, error) {
	var rows []struct {
		Kind    string
		Devices int
		Parts   int
	}
	err := s.q(ctx).Raw(`SELECT coalesce(p.kind, '') AS kind, count(DISTINCT f.device_id) AS devices, count(p.id) AS parts
		FROM fittings f JOIN devices d ON d.id = f.device_id
		LEFT JOIN parts p ON p.device_id = f.device_id AND p.kit = f.kit AND p.gone_at IS NULL
		WHERE f.kit = ? AND NOT f.off GROUP BY 1`, kit).Scan(&rows).Error
	v := Volume{Kit: kit, Parts: map[string]int{}}
	for _, row := range rows {
		v.Devices, v.Parts[row.Kind] = max(v.Devices, row.Devices), row.Parts
	}
	return v, err
}

// fittingChange is a fitting as the database takes many of them.
type fittingChange struct {
	DeviceID   domain.ID         `json:"device_id"`
	Kit        string            `json:"kit"`
	Parameters map[string]string `json:"parameters"`
	Presets    map[string]string `json:"presets"`
	FittedBy   domain.FittedBy   `json:"fitted_by"`
	Who        string            `json:"who"`
	Since      *time.Time        `json:"since"`
	RuleID     *domain.ID        `json:"rule_id"`
	Inside     string            `json:"inside"`
	Off        bool              `json:"off"`
}

// Fit puts kits on devices, or changes what is said of them there.
func (s Fittings) Fit(ctx context.Context, fittings ...domain.Fitting) error {
	if len(fittings) == 0 {
		return nil
	}
	changes := each(fittings, func(f domain.Fitting) fittingChange {
		return fittingChange{f.DeviceID, f.Kit, orEmpty(f.Parameters), orEmpty(f.Presets), cmp.Or(f.By, domain.ByHand), f.Who,
			moment(f.Since), null(f.RuleID), f.Inside, f.Off}
	})
	return known(s.q(ctx).Exec(`INSERT INTO fittings (device_id, kit, parameters, presets, fitted_by, who, since, rule_id, inside, off)
		SELECT n.* FROM jsonb_to_recordset(?::jsonb) AS n(device_id bigint, kit text, parameters jsonb, presets jsonb, fitted_by text,
			who text, since timestamptz, rule_id bigint, inside text, off boolean)
		ON CONFLICT (device_id, kit) DO UPDATE SET parameters = excluded.parameters, presets = excluded.presets,
			fitted_by = excluded.fitted_by, who = excluded.who, since = excluded.since, rule_id = excluded.rule_id,
			inside = excluded.inside, off = excluded.off`, recordsOf(changes)).Error)
}

// Drop takes kits off devices, by device and kit. Their series, and what was collected, stay.
func (s Fittings) Drop(ctx context.Context, fittings ...domain.Fitting) error {
	if len(fittings) == 0 {
		return nil
	}
	changes := each(fittings, func(f domain.Fitting) fittingChange { return fittingChange{DeviceID: f.DeviceID, Kit: f.Kit} })
	return s.q(ctx).Exec(`DELETE FROM fittings f USING jsonb_to_recordset(?::jsonb) AS n(device_id bigint, kit text)
		WHERE f.device_id = n.device_id AND f.kit = n.kit`, recordsOf(changes)).Error
}

// Among returns those of some devices.
func (s Fittings) Among(ctx context.Context, devices []domain.ID) ([]domain.Fitting, error) {
	var rows []fittingRow
	err := s.q(ctx).Where("device_id = ANY(?::bigint[]) AND NOT off", arrayOf(devices)).Order("device_id, kit").Find(&rows).Error
	return each(rows, fittingRow.domain), err
}

// Forget drops all that is said of a kit.
func (s Fittings) Forget(ctx context.Context, kit string) error {
	return s.q(ctx).Exec("DELETE FROM fittings WHERE kit = ?", kit).Error
}
