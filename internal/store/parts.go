package store

import (
	"context"
	"time"

	"tirelessowl/internal/domain"
)

// Parts are what devices have inside.
type Parts struct{ area }

type partRow struct {
	ID       int64
	DeviceID int64
	Kit      string
	Kind     string
	Key      string
	Index    string
	Name     string
	Note     string
	Speed    float64
	GoneAt   *time.Time
}

func (partRow) TableName() string { return "parts" }

func (r partRow) domain() domain.Part {
	return domain.Part{ID: r.ID, DeviceID: r.DeviceID, Kit: r.Kit, Kind: r.Kind, Key: r.Key, Index: r.Index, Name: r.Name, Note: r.Note, Speed: r.Speed, GoneAt: orNever(r.GoneAt)}
}

// Of returns the parts of a device, or of all for id 0.
func (s Parts) Of(ctx context.Context, deviceID domain.ID) ([]domain.Part, error) {
	q := s.q(ctx).Order("device_id, kind, id")
	if deviceID != 0 {
		q = q.Where("device_id = ?", deviceID)
	}
	var rows []partRow
	err := q.Find(&rows).Error
	return each(rows, partRow.domain), err
}

// Save inserts parts without an id and changes the others. The result
// has the ids.
func (s Parts) Save(ctx context.Context, parts []domain.Part) ([]domain.Part, error) {
	rows := make([]partRow, len(parts))
	for i, p := range parts {
		rows[i] = partRow{
			ID:       p.ID,
			DeviceID: p.DeviceID,
			Kit:      p.Kit,
			Kind:     p.Kind,
			Key:      p.Key,
			Index:    p.Index,
			Name:     p.Name,
			Note:     p.Note,
			Speed:    p.Speed,
			GoneAt:   moment(p.GoneAt),
		}
		if err := s.q(ctx).Save(&rows[i]).Error; err != nil {
			return nil, known(err)
		}
	}
	return each(rows, partRow.domain), nil
}

// Name returns the name of a part; empty for none.
func (s Parts) Name(ctx context.Context, id domain.ID) (name string, err error) {
	err = s.q(ctx).Raw("SELECT coalesce((SELECT name FROM parts WHERE id = ?), '')", id).Scan(&name).Error
	return name, err
}
