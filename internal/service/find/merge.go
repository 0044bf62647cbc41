package find

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// save stores progress and the finds so far.
func (w *sweep) save(ctx context.Context) error {
	reached := w.front.come() // before the answers are read: of what lies before it none is missing
	w.mu.Lock()
	answers := slices.Collect(maps.Values(w.answers))
	w.mu.Unlock()
	finds, err := w.finds(ctx, answers)
	if err != nil {
		return fmt.Errorf("finds: %w", err)
	}
	w.Tried, w.Found = w.tried.Load(), int64(len(finds))
	if len(answers) != w.saved {
		if err := errors.Join(w.remember(ctx, answers), w.keep(ctx, finds)); err != nil {
			return fmt.Errorf("finds: %w", err)
		}
		w.saved = len(answers)
	}
	if seen := w.sightings(); len(seen) != w.told {
		if err := w.store.Sightings.Save(ctx, w.ID, seen); err != nil {
			return fmt.Errorf("what answered otherwise: %w", err)
		}
		w.told = len(seen)
	}
	w.Reached = reached
	if _, err := w.store.Sweeps.Save(ctx, w.Sweep); err != nil {
		return fmt.Errorf("progress: %w", err)
	}
	w.changed(w.Sweep)
	return nil
}

func (w *sweep) keep(ctx context.Context, finds []domain.Find) error {
	all, err := w.store.Devices.Known(ctx, w.prober.Way())
	if err != nil {
		return err
	}
	known := recogniser(w.sameOrganisation(all))
	var identities []string
	for i := range finds {
		identities = append(identities, finds[i].Identity)
		known.judge(&finds[i], w.secrets)
	}
	if err := w.store.Finds.Save(ctx, finds); err != nil {
		return err
	}
	return w.store.Finds.Prune(ctx, w.ID, identities)
}

// sameOrganisation leaves out devices of other organisations than that of the sweep:
// private addresses mean something else there.
func (w *sweep) sameOrganisation(all []store.KnownDevice) []store.KnownDevice {
	if w.PlaceID == 0 {
		return all
	}
	own := w.tree.Root(w.PlaceID)
	return slices.DeleteFunc(all, func(d store.KnownDevice) bool { return w.tree.Root(d.PlaceID) != own })
}

// real leaves out what answered at addresses of virtual routers, and notes it as such: behind
// them stands now one device and then another.
func (w *sweep) real(answers []answered) []answered {
	responders := make([]identity.Responder, len(answers))
	for i, a := range answers {
		responders[i] = a.Responder
	}
	virtual := identity.Virtual(responders)
	return slices.DeleteFunc(slices.Clone(answers), func(a answered) bool {
		if !virtual[a.Address] {
			return false
		}
		w.mu.Lock()
		defer w.mu.Unlock()
		w.virtual[a.Address] = "an address of a virtual router, where “" + text.Brief(a.Name, mostSaid) + "” answers now"
		return true
	})
}

// finds merges the addresses of one device into one find, and tells what it is.
func (w *sweep) finds(ctx context.Context, answers []answered) ([]domain.Find, error) {
	answers = w.real(answers)
	slices.SortFunc(answers, func(a, b answered) int { return a.Address.Compare(b.Address) })
	responders := make([]identity.Responder, len(answers))
	for i, a := range answers {
		responders[i] = a.Responder
	}
	objects := make([]string, len(answers))
	for i, a := range answers {
		objects[i] = a.ObjectID
	}
	makers, err := w.recognition.Makers(ctx, objects)
	if err != nil {
		return nil, err
	}
	now, rules := time.Now().UTC(), w.recognition.Rules()
	var things []identity.Thing
	var out []domain.Find
	for _, g := range identity.Merge(responders) {
		first := answers[g.Members[0]]
		things = append(things, thingOf(answers, g))
		known, how := rules.Of(first.Answer, makers[first.ObjectID])
		g.Why.Include("It was recognised as "+how.Answer, how)
		trace, _ := json.Marshal(g.Why) // plain values
		f := domain.Find{
			SweepID:      w.ID,
			Identity:     g.Key(responders),
			Doubt:        g.Doubt,
			Why:          trace,
			Address:      first.Address.String(),
			Name:         first.Name,
			Vendor:       known.Vendor,
			Model:        known.Model,
			Kind:         known.Kind,
			Description:  first.Description,
			ObjectID:     first.ObjectID,
			Location:     first.Location,
			Parts:        first.Parts,
			Facts:        first.Facts,
			Way:          w.prober.Way(),
			CredentialID: first.credential,
			FoundAt:      now,
		}
		for _, m := range g.Members[1:] {
			f.Others = append(f.Others, answers[m].Address.String())
		}
		out = append(out, f)
	}
	neighbours(out, things)
	return out, nil
}

func thingOf(answers []answered, g identity.Group) (t identity.Thing) {
	for _, m := range g.Members {
		t.Answers = append(t.Answers, answers[m].Answer)
	}
	return t
}

// neighbours tells each find what stands next to it.
func neighbours(finds []domain.Find, things []identity.Thing) {
	for _, l := range identity.Links(things) {
		n := domain.FindNeighbour{Port: l.Port, Name: l.Name, RemotePort: l.RemotePort, Why: l.Why}
		if l.To >= 0 {
			n.Identity = finds[l.To].Identity
			n.Name = cmp.Or(finds[l.To].Name, n.Name)
		}
		finds[l.From].Neighbours = append(finds[l.From].Neighbours, n)
	}
}
