package act

import (
	"context"
	"encoding/json"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
)

// Undoing is how what was done to a kind of things is undone, by the same use cases that
// do it: they ask whether the actor may, and note it.
type Undoing struct {
	// Present returns a thing as it is now, in the form in which it is noted.
	Present func(ctx context.Context, who access.Actor, id domain.ID) (any, error)
	// Put makes a thing what a document says, which is the present one with changes.
	Put func(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error
	// Make makes a thing again that was removed, and Remove removes one that was made;
	// nil where that cannot be.
	Make   func(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error
	Remove func(ctx context.Context, who access.Actor, id domain.ID) error
}

// Read reads a document of a thing. It is what was noted, so that it fits.
func Read[T any](document json.RawMessage) (x T, err error) { return x, json.Unmarshal(document, &x) }

// Whatever lets a thing be removed of whatever version it is.
func Whatever(
	remove func(ctx context.Context, who access.Actor, id domain.ID, version int) error,
) func(context.Context, access.Actor, domain.ID) error {
	return func(ctx context.Context, who access.Actor, id domain.ID) error { return remove(ctx, who, id, 0) }
}

// Whole is the undoing of things that are noted whole: one returns such a thing, save makes
// or changes it, and anew makes one that was removed a new one.
func Whole[T any](
	one func(context.Context, access.Actor, domain.ID) (T, error),
	save func(context.Context, access.Actor, T) (T, error),
	anew func(*T),
	remove func(context.Context, access.Actor, domain.ID) error,
) Undoing {
	put := func(ctx context.Context, who access.Actor, document json.RawMessage, change func(*T)) error {
		x, err := Read[T](document)
		if err != nil {
			return err
		}
		change(&x)
		_, err = save(ctx, who, x)
		return err
	}
	return Undoing{
		Present: func(ctx context.Context, who access.Actor, id domain.ID) (any, error) { return one(ctx, who, id) },
		Put: func(ctx context.Context, who access.Actor, _ domain.ID, document json.RawMessage) error {
			return put(ctx, who, document, func(*T) {})
		},
		Make: func(ctx context.Context, who access.Actor, _ domain.ID, document json.RawMessage) error {
			return put(ctx, who, document, anew)
		},
		Remove: remove,
	}
}
