package store

import (
	"cmp"
	"context"
	"encoding/json"
	"time"

	"tirelessowl/internal/domain"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Finds are what sweeps found.
type Finds struct{ area }

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
	Parts        map[string]int `gorm:"serializer:json"`
	Facts        []string       `gorm:"serializer:json"`
	Way          string
	CredentialID *int64
	Verdict      string
	DeviceID     *int64
	Proposal     string
	Doubt        string
	Neighbours   []domain.FindNeighbour `gorm:"serializer:json"`
	Why          string
	FoundAt      time.Time
}

func (findRow) TableName() string { return "finds" }

func (r findRow) domain() domain.Find {
	return domain.Find{
		ID:           r.ID,
		SweepID:      r.SweepID,
		Identity:     r.Identity,
		Address:      parseAddr(r.Address).String(),
		Others:       r.Others,
		Name:         r.Name,
		Vendor:       r.Vendor,
		Model:        r.Model,
		Kind:         r.Kind,
		Description:  r.Description,
		ObjectID:     r.ObjectID,
		Location:     r.Location,
		Parts:        r.Parts,
		Facts:        r.Facts,
		Way:          r.Way,
		CredentialID: orZero(r.CredentialID),
		Verdict:      domain.Verdict(r.Verdict),
		DeviceID:     orZero(r.DeviceID),
		Proposal:     r.Proposal,
		Doubt:        r.Doubt,
		Neighbours:   r.Neighbours,
		Why:          json.RawMessage(r.Why),
		FoundAt:      r.FoundAt.UTC(),
	}
}

func orEmpty[V any](m map[string]V) map[string]V {
	if m == nil {
		return map[string]V{}
	}
	return m
}

// anew are what is found out each time, whatever was decided about a find.
var anew = clause.AssignmentColumns(
	[]string{"address", "others", "name", "vendor", "model", "kind", "description", "object_id", "location", "parts", "facts", "way",
		"credential_id", "proposal", "doubt", "neighbours", "why", "found_at"},
)

// decided keeps what people decided, until a device is found to have moved.
var decided = clause.Assignments(map[string]any{
	"verdict": gorm.Expr(
		"CASE WHEN finds.verdict = 'ignored' OR finds.verdict = 'adopted' AND excluded.verdict <> 'moved' THEN finds.verdict " +
			"ELSE excluded.verdict END",
	),
	"device_id": gorm.Expr(
		"CASE WHEN finds.verdict = 'ignored' THEN finds.device_id ELSE coalesce(excluded.device_id, finds.device_id) END",
	),
})

// Save inserts finds, or brings those of the same sweep and identity up to date.
func (s Finds) Save(ctx context.Context, finds []domain.Find) error {
	if len(finds) == 0 {
		return nil
	}
	rows := make([]findRow, len(finds))
	for i, f := range finds {
		rows[i] = findRow{
			ID:           f.ID,
			SweepID:      f.SweepID,
			Identity:     f.Identity,
			Address:      f.Address,
			Others:       append([]string{}, f.Others...),
			Name:         f.Name,
			Vendor:       f.Vendor,
			Model:        f.Model,
			Kind:         f.Kind,
			Description:  f.Description,
			ObjectID:     f.ObjectID,
			Location:     f.Location,
			Parts:        orEmpty(f.Parts),
			Way:          f.Way,
			Facts:        append([]string{}, f.Facts...),
			CredentialID: null(f.CredentialID),
			Verdict:      string(f.Verdict),
			DeviceID:     null(f.DeviceID),
			Proposal:     f.Proposal,
			Doubt:        f.Doubt,
			Neighbours:   append([]domain.FindNeighbour{}, f.Neighbours...),
			Why:          cmp.Or(string(f.Why), "{}"),
			FoundAt:      f.FoundAt,
		}
	}
	return s.q(ctx).Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "sweep_id"}, {Name: "identity"}},
		DoUpdates: append(append(clause.Set{}, anew...), decided...)}).
		CreateInBatches(&rows, 500).Error
}

// Of returns what a sweep found, by address.
func (s Finds) Of(ctx context.Context, sweepID domain.ID) ([]domain.Find, error) {
	var rows []findRow
	err := s.q(ctx).Where("sweep_id = ?", sweepID).Order("address").Find(&rows).Error
	return each(rows, findRow.domain), err
}

// One returns a find, or ErrNotFound.
func (s Finds) One(ctx context.Context, id domain.ID) (domain.Find, error) {
	var row findRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// Propose notes what was to become of a find, and could not.
func (s Finds) Propose(ctx context.Context, id domain.ID, said string) error {
	return must(s.q(ctx).Model(&findRow{}).Where("id = ?", id).Update("proposal", said))
}

// SetVerdict records what became of a find.
func (s Finds) SetVerdict(ctx context.Context, id domain.ID, v domain.Verdict, deviceID domain.ID) error {
	return must(s.q(ctx).Model(&findRow{}).Where("id = ?", id).Updates(map[string]any{"verdict": string(v), "device_id": null(deviceID)}))
}

// Prune removes finds of a sweep that turned out to be addresses of
// another one, and that nobody has decided about.
func (s Finds) Prune(ctx context.Context, sweepID domain.ID, identities []string) error {
	return s.q(ctx).
		Where("sweep_id = ? AND verdict IN ('new', 'known', 'moved') AND identity NOT IN ?", sweepID, append(identities, "")).
		Delete(&findRow{}).
		Error
}
