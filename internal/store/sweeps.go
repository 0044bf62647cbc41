package store

import (
	"context"
	"net/netip"
	"time"

	"gorm.io/gorm"

	"tirelessowl/internal/domain"
)

// Sweeps are searches through addresses.
type Sweeps struct{ area }

type sweepRow struct {
	ID           int64
	PlaceID      *int64
	Name         string
	Ranges       string
	Exclude      string
	Port         int
	Pace         int
	State        string
	Total        int64
	Tried        int64
	Found        int64
	Error        string
	CreatedAt    time.Time
	StartedAt    *time.Time
	EndedAt      *time.Time
	Reached      *string
	Ports        string
	Echo         bool
	EverySeconds int64
}

func (sweepRow) TableName() string { return "sweeps" }

func (r sweepRow) domain() domain.Sweep {
	return domain.Sweep{
		ID:        r.ID,
		PlaceID:   orZero(r.PlaceID),
		Name:      r.Name,
		Ranges:    r.Ranges,
		Exclude:   r.Exclude,
		Port:      r.Port,
		Pace:      r.Pace,
		State:     domain.SweepState(r.State),
		Total:     r.Total,
		Tried:     r.Tried,
		Found:     r.Found,
		Error:     r.Error,
		CreatedAt: r.CreatedAt.UTC(),
		StartedAt: orNever(r.StartedAt),
		EndedAt:   orNever(r.EndedAt),
		Reached:   reachedOf(r.Reached),
		Ports:     r.Ports,
		Echo:      r.Echo,
		Every:     time.Duration(r.EverySeconds) * time.Second,
	}
}

// Save inserts a sweep with its credentials, or changes the state and
// progress of one that has an id.
func (s Sweeps) Save(ctx context.Context, w domain.Sweep) (domain.Sweep, error) {
	row := sweepRow{
		ID:           w.ID,
		PlaceID:      null(w.PlaceID),
		Name:         w.Name,
		Ranges:       w.Ranges,
		Exclude:      w.Exclude,
		Port:         w.Port,
		Pace:         w.Pace,
		State:        string(w.State),
		Total:        w.Total,
		Tried:        w.Tried,
		Found:        w.Found,
		Error:        w.Error,
		CreatedAt:    w.CreatedAt,
		StartedAt:    moment(w.StartedAt),
		EndedAt:      moment(w.EndedAt),
		Reached:      addressOrNull(w.Reached),
		Ports:        w.Ports,
		Echo:         w.Echo,
		EverySeconds: int64(w.Every / time.Second),
	}
	if w.ID != 0 {
		return w, known(s.q(ctx).Save(&row).Error)
	}
	err := s.q(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		for i, id := range w.CredentialIDs {
			if err := tx.Exec("INSERT INTO sweep_credentials VALUES (?, ?, ?)", row.ID, id, i).Error; err != nil {
				return err
			}
		}
		return nil
	})
	out := row.domain()
	out.CredentialIDs = w.CredentialIDs
	return out, known(err)
}

// All returns all sweeps, newest first.
func (s Sweeps) All(ctx context.Context) ([]domain.Sweep, error) {
	var rows []sweepRow
	err := s.q(ctx).Order("id DESC").Find(&rows).Error
	return each(rows, sweepRow.domain), err
}

// One returns one sweep with its credentials, or ErrNotFound.
func (s Sweeps) One(ctx context.Context, id domain.ID) (domain.Sweep, error) {
	var row sweepRow
	if err := s.q(ctx).Take(&row, id).Error; err != nil {
		return domain.Sweep{}, known(err)
	}
	w := row.domain()
	err := s.q(ctx).Raw("SELECT credential_id FROM sweep_credentials WHERE sweep_id = ? ORDER BY position", id).Scan(&w.CredentialIDs).Error
	return w, err
}

// Delete removes a sweep with its finds.
func (s Sweeps) Delete(ctx context.Context, id domain.ID) error {
	return must(s.q(ctx).Delete(&sweepRow{}, id))
}

// Running returns the sweeps that run, or that a stopped process left running.
func (s Sweeps) Running(ctx context.Context) (ids []domain.ID, err error) {
	return ids, s.q(ctx).Raw("SELECT id FROM sweeps WHERE state = 'running' ORDER BY id").Scan(&ids).Error
}

// Due returns the sweeps that are to begin again by themselves.
func (s Sweeps) Due(ctx context.Context, now time.Time) (ids []domain.ID, err error) {
	return ids, s.q(ctx).Raw(`SELECT id FROM sweeps WHERE every_seconds > 0 AND state <> 'running'
		AND coalesce(started_at, created_at) <= ?::timestamptz - every_seconds * interval '1 second' ORDER BY id`, now).Scan(&ids).Error
}

func reachedOf(text *string) (a netip.Addr) {
	if text != nil {
		a = parseAddr(*text)
	}
	return a
}

func addressOrNull(a netip.Addr) *string {
	if !a.IsValid() {
		return nil
	}
	text := a.String()
	return &text
}
