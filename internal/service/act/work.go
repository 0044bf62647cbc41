package act

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Work is a use case at work. Its tables are those of its transaction; they hold all
// rows, so what is taken from them goes through At, On or Device first.
type Work struct {
	*store.Areas
	ctx   context.Context
	who   access.Actor
	deed  Deed
	asked bool
	// whole is what this is a part of; nil where it stands by itself.
	whole *Work
	// set is the set of changes that all belongs to; zero for none.
	set     domain.ID
	entries []domain.Entry
	news    []domain.News
	last    []leftover // within the transaction
	after   []leftover // when all is stored
}

// At asks whether the actor may do the deed at a place, zero for what belongs to the
// whole tree. Where the actor may not even see the place, there is no such thing.
func (w *Work) At(place domain.ID) error { return w.On(domain.At(place)) }

// On is At for a spot, which may be that of a device as it is stored.
func (w *Work) On(at domain.Spot) error {
	w.asked = true
	switch {
	case w.who.May(w.deed.Area, w.deed.Needs, at):
		return nil
	case at != domain.Spot{} && !w.who.May(w.deed.Area, domain.AccessSee, at):
		return domain.ErrNotFound
	}
	return lacks(w.deed)
}

// Whole asks whether the actor may do the deed for the whole tree.
func (w *Work) Whole() error { return w.At(0) }

// Missing is for what is not there: nothing needs to be asked then.
func (w *Work) Missing(err error) error {
	w.asked = true
	return err
}

// Own asks whether a person acts for himself.
func (w *Work) Own(user domain.ID) error {
	w.asked = true
	switch {
	case w.who.Kind != access.Person || w.who.ID != user || user == 0:
		return lacks(w.deed)
	case w.who.Untrusted && !w.deed.Anywhere:
		return ErrUntrusted
	}
	return nil
}

// ErrUntrusted is told where a browser is not trusted in which more than looking is done.
var ErrUntrusted = fmt.Errorf("%w: this browser is not trusted; trust it first", domain.ErrForbidden)

// Device returns a device with which the actor may do the deed. Nobody else
// changes it until the end.
func (w *Work) Device(id domain.ID) (domain.Device, error) {
	d, err := w.Devices.Lock(w.ctx, id)
	if err != nil {
		return domain.Device{}, w.Missing(err)
	}
	if err := w.On(d.Spot()); err != nil {
		return domain.Device{}, err // nothing is told of what may not be seen
	}
	return d, nil
}

// Thing is what something was done to.
type Thing struct {
	Kind    string
	ID      domain.ID
	Name    string
	PlaceID domain.ID
}

// Device is a device as a thing.
func Device(d domain.Device) Thing { return Thing{"device", d.ID, d.Name, d.PlaceID} }

// Note notes that a thing was as before says and became as after says; nil stands for
// one that was not there. What stayed the same is not noted.
func (w *Work) Note(t Thing, before, after any) { w.NoteFor(t, before, after, "") }

// NoteFor notes a change with the reason that was given for it.
func (w *Work) NoteFor(t Thing, before, after any, reason string) {
	e := entryOf(w.who, w.deed)
	e.Kind, e.ThingID, e.Thing, e.PlaceID, e.Reason = t.Kind, t.ID, t.Name, t.PlaceID, cmp.Or(reason, w.who.Because)
	e.Before, e.After = document(before), document(after)
	if before != nil && after != nil && bytes.Equal(e.Before, e.After) {
		return
	}
	w.root().entries = append(w.root().entries, e)
}

// document is a thing as it is noted: its secrets hide themselves.
func document(x any) json.RawMessage {
	if x == nil {
		return nil
	}
	out, err := json.Marshal(x)
	if err != nil {
		panic(fmt.Sprintf("a thing that cannot be noted: %v", err)) // things are plain values
	}
	return out
}

// Tell has those who look learn that something changed, when it is stored.
func (w *Work) Tell(n domain.News) { w.root().news = append(w.root().news, n) }
