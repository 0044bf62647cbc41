package store

import (
	"context"
	"net/netip"

	"gorm.io/gorm/clause"

	"tirelessowl/internal/domain"
)

// Endpoints are how devices are talked to, by each way to collect.
type Endpoints struct{ area }

type endpointRow struct {
	ID           int64
	DeviceID     int64
	Way          string
	Address      *string
	CredentialID *int64
	Settings     map[string]string `gorm:"serializer:json"`
}

func (endpointRow) TableName() string { return "endpoints" }

func (r endpointRow) domain() domain.Endpoint {
	out := domain.Endpoint{ID: r.ID, DeviceID: r.DeviceID, Way: r.Way, CredentialID: orZero(r.CredentialID), Settings: r.Settings}
	if r.Address != nil {
		out.Address = parseAddr(*r.Address)
	}
	return out
}

// Of returns the endpoints of a device, or of all for id 0.
func (s Endpoints) Of(ctx context.Context, deviceID domain.ID) ([]domain.Endpoint, error) {
	var rows []endpointRow
	q := when(s.q(ctx).Order("device_id, way"), deviceID != 0, "device_id = ?", deviceID)
	err := q.Find(&rows).Error
	return each(rows, endpointRow.domain), err
}

// Save sets how a device is talked to by a way.
func (s Endpoints) Save(ctx context.Context, e domain.Endpoint) error {
	row := endpointRow{
		DeviceID:     e.DeviceID,
		Way:          e.Way,
		Address:      addrOrNull(e.Address),
		CredentialID: null(e.CredentialID),
		Settings:     e.Settings,
	}
	if row.Settings == nil {
		row.Settings = map[string]string{}
	}
	return known(s.q(ctx).Clauses(clause.OnConflict{
		Columns:   []clause.Column{{Name: "device_id"}, {Name: "way"}},
		DoUpdates: clause.AssignmentColumns([]string{"address", "credential_id", "settings"}),
	}).Create(&row).Error)
}

// Delete lets a device be talked to by a way as is usual.
func (s Endpoints) Delete(ctx context.Context, deviceID domain.ID, way string) error {
	return must(s.q(ctx).Where("device_id = ? AND way = ?", deviceID, way).Delete(&endpointRow{}))
}

func addrOrNull(a netip.Addr) *string {
	if !a.IsValid() {
		return nil
	}
	text := a.String()
	return &text
}

// Among returns those of some devices.
func (s Endpoints) Among(ctx context.Context, devices []domain.ID) ([]domain.Endpoint, error) {
	var rows []endpointRow
	err := s.q(ctx).Where("device_id = ANY(?::bigint[])", arrayOf(devices)).Order("device_id, way").Find(&rows).Error
	return each(rows, endpointRow.domain), err
}
