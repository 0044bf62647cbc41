package store

import (
	"context"
	"database/sql"
	"fmt"

	"tirelessowl/internal/domain"
)

// Places are the tree.
type Places struct{ area }

type placeRow struct {
	ID       int64
	ParentID *int64
	Name     string
	Kind     string
	Version  int
}

func (placeRow) TableName() string { return "places" }

func (r placeRow) domain() domain.Place {
	return domain.Place{ID: r.ID, ParentID: orZero(r.ParentID), Name: r.Name, Kind: domain.PlaceKind(r.Kind), Version: r.Version}
}

// All returns all places, parents not necessarily first, ordered by name.
func (s Places) All(ctx context.Context) ([]domain.Place, error) {
	rows, err := s.q(ctx).Raw("SELECT " + placeColumns + " FROM places p ORDER BY p.name").Rows()
	return collect(rows, err, scanPlace)
}

// Some returns the given places, in no order.
func (s Places) Some(ctx context.Context, ids []domain.ID) ([]domain.Place, error) {
	rows, err := s.q(ctx).Raw("SELECT "+placeColumns+" FROM places p WHERE p.id = ANY(?::bigint[])", arrayOf(ids)).Rows()
	return collect(rows, err, scanPlace)
}

// Along returns a place and all above it, the highest first.
func (s Places) Along(ctx context.Context, id domain.ID) ([]domain.Place, error) {
	rows, err := s.q(ctx).Raw(`WITH RECURSIVE up AS (
		SELECT p.*, 1 AS hops FROM places p WHERE p.id = ?
		UNION ALL SELECT p.*, up.hops + 1 FROM places p JOIN up ON p.id = up.parent_id WHERE up.hops < 100)
		SELECT `+placeColumns+` FROM up p ORDER BY p.hops DESC`, id).Rows()
	return collect(rows, err, scanPlace)
}

const placeColumns = "p.id, p.parent_id, p.name, p.kind, p.version"

func scanPlace(rows *sql.Rows) (domain.Place, error) {
	var r placeRow
	err := rows.Scan(&r.ID, &r.ParentID, &r.Name, &r.Kind, &r.Version)
	return r.domain(), err
}

// One returns one place, or ErrNotFound.
func (s Places) One(ctx context.Context, id domain.ID) (domain.Place, error) {
	var row placeRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// Lock returns one place, or ErrNotFound, and lets nobody else change the tree until
// the transaction ends: two moves at once could make a loop.
func (s Places) Lock(ctx context.Context, id domain.ID) (domain.Place, error) {
	if err := s.q(ctx).Exec("LOCK TABLE places IN SHARE ROW EXCLUSIVE MODE").Error; err != nil {
		return domain.Place{}, err
	}
	return s.One(ctx, id)
}

// Save inserts a place, or changes one that has an id and must have its version.
func (s Places) Save(ctx context.Context, p domain.Place) (domain.Place, error) {
	if p.ID != 0 {
		err := same(s.q(ctx).Exec("UPDATE places SET parent_id = ?, name = ?, kind = ?, version = version + 1 WHERE id = ? AND version = ?",
			null(p.ParentID), p.Name, string(p.Kind), p.ID, p.Version))
		p.Version++
		return p, err
	}
	row := placeRow{ParentID: null(p.ParentID), Name: p.Name, Kind: string(p.Kind), Version: 1}
	err := s.q(ctx).Create(&row).Error
	return row.domain(), known(err)
}

// Holds says what belongs to a place, in words; empty when it can be removed.
func (s Places) Holds(ctx context.Context, id domain.ID) (out []string, err error) {
	var n struct{ Places, Devices, Removed, Teams, Grants, Sweeps, Credentials int }
	err = s.q(ctx).Raw(`SELECT (SELECT count(*) FROM places WHERE parent_id = @id) AS places,
		(SELECT count(*) FROM all_devices WHERE place_id = @id AND removed_at IS NULL) AS devices,
		(SELECT count(*) FROM all_devices WHERE place_id = @id AND removed_at IS NOT NULL) AS removed,
		(SELECT count(*) FROM teams WHERE place_id = @id) AS teams, (SELECT count(*) FROM grants WHERE place_id = @id) AS grants,
		(SELECT count(*) FROM sweeps WHERE place_id = @id) AS sweeps,
		(SELECT count(*) FROM credentials WHERE place_id = @id) AS credentials`,
		map[string]any{"id": id}).Scan(&n).Error
	for _, x := range []struct {
		n         int
		one, many string
	}{
		{n.Places, "place", "places"}, {n.Devices, "device", "devices"}, {n.Removed, "removed device", "removed devices"},
		{n.Teams, "team", "teams"},
		{n.Grants, "grant", "grants"}, {n.Sweeps, "sweep", "sweeps"}, {n.Credentials, "credential", "credentials"},
	} {
		switch {
		case x.n == 1:
			out = append(out, "1 "+x.one)
		case x.n > 1:
			out = append(out, fmt.Sprintf("%d %s", x.n, x.many))
		}
	}
	return out, err
}

// Delete removes a place.
func (s Places) Delete(ctx context.Context, id domain.ID) error {
	return must(s.q(ctx).Delete(&placeRow{}, id))
}
