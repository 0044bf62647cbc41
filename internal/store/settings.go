package store

import (
	"context"
	"strconv"
)

// Settings are what the application remembers of itself.
type Settings struct{ area }

// Get returns a stored value; empty when it was never set.
func (s Settings) Get(ctx context.Context, key string) (string, error) {
	var value []string
	err := s.q(ctx).Table("settings").Where("key = ?", key).Pluck("value", &value).Error
	if err != nil || len(value) == 0 {
		return "", err
	}
	return value[0], nil
}

// Set stores a value.
func (s Settings) Set(ctx context.Context, key, value string) error {
	return s.q(ctx).
		Exec("INSERT INTO settings (key, value) VALUES (?, ?) ON CONFLICT (key) DO UPDATE SET value = excluded.value", key, value).
		Error
}

// Advance raises a stored number, and tells whether it was lower: what is done
// in the same transaction is so done once, however often it is tried.
func (s Settings) Advance(ctx context.Context, key string, to int64) (bool, error) {
	res := s.q(ctx).Exec(`INSERT INTO settings (key, value) VALUES (?, ?::text) ON CONFLICT (key) DO UPDATE SET value = excluded.value
		WHERE settings.value::bigint < excluded.value::bigint`, key, strconv.FormatInt(to, 10))
	return res.RowsAffected > 0, res.Error
}
