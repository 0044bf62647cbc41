package store

import (
	"context"
	"fmt"

	"gorm.io/gorm"
)

// sealedColumn is a column of which each value is sealed by itself.
type sealedColumn struct{ table, id, column string }

// sealedColumns are all of them, and sealedMaps those that hold several by name.
var (
	sealedColumns = []sealedColumn{{"answers", "ctid", "body"}, {"code_factors", "user_id", "sealed"}, {"providers", "id", "sealed"}}
	sealedMaps    = []sealedColumn{{"channels", "id", "secrets"}, {"credentials", "id", "secrets"}}
)

// Reseal seals every secret anew with the key that is used from here on, all or none, and
// returns how many there are.
func (s *Store) Reseal(ctx context.Context) (n int, err error) {
	err = s.q(ctx).Transaction(func(tx *gorm.DB) error {
		n = 0
		for _, c := range sealedColumns {
			count, err := s.resealColumn(tx, c)
			if err != nil {
				return fmt.Errorf("%s: %w", c.table, err)
			}
			n += count
		}
		for _, c := range sealedMaps {
			count, err := s.resealMaps(tx, c)
			if err != nil {
				return fmt.Errorf("%s: %w", c.table, err)
			}
			n += count
		}
		return nil
	})
	return n, err
}

func (s *Store) resealColumn(tx *gorm.DB, c sealedColumn) (int, error) {
	var rows []struct {
		ID   string
		Data []byte
	}
	query := "SELECT " + c.id + "::text AS id, " + c.column + " AS data FROM " + c.table +
		" WHERE length(" + c.column + ") > 0 FOR UPDATE"
	if err := tx.Raw(query).Scan(&rows).Error; err != nil {
		return 0, err
	}
	for _, r := range rows {
		data, err := s.keys.again(r.Data)
		if err != nil {
			return 0, err
		}
		update := "UPDATE " + c.table + " SET " + c.column + " = ? WHERE " + c.id + "::text = ?"
		if err := must(tx.Exec(update, data, r.ID)); err != nil {
			return 0, err
		}
	}
	return len(rows), nil
}

func (s *Store) resealMaps(tx *gorm.DB, c sealedColumn) (n int, err error) {
	var rows []struct {
		ID   int64
		Data sealed `gorm:"serializer:json"`
	}
	if err := tx.Raw("SELECT id, " + c.column + " AS data FROM " + c.table + " FOR UPDATE").Scan(&rows).Error; err != nil {
		return 0, err
	}
	for _, r := range rows {
		for name, data := range r.Data {
			if r.Data[name], err = s.keys.again(data); err != nil {
				return 0, err
			}
			n++
		}
		update := "UPDATE " + c.table + " SET " + c.column + " = ?::jsonb WHERE id = ?"
		if err := must(tx.Exec(update, recordsOf(r.Data), r.ID)); err != nil {
			return 0, err
		}
	}
	return n, nil
}

// again seals anew what is sealed.
func (v *Vault) again(data []byte) ([]byte, error) {
	secret, err := v.Open(data)
	if err != nil {
		return nil, err
	}
	return v.Seal(secret)
}
