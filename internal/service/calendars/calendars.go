// Package calendars keeps hours that people name, to be set where they hold.
package calendars

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// Service is the use cases.
type Service struct {
	store *store.Store
	desk  *act.Desk
	// changed takes up what was changed of many devices.
	changed func(context.Context) error
}

// New returns the service.
func New(s *store.Store, desk *act.Desk, changed func(context.Context) error) *Service {
	return &Service{s, desk, changed}
}

// Calendar is one with what it is now.
type Calendar struct {
	domain.Calendar
	Open bool
	// Turns is when that changes next; zero where it does not within a year.
	Turns time.Time
	// Devices is how many of those that are seen it holds for.
	Devices int
}

// All returns all of them, by name: they are the same for all places.
func (s *Service) All(ctx context.Context, who access.Actor) ([]Calendar, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRun)
	if err != nil {
		return nil, err
	}
	all, err := seen.Calendars.All(ctx)
	if err != nil {
		return nil, err
	}
	used, err := s.used(ctx, who)
	out, now := make([]Calendar, len(all)), time.Now()
	for i, c := range all {
		out[i] = Calendar{Calendar: c, Devices: used[c.Name]}
		hours, err := cadence.ReadHours(c.Hours)
		if err != nil {
			continue // an older release read it
		}
		out[i].Open = hours.Open(now)
		out[i].Turns, _ = hours.Turns(now)
	}
	return out, err
}

// used counts the devices for which calendars hold, by name, of those that are seen.
func (s *Service) used(ctx context.Context, who access.Actor) (map[string]int, error) {
	tree, err := s.store.Tree(ctx)
	if err != nil {
		return nil, err
	}
	devices, err := s.store.Seen(who.Scope(domain.AreaRun, domain.AccessSee)).Devices.All(ctx)
	out := map[string]int{}
	for _, d := range devices {
		_, r := tree.Hours(d)
		out[r.Value]++
	}
	return out, err
}

// One returns one of them, or ErrNotFound.
func (s *Service) One(ctx context.Context, who access.Actor, id domain.ID) (domain.Calendar, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRun)
	if err != nil {
		return domain.Calendar{}, err
	}
	return seen.Calendars.One(ctx, id)
}

var (
	makeCalendar   = act.Deed{Name: "make a calendar", Area: domain.AreaRun, Needs: domain.AccessConfigure}
	changeCalendar = act.Deed{Name: "change a calendar", Area: domain.AreaRun, Needs: domain.AccessConfigure}
	removeCalendar = act.Deed{Name: "remove a calendar", Area: domain.AreaRun, Needs: domain.AccessConfigure}
)

const mostName = 60 // characters

// tidy is a calendar with its spaces in order, and what is wrong with it by field: name, hours.
func tidy(c domain.Calendar) (domain.Calendar, domain.FieldErrors) {
	errs := domain.FieldErrors{}
	c.Name, c.Hours = strings.Join(strings.Fields(c.Name), " "), strings.Join(strings.Fields(c.Hours), " ")
	_, isHours := cadence.ReadHours(c.Name)
	switch {
	case c.Name == "":
		errs["name"] = "Give the calendar a name."
	case len([]rune(c.Name)) > mostName:
		errs["name"] = fmt.Sprintf("At most %d characters.", mostName)
	case !text.Printable(c.Name):
		errs["name"] = "It has characters that cannot be shown."
	case isHours == nil:
		errs["name"] = "These are hours: give them a name."
	}
	if hours, err := cadence.ReadHours(c.Hours); err != nil {
		errs["hours"] = text.UpperFirst(err.Error()) + "."
	} else if hours.Always() {
		errs["hours"] = "Always needs no calendar."
	}
	return c, errs
}

