// Package attributes is names with values, and tags, that people give to places, devices
// and parts.
package attributes

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/tag"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// Service is the use cases.
type Service struct {
	store  *store.Store
	desk   *act.Desk
	sheets *act.Sheets
	// changed takes up what follows of tags and attributes.
	changed func(context.Context) error
}

// New returns the service.
func New(s *store.Store, desk *act.Desk, sheets *act.Sheets, changed func(context.Context) error) *Service {
	return &Service{s, desk, sheets, changed}
}

var (
	ofPlaces  = act.Deed{Name: "change the attributes of a place", Area: domain.AreaRun, Needs: domain.AccessConfigure}
	ofParts   = act.Deed{Name: "change the attributes of a part", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	ofDevices = act.Deed{Name: "change the attributes of a device", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
)

// Shown are the attributes and tags of a thing.
type Shown struct {
	All []inherit.Attribute
	May bool // may change them
}

// Of returns what holds for a place, a device, or a part of one (of which the device is
// given, too): what is set there and what comes from above, with where it comes from.
func (s *Service) Of(ctx context.Context, who access.Actor, thing inherit.Thing) (out Shown, err error) {
	at, err := s.where(ctx, who, thing)
	if err != nil {
		return out, err
	}
	set, err := s.store.Attributes.Along(ctx, at.Place, at.Device)
	if err != nil {
		return out, err
	}
	places, err := s.store.Places.All(ctx)
	if err != nil {
		return out, err
	}
	deed := deedFor(thing)
	out.May = who.May(deed.Area, deed.Needs, at.Spot())
	sees := func(place domain.ID) bool { return who.May(domain.AreaWatch, domain.AccessSee, domain.At(place)) }
	for i, p := range places {
		if !sees(p.ID) {
			places[i].Name = unseen
		}
	}
	out.All = inherit.NewAttributes(places, set).Of(at)
	for i, a := range out.All {
		if !sees(a.Thing.Place) {
			out.All[i].Thing.Place = 0
		}
	}
	return out, nil
}

// unseen is told in the place of the name of a place further up that may not be seen.
const unseen = "further up"

func deedFor(thing inherit.Thing) act.Deed {
	switch {
	case thing.Place != 0:
		return ofPlaces
	case thing.Part != 0:
		return ofParts
	}
	return ofDevices
}

// where finds what a thing lies in, if it may be seen.
func (s *Service) where(ctx context.Context, who access.Actor, thing inherit.Thing) (inherit.Where, error) {
	area := domain.AreaWatch
	if thing.Place != 0 {
		area = domain.AreaRun
	}
	seen, err := s.desk.See(ctx, who, area)
	if err != nil {
		return inherit.Where{}, err
	}
	return lies(ctx, &seen.Areas, thing)
}

func lies(ctx context.Context, from *store.Areas, thing inherit.Thing) (at inherit.Where, err error) {
	if thing.Place != 0 {
		p, err := from.Places.One(ctx, thing.Place)
		return inherit.Where{Place: p.ID}, err
	}
	at = inherit.Where{Device: thing.Device, Part: thing.Part}
	if thing.Part != 0 {
		p, err := from.Parts.One(ctx, thing.Part)
		if err != nil {
			return at, err
		}
		at.Device = p.DeviceID
	}
	d, err := from.Devices.One(ctx, at.Device)
	at.Place = d.PlaceID
	return at, err
}

// Change is one thing to do to attributes.
type Change struct {
	Name  string `json:"name"`
	Value string `json:"value,omitempty"`
	Tag   bool   `json:"tag,omitempty"`
	// Unset takes away what is set at the thing itself, so that what comes from above holds
	// again.
	Unset bool `json:"unset,omitempty"`
	// Mark is that of the value at the thing itself as it was seen; empty for whatever is
	// there.
	Mark string `json:"-"`
}

// check tidies a change, and says what is wrong with it by field: name, value.
func (c *Change) check() domain.FieldErrors {
	c.Name, c.Value = strings.TrimSpace(c.Name), strings.TrimSpace(c.Value)
	errs := domain.FieldErrors{}
	if !tag.Valid(c.Name) {
		errs["name"] = fmt.Sprintf("A name has 1 to %d characters, without = # and commas.", domain.MostAttributeName)
	}
	if !tag.Printable(c.Value) || utf8.RuneCountInString(c.Value) > domain.MostAttributeValue {
		errs["value"] = fmt.Sprintf("A value has at most %d characters, on one line.", domain.MostAttributeValue)
	}
	if c.Tag && c.Value != "" {
		errs["value"] = "A tag has no value."
	}
	return errs
}

// MarkOf is the mark of a value that is set at a thing itself; empty for none.
func MarkOf(value string) string { return act.Mark(value) }

// Set changes the attributes of a thing. Errors are by field: name, value; it is ErrChanged
// where one is no more what was seen.
func (s *Service) Set(ctx context.Context, who access.Actor, thing inherit.Thing, changes []Change) error {
	return s.SetMany(ctx, who, []inherit.Thing{thing}, changes)
}

// most is of how many things attributes are changed at once.
const most = 10_000

// SetMany does the same changes to several things of one sort, all or none.
func (s *Service) SetMany(ctx context.Context, who access.Actor, things []inherit.Thing, changes []Change) error {
	if len(things) == 0 || len(things) > most {
		return domain.FieldErrors{"name": fmt.Sprintf("Choose from one to %s of them.", text.Thousands(most))}
	}
	return s.desk.Do(ctx, who, deedFor(things[0]), func(w *act.Work) error {
		grants, err := s.granted(ctx, w.Areas)
		if err != nil {
			return err
		}
		for _, thing := range things {
			t, at, err := s.asked(ctx, w, thing)
			if err != nil {
				return err
			}
			may := func(a domain.Attribute) string { return grants.problem(who, a, at) }
			if err := s.change(ctx, w, thing, t, slices.Clone(changes), may); err != nil {
				return err
			}
		}
		w.Then(s.forget)
		w.Then(s.changed)
		return nil
	})
}

// forget lets it be worked out anew what everybody may do: that may hang on tags.
func (s *Service) forget(context.Context) error {
	s.sheets.Forget()
	return nil
}

// asked returns a thing as it is noted and where it stands, having asked whether the actor
// may change it.
func (s *Service) asked(ctx context.Context, w *act.Work, thing inherit.Thing) (t act.Thing, at domain.Spot, err error) {
	where, err := lies(ctx, w.Areas, thing)
	if err != nil {
		return t, at, w.Missing(err)
	}
	at = where.Spot()
	if err := w.On(at); err != nil {
		return t, at, err
	}
	if thing.Place != 0 {
		p, err := w.Places.One(ctx, thing.Place)
		return act.Thing{Kind: "place", ID: p.ID, Name: p.Name, PlaceID: p.ID}, at, err
	}
	d, err := w.Devices.One(ctx, at.Device)
	if err != nil || thing.Part == 0 {
		return act.Device(d), at, err
	}
	p, err := w.Parts.One(ctx, thing.Part)
	return act.Thing{Kind: "part", ID: p.ID, Name: p.Name + " of " + d.Name, PlaceID: d.PlaceID}, at, err
}

// change does changes to a thing; may says why one may not be done, in words.
func (s *Service) change(
	ctx context.Context,
	w *act.Work,
	thing inherit.Thing,
	t act.Thing,
	changes []Change,
	may func(domain.Attribute) string,
) error {
	before, err := s.own(ctx, w.Areas, thing)
	if err != nil {
		return err
	}
	var set, unset []domain.Attribute
	for _, c := range changes {
		if err := c.check().OrNil(); err != nil {
			return err
		}
		a := owned(thing, c)
		if err := act.Since(before[marked(a)], c.Mark); err != nil {
			return err
		}
		if problem := may(a); problem != "" {
			return fmt.Errorf("%w: %s", domain.ErrForbidden, problem)
		}
		if c.Unset {
			unset = append(unset, a)
		} else {
			set = append(set, a)
		}
	}
	if err := w.Attributes.Unset(ctx, unset); err != nil {
		return err
	}
	if err := w.Attributes.Set(ctx, set); err != nil {
		return err
	}
	after, err := s.own(ctx, w.Areas, thing)
	if err != nil {
		return err
	}
	w.Note(t, before, after)
	return nil
}

func owned(thing inherit.Thing, c Change) domain.Attribute {
	return domain.Attribute{
		PlaceID:  thing.Place,
		DeviceID: thing.Device,
		PartID:   thing.Part,
		Name:     c.Name,
		Value:    c.Value,
		Tag:      c.Tag,
	}
}

// noted is what is set at a thing, as it is noted: by name, tags with a # before theirs.
type noted map[string]string

// own is what is set at a thing itself.
func (s *Service) own(ctx context.Context, from *store.Areas, thing inherit.Thing) (noted, error) {
	sort, id := "place_id", thing.Place
	switch {
	case thing.Part != 0:
		sort, id = "part_id", thing.Part
	case thing.Device != 0:
		sort, id = "device_id", thing.Device
	}
	all, err := from.Attributes.Of(ctx, sort, []domain.ID{id})
	out := noted{}
	for _, a := range all {
		out.add(a)
	}
	return out, err
}

func (n noted) add(a domain.Attribute) {
	if a.Tag {
		n["#"+a.Name] = "set"
		return
	}
	n[a.Name] = a.Value
}

// Used is a name that is in use.
type Used = store.UsedAttribute

// Used returns the names that are in use where an actor may see.
func (s *Service) Used(ctx context.Context, who access.Actor) ([]Used, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaWatch)
	if err != nil {
		return nil, err
	}
	return seen.Attributes.Used(ctx)
}

// All returns all that is set where an actor may see.
func (s *Service) All(ctx context.Context, who access.Actor) ([]domain.Attribute, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaWatch)
	if err != nil {
		return nil, err
	}
	return seen.Attributes.All(ctx)
}

