package audit

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// Undone is what undoing something would do.
type Undone struct {
	Entry domain.Entry
	// Possible is true where it can be done; Why tells what it would do, or what is
	// against it.
	Possible bool
	Why      why.Trace
	Changes  []Change // of the thing as it is now
}

// RehearseUndo tells what undoing an entry would do, and why that cannot be where it
// cannot. Whether the actor may is asked when it is done.
func (s *Service) RehearseUndo(ctx context.Context, who access.Actor, id domain.ID) (Undone, error) {
	u, _, err := s.undoing(ctx, who, id)
	if err != nil {
		return u, err
	}
	seen, err := s.desk.See(ctx, who, domain.AreaRun)
	if err != nil {
		return u, err
	}
	return u, inWords(ctx, seen, []Row{{u.Entry, u.Changes}})
}

// Undo puts what an entry notes back to what it was before: only what was changed then,
// and only where nobody has changed it since. It is ErrConflict where that cannot be.
func (s *Service) Undo(ctx context.Context, who access.Actor, id domain.ID) error {
	u, do, err := s.undoing(ctx, who, id)
	if err != nil {
		return err
	}
	if !u.Possible {
		return fmt.Errorf("%w: %s", domain.ErrConflict, u.Why.Answer)
	}
	at := u.Entry.At.Format("2006-01-02 15:04 UTC")
	who.Because = fmt.Sprintf("undoes “%s” of %s by %s (entry %d)", u.Entry.Act, at, u.Entry.Actor, id)
	return do(who)
}

type doing func(who access.Actor) error

// undoing works out how an entry is undone.
func (s *Service) undoing(ctx context.Context, who access.Actor, id domain.ID) (u Undone, do doing, err error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRun)
	if err != nil {
		return u, nil, err
	}
	if u.Entry, err = seen.Audit.One(ctx, id); err != nil {
		return u, nil, err
	}
	u.Why.Question = fmt.Sprintf("What does undoing “%s” do?", u.Entry.Act)
	how, ok := s.undo[u.Entry.Act]
	e := u.Entry
	switch {
	case e.Refused:
		u.against("Nothing was done: it was refused")
	case !ok:
		u.against("This cannot be undone from here")
	case len(e.Before) == 0 && len(e.After) == 0:
		u.against("What it was before is not noted")
	case len(e.Before) == 0 && how.Remove == nil:
		u.against("What was made is not removed from here")
	case len(e.After) == 0 && how.Make == nil:
		u.against("What was removed is not made again from here")
	case len(e.After) == 0:
		u.does("The " + e.Kind + " “" + e.Thing + "” is made again, as it was before")
		u.Changes = Changes(domain.Entry{After: e.Before})
		return u, func(who access.Actor) error { return how.Make(ctx, who, e.ThingID, e.Before) }, nil
	default:
		return s.back(ctx, who, u, how)
	}
	return u, nil, nil
}

func (u *Undone) against(reason string) { u.Why.Answer = reason + "." }

func (u *Undone) does(what string) { u.Possible, u.Why.Answer = true, what+"." }

// back works out how a thing that is there becomes what it was before.
func (s *Service) back(ctx context.Context, who access.Actor, u Undone, how act.Undoing) (Undone, doing, error) {
	e := u.Entry
	thing, err := how.Present(ctx, who, e.ThingID)
	if errors.Is(err, domain.ErrNotFound) {
		u.against("The " + e.Kind + " “" + e.Thing + "” is not there any more")
		return u, nil, nil
	}
	if err != nil {
		return u, nil, err
	}
	present, err := json.Marshal(thing)
	if err != nil {
		return u, nil, err
	}
	now := fieldsOf(present)
	if len(e.Before) == 0 {
		u.does("The " + e.Kind + " “" + e.Thing + "” is removed")
		u.Changes = Changes(domain.Entry{Before: present})
		return u, func(who access.Actor) error { return how.Remove(ctx, who, e.ThingID) }, nil
	}
	merged, since := merge(now, fieldsOf(e.Before), fieldsOf(e.After))
	if len(since) > 0 {
		for i, name := range since {
			since[i] = fieldWords(name)
			u.Why.Because(text.UpperFirst(since[i])+" is not what it became then", "Undo the later change first.", nil)
		}
		u.against("It was changed again since: " + text.List(since, "and"))
		return u, nil, nil
	}
	document, err := json.Marshal(merged)
	if err != nil {
		return u, nil, err
	}
	u.Changes = Changes(domain.Entry{Before: present, After: document})
	if len(u.Changes) == 0 {
		u.against("It is already what it was before")
		return u, nil, nil
	}
	u.does(text.Count(int64(len(u.Changes)), "value") + " of “" + e.Thing + "” become what they were before")
	if len(u.Changes) == 1 {
		u.does("One value of “" + e.Thing + "” becomes what it was before")
	}
	return u, func(who access.Actor) error { return how.Put(ctx, who, e.ThingID, document) }, nil
}

type fields map[string]json.RawMessage

func fieldsOf(document json.RawMessage) (out fields) {
	_ = json.Unmarshal(document, &out)
	return out
}

// merge puts back into the present what was changed between before and after. It names
// what was changed again since.
func merge(now, before, after fields) (merged fields, since []string) {
	merged = maps.Clone(now)
	if merged == nil {
		merged = fields{}
	}
	names := map[string]bool{}
	for name := range before {
		names[name] = true
	}
	for name := range after {
		names[name] = true
	}
	for _, name := range slices.Sorted(maps.Keys(names)) {
		if name == "version" || name == "id" || alike(before[name], after[name]) {
			continue
		}
		if !alike(now[name], after[name]) {
			since = append(since, name)
		}
		merged[name] = before[name]
		if before[name] == nil {
			delete(merged, name)
		}
	}
	return merged, since
}

// alike tells whether two documents say the same, however they are written; ids of parts
// that are made anew with each change do not count.
func alike(a, b json.RawMessage) bool { return bytes.Equal(canonical(a), canonical(b)) }

func canonical(document json.RawMessage) []byte {
	var x any
	if len(document) == 0 || json.Unmarshal(document, &x) != nil {
		return nil
	}
	out, _ := json.Marshal(withoutIDs(x))
	return out
}

func withoutIDs(x any) any {
	switch x := x.(type) {
	case map[string]any:
		delete(x, "id")
		for name, value := range x {
			x[name] = withoutIDs(value)
		}
	case []any:
		for i, value := range x {
			x[i] = withoutIDs(value)
		}
	}
	return x
}
