package store

import (
	"context"
	"time"

	"gorm.io/gorm/clause"

	"tirelessowl/internal/core/mib/smi"
)

// Modules are the MIB modules that people loaded.
type Modules struct{ area }

// Module is one of them: as it was published, and what was made of it.
type Module struct {
	Name     string `gorm:"primaryKey"`
	File     string
	Source   string
	Made     smi.Module `gorm:"serializer:json"`
	LoadedAt time.Time
}

// TableName implements gorm's Tabler.
func (Module) TableName() string { return "mib_modules" }

// Made returns what was made of all modules, by name.
func (s Modules) Made(ctx context.Context) (out []Module, err error) {
	return out, s.q(ctx).Select("name", "file", "made", "loaded_at").Order("name").Find(&out).Error
}

// Lacking returns the modules, as they were published, that need others which are not there.
func (s Modules) Lacking(ctx context.Context) (out []Module, err error) {
	return out, s.q(ctx).Where("jsonb_array_length(coalesce(made -> 'missing', '[]')) > 0").Order("name").Find(&out).Error
}

// Put stores modules, in the place of those of the same names.
func (s Modules) Put(ctx context.Context, modules []Module) error {
	if len(modules) == 0 {
		return nil
	}
	return s.q(ctx).Clauses(clause.OnConflict{UpdateAll: true, Columns: []clause.Column{{Name: "name"}}}).Create(&modules).Error
}

// Delete takes a module away, or is ErrNotFound.
func (s Modules) Delete(ctx context.Context, name string) error {
	return must(s.q(ctx).Exec("DELETE FROM mib_modules WHERE name = ?", name))
}
