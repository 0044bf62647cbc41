package store

import (
	"context"

	"tirelessowl/internal/domain"
)

// Places are the tree.
type Places struct{ area }

type placeRow struct {
	ID       int64
	ParentID *int64
	Name     string
	Kind     string
}

func (placeRow) TableName() string { return "places" }

func (r placeRow) domain() domain.Place {
	return domain.Place{ID: r.ID, ParentID: orZero(r.ParentID), Name: r.Name, Kind: domain.PlaceKind(r.Kind)}
}

// All returns all places, parents not necessarily first, ordered by name.
func (s Places) All(ctx context.Context) ([]domain.Place, error) {
	var rows []placeRow
	if err := s.q(ctx).Order("name").Find(&rows).Error; err != nil {
		return nil, err
	}
	return each(rows, placeRow.domain), nil
}

// Save inserts a place, or changes one that has an id.
func (s Places) Save(ctx context.Context, p domain.Place) (domain.Place, error) {
	row := placeRow{
		ID:       p.ID,
		ParentID: null(p.ParentID),
		Name:     p.Name,
		Kind:     string(p.Kind),
	}
	err := s.q(ctx).Save(&row).Error
	return row.domain(), known(err)
}
