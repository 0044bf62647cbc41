package store

import (
	"context"

	"gorm.io/gorm/clause"

	"tirelessowl/internal/domain"
)

// Calendars are hours that people named.
type Calendars struct{ area }

// All returns all of them, by name.
func (s Calendars) All(ctx context.Context) (out []domain.Calendar, err error) {
	return out, s.q(ctx).Order("lower(name)").Find(&out).Error
}

// One returns one of them, or ErrNotFound.
func (s Calendars) One(ctx context.Context, id domain.ID) (c domain.Calendar, err error) {
	return c, known(s.q(ctx).Take(&c, id).Error)
}

// Lock returns one of them, or ErrNotFound. Nobody else changes it until the end of the transaction.
func (s Calendars) Lock(ctx context.Context, id domain.ID) (c domain.Calendar, err error) {
	return c, known(s.q(ctx).Clauses(clause.Locking{Strength: "UPDATE"}).Take(&c, id).Error)
}

// Save inserts one, or changes one that has an id: what is set by its old name is by the new one
// then. It is ErrConflict where another has its name.
func (s Calendars) Save(ctx context.Context, c domain.Calendar, old string) (domain.Calendar, error) {
	c.Version++
	if err := known(s.q(ctx).Save(&c).Error); err != nil || old == "" || old == c.Name {
		return c, err
	}
	return c, s.q(ctx).Exec("UPDATE overrides SET value = ? WHERE key = ? AND value = ?", c.Name, string(domain.SettingHours), old).Error
}

// Remove takes one away.
func (s Calendars) Remove(ctx context.Context, id domain.ID) error {
	return s.q(ctx).Delete(&domain.Calendar{}, id).Error
}