// Undoing is how changes of attributes are undone, by deed.
func (s *Service) Undoing() map[string]act.Undoing {
	return map[string]act.Undoing{
		ofPlaces.Name:  s.undoing(inherit.Place),
		ofDevices.Name: s.undoing(inherit.Device),
		ofParts.Name:   s.undoing(inherit.Part),
	}
}

func (s *Service) undoing(thing func(domain.ID) inherit.Thing) act.Undoing {
	return act.Undoing{
		Present: func(ctx context.Context, who access.Actor, id domain.ID) (any, error) {
			if _, err := s.where(ctx, who, thing(id)); err != nil {
				return nil, err
			}
			return s.own(ctx, &s.store.Areas, thing(id))
		},
		Put: func(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
			shall, err := act.Read[noted](document)
			if err != nil {
				return err
			}
			is, err := s.own(ctx, &s.store.Areas, thing(id))
			if err != nil {
				return err
			}
			return s.Set(ctx, who, thing(id), shall.from(is))
		},
	}
}

// from are the changes that make one set of attributes another.
func (n noted) from(is noted) (out []Change) {
	for name, value := range n {
		if is[name] != value {
			out = append(out, changeOf(name, value, false))
		}
	}
	for name := range is {
		if _, stays := n[name]; !stays {
			out = append(out, changeOf(name, "", true))
		}
	}
	return out
}

func changeOf(name, value string, unset bool) Change {
	if tag, ok := strings.CutPrefix(name, "#"); ok {
		return Change{Name: tag, Tag: true, Unset: unset}
	}
	return Change{Name: name, Value: value, Unset: unset}
}
