package store

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"tirelessowl/internal/domain"

	"gorm.io/gorm"
)

func each[A, B any](in []A, f func(A) B) []B {
	out := make([]B, len(in))
	for i, x := range in {
		out[i] = f(x)
	}
	return out
}

func when(q *gorm.DB, cond bool, where string, args ...any) *gorm.DB {
	if !cond {
		return q
	}
	return q.Where(where, args...)
}

// escapeLike makes text stand for itself within a LIKE pattern.
func escapeLike(text string) string {
	out := make([]rune, 0, len(text))
	for _, r := range text {
		if r == '%' || r == '_' || r == '\\' {
			out = append(out, '\\')
		}
		out = append(out, r)
	}
	return string(out)
}

// recordsOf writes rows as PostgreSQL reads them with jsonb_to_recordset: the
// way to hand it many rows in one statement.
func recordsOf(rows any) string {
	text, err := json.Marshal(rows)
	if err != nil {
		panic(err) // rows are structs of plain values
	}
	return string(text)
}

// collect scans all rows of a query, for lists where reflection would cost too much.
func collect[T any](rows *sql.Rows, err error, scan func(*sql.Rows) (T, error)) ([]T, error) {
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []T
	for rows.Next() {
		x, err := scan(rows)
		if err != nil {
			return nil, err
		}
		out = append(out, x)
	}
	return out, rows.Err()
}

// orNone is a list that is stored as an empty one, where there is none.
func orNone(list []string) []string {
	if list == nil {
		return []string{}
	}
	return list
}

// orNil is an empty list as it was before it was stored.
func orNil(list []string) []string {
	if len(list) == 0 {
		return nil
	}
	return list
}

// arrayOf writes ids as PostgreSQL reads an array: GORM would make a list of
// parameters out of a slice.
func arrayOf(ids []domain.ID) string {
	return "{" + strings.Trim(strings.Join(strings.Fields(fmt.Sprint(ids)), ","), "[]") + "}"
}

// known turns the database's errors into those of the domain.
func known(err error) error {
	switch {
	case errors.Is(err, gorm.ErrRecordNotFound):
		return domain.ErrNotFound
	case errors.Is(err, gorm.ErrDuplicatedKey):
		return fmt.Errorf("%w: %w", domain.ErrConflict, err)
	}
	return err
}

// must tells of a change that hit no row.
func must(res *gorm.DB) error {
	if res.Error == nil && res.RowsAffected == 0 {
		return domain.ErrNotFound
	}
	return known(res.Error)
}

// null is an id where zero means none.
func null(id domain.ID) *int64 {
	if id == 0 {
		return nil
	}
	return &id
}

func orZero(id *int64) domain.ID {
	if id == nil {
		return 0
	}
	return *id
}

// moment is a time where the zero time means none.
func moment(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func orNever(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return t.UTC()
}

// same tells of a change that hit no row, because another one came before it: what
// is changed must have the version that it was changed from.
func same(res *gorm.DB) error {
	if res.Error == nil && res.RowsAffected == 0 {
		return domain.ErrChanged
	}
	return known(res.Error)
}