// Save makes a calendar, or changes one that has an id, and what it is set for follows at once. It
// is ErrChanged where it has another version, but zero.
func (s *Service) Save(ctx context.Context, who access.Actor, c domain.Calendar) (saved domain.Calendar, err error) {
	c, errs := tidy(c)
	deed := changeCalendar
	if c.ID == 0 {
		deed = makeCalendar
	}
	err = s.desk.Do(ctx, who, deed, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		var before any
		var old domain.Calendar
		if c.ID != 0 {
			if old, err = w.Calendars.Lock(ctx, c.ID); err != nil {
				return err
			}
			if c.Version != 0 && c.Version != old.Version {
				return domain.ErrChanged
			}
			before, c.Version = old, old.Version
		}
		if len(errs) > 0 {
			return errs
		}
		if saved, err = w.Calendars.Save(ctx, c, old.Name); errors.Is(err, domain.ErrConflict) {
			return domain.FieldErrors{"name": "Another calendar has this name."}
		}
		if err != nil {
			return err
		}
		w.Note(thing(saved), before, saved)
		w.Then(s.changed)
		return nil
	})
	return saved, err
}

func thing(c domain.Calendar) act.Thing { return act.Thing{Kind: "calendar", ID: c.ID, Name: c.Name} }

// Remove takes a calendar away that is set nowhere. It is ErrChanged where it has another version,
// but zero.
func (s *Service) Remove(ctx context.Context, who access.Actor, id domain.ID, version int) error {
	return s.desk.Do(ctx, who, removeCalendar, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		old, err := w.Calendars.Lock(ctx, id)
		if err != nil {
			return err
		}
		if version != 0 && version != old.Version {
			return domain.ErrChanged
		}
		set, err := w.Overrides.All(ctx)
		if err != nil {
			return err
		}
		if n := places(set, old.Name); n > 0 {
			return domain.FieldErrors{"name": "It is set at " + text.Count(int64(n), "place or device", "places and devices") +
				". Set something else there first."}
		}
		w.Note(thing(old), old, nil)
		return w.Calendars.Remove(ctx, id)
	})
}

// places counts where a calendar is set.
func places(set []domain.Override, name string) (n int) {
	for _, o := range set {
		if o.Key == domain.SettingHours && o.Value == name {
			n++
		}
	}
	return n
}

// Undoing is how what was done to calendars is undone, by deed.
func (s *Service) Undoing() map[string]act.Undoing {
	anew := func(c *domain.Calendar) { c.ID, c.Version = 0, 0 }
	save := func(ctx context.Context, who access.Actor, c domain.Calendar) (domain.Calendar, error) {
		c.Version = 0
		return s.Save(ctx, who, c)
	}
	how := act.Whole(s.One, save, anew, act.Whatever(s.Remove))
	return map[string]act.Undoing{makeCalendar.Name: how, changeCalendar.Name: how, removeCalendar.Name: how}
}

// Rehearse tells what other hours of a calendar, or a new one, would be and do, and changes nothing.
func (s *Service) Rehearse(ctx context.Context, who access.Actor, c domain.Calendar) (t why.Trace, err error) {
	if _, err := s.desk.See(ctx, who, domain.AreaRun); err != nil {
		return t, err
	}
	c, errs := tidy(c)
	if c.ID == 0 && c.Name == "" {
		delete(errs, "name") // it is not typed yet
	}
	if len(errs) > 0 {
		return t, errs
	}
	shall, _ := cadence.ReadHours(c.Hours) // it was read before
	now := time.Now()
	t.Question, t.Answer = "What would these hours be?", said(shall, now)
	t.Because(fmt.Sprintf("They are %.0f %% of a week", 100*shall.Share()), "without its days off", nil)
	if c.ID == 0 {
		return t, nil
	}
	old, err := s.One(ctx, who, c.ID)
	if err != nil {
		return t, err
	}
	if was, err := cadence.ReadHours(old.Hours); err == nil && old.Hours != c.Hours {
		t.Because(fmt.Sprintf("They were %.0f %%", 100*was.Share()), said(was, now), nil)
	}
	used, err := s.used(ctx, who)
	if n := used[old.Name]; n > 0 {
		t.Because("They hold for "+text.Count(int64(n), "device"), "these follow at once", nil)
	} else {
		t.Because("They hold for no device", "set the calendar at a place or a device", nil)
	}
	return t, err
}

// said is what hours are at a time, and when that changes.
func said(h cadence.Hours, now time.Time) string {
	out := "closed now"
	if h.Open(now) {
		out = "open now"
	}
	turns, ok := h.Turns(now)
	if !ok {
		return out + ", for a year and longer"
	}
	return out + ", for " + units.Span(turns.Sub(now).Truncate(time.Minute))
}
