package api

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"tirelessowl/internal/domain"
)

// Ref is the id of another thing; null for none.
type Ref domain.ID

// MarshalJSON writes null for none.
func (r Ref) MarshalJSON() ([]byte, error) {
	if r == 0 {
		return []byte("null"), nil
	}
	return json.Marshal(domain.ID(r))
}

// UnmarshalJSON reads null as none.
func (r *Ref) UnmarshalJSON(document []byte) error {
	var id *domain.ID
	if err := json.Unmarshal(document, &id); err != nil {
		return err
	}
	if *r = 0; id != nil {
		*r = Ref(*id)
	}
	return nil
}

// Schema describes it.
func (Ref) Schema(huma.Registry) *huma.Schema {
	least := 1.0
	return &huma.Schema{Type: huma.TypeInteger, Format: "int64", Nullable: true, Minimum: &least, Examples: []any{12}}
}

// Moment is a time; null for never.
type Moment struct{ time.Time }

// MarshalJSON writes null for never.
func (m Moment) MarshalJSON() ([]byte, error) {
	if m.IsZero() {
		return []byte("null"), nil
	}
	return json.Marshal(m.UTC())
}

// UnmarshalJSON reads null as never.
func (m *Moment) UnmarshalJSON(document []byte) error {
	var t *time.Time
	if err := json.Unmarshal(document, &t); err != nil {
		return err
	}
	if m.Time = (time.Time{}); t != nil {
		m.Time = t.UTC()
	}
	return nil
}

// Schema describes it.
func (Moment) Schema(huma.Registry) *huma.Schema {
	return &huma.Schema{Type: huma.TypeString, Format: "date-time", Nullable: true, Examples: []any{exampleTime}}
}

// Level is how serious trouble is, as a word.
type Level domain.Level

// MarshalJSON writes the word.
func (l Level) MarshalJSON() ([]byte, error) { return json.Marshal(domain.Level(l).String()) }

// UnmarshalJSON reads the word.
func (l *Level) UnmarshalJSON(document []byte) error {
	var word string
	if err := json.Unmarshal(document, &word); err != nil {
		return fmt.Errorf("a level is a word: %w", err)
	}
	level, err := domain.ParseLevel(word)
	*l = Level(level)
	return err
}

// Schema describes it.
func (Level) Schema(huma.Registry) *huma.Schema {
	s := &huma.Schema{Type: huma.TypeString, Examples: []any{"warning"}}
	for l := domain.LevelNone; l <= domain.LevelCritical; l++ {
		s.Enum = append(s.Enum, l.String())
	}
	return s
}

// level is the level of a word that was checked; none for the empty one.
func levelOf(word string) domain.Level {
	level, _ := domain.ParseLevel(word)
	return level
}

// holds tells whether a text holds a part, in any case.
func holds(text, part string) bool {
	return strings.Contains(strings.ToLower(text), strings.ToLower(strings.TrimSpace(part)))
}

// sortable writes an id so that texts are in the order of ids.
func sortable(id domain.ID) string { return fmt.Sprintf("%020d", id) }

// ByID names one thing.
type ByID struct {
	ID int64 `path:"id" minimum:"1" example:"12"`
}

type none struct{}

// every returns what f makes of each.
func every[T, U any](in []T, f func(T) U) []U {
	out := make([]U, len(in))
	for i, x := range in {
		out[i] = f(x)
	}
	return out
}

// some are those of which f is true, and what g makes of them.
func some[T, U any](in []T, keep func(T) bool, g func(T) U) (out []U) {
	for _, x := range in {
		if keep(x) {
			out = append(out, g(x))
		}
	}
	return out
}
