package api

import (
	"cmp"
	"context"
	"net/http"
	"strconv"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
)

// thing is what has a version.
type thing interface {
	// mark is the same as long as nobody changes the thing.
	mark() string
}

func markOf(version int) string { return strconv.Itoa(version) }

// versionOf is the version that a mark stands for; zero for one that stands for none.
func versionOf(mark string) int {
	version, _ := strconv.Atoi(mark)
	return version
}

// kept is a sort of thing V that people make, change and take away. D is what they may
// change of one. A function that is nil is something that cannot be done.
type kept[V thing, D any] struct {
	path   string        // such as /places
	one    string        // such as “a place”
	area   domain.Area   // in which it is seen
	writes domain.Area   // in which it is changed, where that is another
	see    domain.Access // that reading needs; empty where a token is enough
	level  domain.Access // that changes need
	get    func(context.Context, access.Actor, domain.ID) (V, error)
	// draft is a thing as it may be changed.
	draft func(context.Context, V) (D, error)
	make  func(context.Context, access.Actor, D) (domain.ID, error)
	// change and remove are ErrChanged where the thing has another version than the given.
	change func(ctx context.Context, who access.Actor, id domain.ID, d D, version int) error
	remove func(ctx context.Context, who access.Actor, id domain.ID, version int) error
}

// Whole is a change that gives all there is to change.
type Whole[V, D any] struct {
	ByID
	IfMatch
	Body Sent[V, D]
}

// Partly is a change of some of it.
type Partly[D any] struct {
	ByID
	IfMatch
	Body Patch[D] `contentType:"application/merge-patch+json"`
}

// Existing names a thing, of a version where one is given.
type Existing struct {
	ByID
	IfMatch
}

// Draft is what a thing is to be.
type Draft[D any] struct{ Body D }

func (k kept[V, D]) register(a *api) {
	at := k.path + "/{id}"
	add(a, operation{http.MethodGet, at, "Read " + k.one, k.area, k.see}, k.read)
	area := cmp.Or(k.writes, k.area)
	if k.make != nil {
		made(a, operation{http.MethodPost, k.path, "Make " + k.one, area, k.level}, k.made)
	}
	if k.change != nil {
		add(a, operation{http.MethodPut, at, "Change " + k.one + ", as a whole", area, k.level}, k.put)
		add(a, operation{http.MethodPatch, at, "Change some of " + k.one, area, k.level}, k.patch)
	}
	if k.remove != nil {
		add(a, operation{http.MethodDelete, at, "Remove " + k.one, area, k.level}, k.removed)
	}
}

func (k kept[V, D]) read(ctx context.Context, in *ByID) (*Tagged[V], error) {
	x, err := k.get(ctx, caller(ctx), in.ID)
	if err != nil {
		return nil, err
	}
	return &Tagged[V]{quoted(x.mark()), x}, nil
}

func (k kept[V, D]) made(ctx context.Context, in *Draft[D]) (*Made[V], error) {
	id, err := k.make(ctx, caller(ctx), in.Body)
	if err != nil {
		return nil, err
	}
	return k.madeAs(ctx, id)
}

// madeAs is the answer about a thing that was made.
func (k kept[V, D]) madeAs(ctx context.Context, id domain.ID) (*Made[V], error) {
	x, err := k.get(ctx, caller(ctx), id)
	if err != nil {
		return nil, err
	}
	return &Made[V]{"/api/v1" + k.path + "/" + strconv.FormatInt(id, 10), quoted(x.mark()), x}, nil
}

func (k kept[V, D]) put(ctx context.Context, in *Whole[V, D]) (*Tagged[V], error) {
	return k.changed(ctx, in.ID, in.IfMatch, func(V) (D, error) { return in.Body.draft, nil })
}

func (k kept[V, D]) patch(ctx context.Context, in *Partly[D]) (*Tagged[V], error) {
	return k.changed(ctx, in.ID, in.IfMatch, func(now V) (next D, err error) {
		if next, err = k.draft(ctx, now); err != nil {
			return next, err
		}
		return in.Body.applied(next)
	})
}

// changed makes of a thing what f says. Where no version is demanded it must still be the
// one that f saw.
func (k kept[V, D]) changed(ctx context.Context, id domain.ID, match IfMatch, f func(V) (D, error)) (*Tagged[V], error) {
	who := caller(ctx)
	now, err := k.known(ctx, id, match)
	if err != nil {
		return nil, err
	}
	next, err := f(now)
	if err != nil {
		return nil, err
	}
	if err := k.change(ctx, who, id, next, versionOf(now.mark())); err != nil {
		return nil, err
	}
	return k.read(ctx, &ByID{id})
}

// known returns a thing; it is ErrChanged where another version of it was demanded.
func (k kept[V, D]) known(ctx context.Context, id domain.ID, match IfMatch) (now V, err error) {
	if now, err = k.get(ctx, caller(ctx), id); err != nil {
		return now, err
	}
	if mark := match.mark(); mark != "" && mark != now.mark() {
		return now, domain.ErrChanged
	}
	return now, nil
}

func (k kept[V, D]) removed(ctx context.Context, in *Existing) (*none, error) {
	if in.Match != "" {
		if _, err := k.known(ctx, in.ID, in.IfMatch); err != nil {
			return nil, err
		}
	}
	return nil, k.remove(ctx, caller(ctx), in.ID, versionOf(in.mark()))
}
