package store

import (
	"context"

	"gorm.io/gorm"

	"tirelessowl/internal/domain"
)

// Teams are people together with what they may do.
type Teams struct{ area }

type teamRow struct {
	ID      int64
	Name    string
	PlaceID *int64
	Version int
}

func (teamRow) TableName() string { return "teams" }

type grantRow struct {
	ID      int64
	TeamID  int64
	PlaceID *int64
	Level   string
	Areas   []domain.Area `gorm:"serializer:json"`
	Tag     string
}

func (grantRow) TableName() string { return "grants" }

func (r grantRow) domain() domain.Grant {
	return domain.Grant{ID: r.ID, PlaceID: orZero(r.PlaceID), Level: domain.Access(r.Level), Areas: r.Areas, Tag: r.Tag}
}

type memberRow struct {
	TeamID int64
	UserID int64
}

func (memberRow) TableName() string { return "team_members" }

// All returns all teams by name, with their members and grants.
func (s Teams) All(ctx context.Context) ([]domain.Team, error) { return s.find(ctx, nil) }

// Of returns the teams of a person.
func (s Teams) Of(ctx context.Context, user domain.ID) ([]domain.Team, error) {
	return s.find(ctx, func(q *gorm.DB) *gorm.DB {
		return q.Where("id IN (SELECT team_id FROM team_members WHERE user_id = ?)", user)
	})
}

// One returns a team, or ErrNotFound.
func (s Teams) One(ctx context.Context, id domain.ID) (domain.Team, error) {
	found, err := s.find(ctx, func(q *gorm.DB) *gorm.DB { return q.Where("id = ?", id) })
	if err == nil && len(found) == 0 {
		return domain.Team{}, domain.ErrNotFound
	}
	if err != nil {
		return domain.Team{}, err
	}
	return found[0], nil
}

func (s Teams) find(ctx context.Context, pick func(*gorm.DB) *gorm.DB) ([]domain.Team, error) {
	q := s.q(ctx).Order("name, id")
	if pick != nil {
		q = pick(q)
	}
	var rows []teamRow
	if err := q.Find(&rows).Error; err != nil || len(rows) == 0 {
		return nil, err
	}
	out := make([]domain.Team, len(rows))
	at := make(map[domain.ID]*domain.Team, len(rows))
	ids := make([]domain.ID, len(rows))
	for i, r := range rows {
		out[i] = domain.Team{ID: r.ID, Name: r.Name, PlaceID: orZero(r.PlaceID), Version: r.Version}
		at[r.ID], ids[i] = &out[i], r.ID
	}
	var grants []grantRow
	if err := s.q(ctx).Where("team_id = ANY(?::bigint[])", arrayOf(ids)).Order("id").Find(&grants).Error; err != nil {
		return nil, err
	}
	for _, g := range grants {
		at[g.TeamID].Grants = append(at[g.TeamID].Grants, g.domain())
	}
	var members []memberRow
	if err := s.q(ctx).Where("team_id = ANY(?::bigint[])", arrayOf(ids)).Order("user_id").Find(&members).Error; err != nil {
		return nil, err
	}
	for _, m := range members {
		at[m.TeamID].Members = append(at[m.TeamID].Members, m.UserID)
	}
	return out, nil
}

// Save inserts a team, or changes one that has an id and must have its version, with
// its members and grants. It must run in a transaction.
func (s Teams) Save(ctx context.Context, t domain.Team) (domain.Team, error) {
	if t.ID == 0 {
		row := teamRow{Name: t.Name, PlaceID: null(t.PlaceID), Version: 1}
		if err := s.q(ctx).Create(&row).Error; err != nil {
			return t, known(err)
		}
		t.ID, t.Version = row.ID, row.Version
	} else {
		err := same(s.q(ctx).Exec("UPDATE teams SET name = ?, place_id = ?, version = version + 1 WHERE id = ? AND version = ?",
			t.Name, null(t.PlaceID), t.ID, t.Version))
		if err != nil {
			return t, err
		}
		t.Version++
	}
	for _, drop := range []string{"DELETE FROM grants WHERE team_id = ?", "DELETE FROM team_members WHERE team_id = ?"} {
		if err := s.q(ctx).Exec(drop, t.ID).Error; err != nil {
			return t, err
		}
	}
	grants := make([]grantRow, len(t.Grants))
	for i, g := range t.Grants {
		grants[i] = grantRow{
			TeamID:  t.ID,
			PlaceID: null(g.PlaceID),
			Level:   string(g.Level),
			Areas:   append([]domain.Area{}, g.Areas...),
			Tag:     g.Tag,
		}
	}
	members := make([]memberRow, len(t.Members))
	for i, id := range t.Members {
		members[i] = memberRow{TeamID: t.ID, UserID: id}
	}
	if len(grants) > 0 {
		if err := s.q(ctx).Create(&grants).Error; err != nil {
			return t, known(err)
		}
	}
	if len(members) > 0 {
		if err := s.q(ctx).Create(&members).Error; err != nil {
			return t, known(err)
		}
	}
	t.Grants = each(grants, grantRow.domain)
	return t, nil
}

// Tagged returns the grants for what carries a tag.
func (s Teams) Tagged(ctx context.Context) ([]domain.Grant, error) {
	var rows []grantRow
	err := s.q(ctx).Where("tag <> ''").Order("id").Find(&rows).Error
	return each(rows, grantRow.domain), err
}

// Delete removes a team.
func (s Teams) Delete(ctx context.Context, id domain.ID) error {
	return must(s.q(ctx).Delete(&teamRow{}, id))
}
