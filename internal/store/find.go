package store

import (
	"context"
	"time"

	"gorm.io/gorm/clause"

	"tirelessowl/internal/domain"
)

type sweepRow struct {
	ID        int64
	Name      string
	Ranges    string
	Exclude   string
	Port      int
	Pace      int
	State     string
	Total     int64
	Tried     int64
	Found     int64
	Error     string
	CreatedAt time.Time
	StartedAt *time.Time
	EndedAt   *time.Time
}

func (sweepRow) TableName() string { return "sweeps" }

func (r sweepRow) domain() domain.Sweep {
	return domain.Sweep{ID: r.ID, Name: r.Name, Ranges: r.Ranges, Exclude: r.Exclude, Port: r.Port, Pace: r.Pace, State: domain.SweepState(r.State), Total: r.Total,
		Tried: r.Tried, Found: r.Found, Error: r.Error, CreatedAt: r.CreatedAt.UTC(), StartedAt: orNever(r.StartedAt), EndedAt: orNever(r.EndedAt)}
}

// SaveSweep inserts a sweep with its credentials, or changes the state and
// progress of one that has an id.
func (s *Store) SaveSweep(ctx context.Context, w domain.Sweep) (domain.Sweep, error) {
	row := sweepRow{w.ID, w.Name, w.Ranges, w.Exclude, w.Port, w.Pace, string(w.State), w.Total, w.Tried, w.Found, w.Error, w.CreatedAt, moment(w.StartedAt), moment(w.EndedAt)}
	if w.ID != 0 {
		return w, known(s.q(ctx).Save(&row).Error)
	}
	err := s.InTx(ctx, func(tx *Store) error {
		if err := tx.q(ctx).Create(&row).Error; err != nil {
			return err
		}
		for i, id := range w.CredentialIDs {
			if err := tx.q(ctx).Exec("INSERT INTO sweep_credentials VALUES (?, ?, ?)", row.ID, id, i).Error; err != nil {
				return err
			}
		}
		return nil
	})
	out := row.domain()
	out.CredentialIDs = w.CredentialIDs
	return out, known(err)
}

// Sweeps returns all sweeps, newest first.
func (s *Store) Sweeps(ctx context.Context) ([]domain.Sweep, error) {
	var rows []sweepRow
	err := s.q(ctx).Order("id DESC").Find(&rows).Error
	return each(rows, sweepRow.domain), err
}

// Sweep returns one sweep with its credentials, or ErrNotFound.
func (s *Store) Sweep(ctx context.Context, id domain.ID) (domain.Sweep, error) {
	var row sweepRow
	if err := s.q(ctx).Take(&row, id).Error; err != nil {
		return domain.Sweep{}, known(err)
	}
	w := row.domain()
	err := s.q(ctx).Raw("SELECT credential_id FROM sweep_credentials WHERE sweep_id = ? ORDER BY position", id).Scan(&w.CredentialIDs).Error
	return w, err
}

// DeleteSweep removes a sweep with its finds.
func (s *Store) DeleteSweep(ctx context.Context, id domain.ID) error {
	return must(s.q(ctx).Delete(&sweepRow{}, id))
}

// EndSweeps marks sweeps that a stopped process left running.
func (s *Store) EndSweeps(ctx context.Context, now time.Time) error {
	return s.q(ctx).Exec("UPDATE sweeps SET state = 'stopped', ended_at = ?, error = 'the server was restarted' WHERE state = 'running'", now).Error
}

type findRow struct {
	ID           int64
	SweepID      int64
	Identity     string
	Address      string
	Others       []string `gorm:"serializer:json"`
	Name         string
	Vendor       string
	Model        string
	Kind         string
	Description  string
	ObjectID     string
	Location     string
	Interfaces   int
	Volumes      int
	Facts        []string `gorm:"serializer:json"`
	CredentialID *int64
	Verdict      string
	DeviceID     *int64
	FoundAt      time.Time
}

func (findRow) TableName() string { return "finds" }

func (r findRow) domain() domain.Find {
	return domain.Find{ID: r.ID, SweepID: r.SweepID, Identity: r.Identity, Address: parseAddr(r.Address).String(), Others: r.Others, Name: r.Name, Vendor: r.Vendor, Model: r.Model,
		Kind: r.Kind, Description: r.Description, ObjectID: r.ObjectID, Location: r.Location, Interfaces: r.Interfaces, Volumes: r.Volumes, Facts: r.Facts,
		CredentialID: orZero(r.CredentialID), Verdict: domain.Verdict(r.Verdict), DeviceID: orZero(r.DeviceID), FoundAt: r.FoundAt.UTC()}
}

// SaveFinds inserts finds, or brings those of the same sweep and identity up to date.
func (s *Store) SaveFinds(ctx context.Context, finds []domain.Find) error {
	if len(finds) == 0 {
		return nil
	}
	rows := make([]findRow, len(finds))
	for i, f := range finds {
		rows[i] = findRow{f.ID, f.SweepID, f.Identity, f.Address, append([]string{}, f.Others...), f.Name, f.Vendor, f.Model, f.Kind, f.Description, f.ObjectID, f.Location,
			f.Interfaces, f.Volumes, append([]string{}, f.Facts...), null(f.CredentialID), string(f.Verdict), null(f.DeviceID), f.FoundAt}
	}
	return s.q(ctx).Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "sweep_id"}, {Name: "identity"}},
		DoUpdates: clause.AssignmentColumns([]string{"address", "others", "name", "vendor", "model", "kind", "description", "object_id", "location", "interfaces", "volumes", "facts", "credential_id", "found_at"})}).
		CreateInBatches(&rows, 500).Error
}

// Finds returns what a sweep found, by address.
func (s *Store) Finds(ctx context.Context, sweepID domain.ID) ([]domain.Find, error) {
	var rows []findRow
	err := s.q(ctx).Where("sweep_id = ?", sweepID).Order("address").Find(&rows).Error
	return each(rows, findRow.domain), err
}

// SetVerdict records what became of a find.
func (s *Store) SetVerdict(ctx context.Context, id domain.ID, v domain.Verdict, deviceID domain.ID) error {
	return must(s.q(ctx).Model(&findRow{}).Where("id = ?", id).Updates(map[string]any{"verdict": string(v), "device_id": null(deviceID)}))
}

// PruneFinds removes finds of a sweep that turned out to be addresses of
// another one, and that nobody has decided about.
func (s *Store) PruneFinds(ctx context.Context, sweepID domain.ID, identities []string) error {
	return s.q(ctx).Where("sweep_id = ? AND verdict IN ('new', 'known') AND identity NOT IN ?", sweepID, append(identities, "")).Delete(&findRow{}).Error
}
