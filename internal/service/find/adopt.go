package find

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/tag"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/bounds"
	"tirelessowl/internal/store"
)

// Offer is a kit that would fit some finds, with what it costs on them.
type Offer struct {
	Kit   *kit.Kit  `json:"-"`
	Name  string    `json:"kit"`
	Fits  int       `json:"fits"`
	Cost  kit.Cost  `json:"cost"`
	Why   why.Trace `json:"why"` // for one find; empty for several
	Chose bool      `json:"-"`
	// Uncounted are the kinds of rows of which a sweep does not learn how many there are: the cost
	// is without them.
	Uncounted []string `json:"uncounted"`
}

// Offers tells for every kit on how many of the finds it fits, and its cost with the
// intervals that hold at a place; zero for the usual ones.
func (s *Service) Offers(ctx context.Context, finds []domain.Find, place domain.ID) (out []Offer, err error) {
	tree, err := s.store.Tree(ctx)
	if err != nil {
		return nil, err
	}
	stretch, _ := tree.Stretch(domain.Device{PlaceID: place})
	perSample := s.kits.BytesPerSample(ctx)
	for _, k := range s.kits.Kits() {
		if k.OnRequest {
			continue
		}
		o := Offer{Kit: k, Name: k.Name, Chose: true, Uncounted: []string{}}
		for _, p := range k.Parts {
			if p.Purpose == "" {
				o.Uncounted = append(o.Uncounted, p.Title)
			}
		}
		for _, f := range finds {
			fits, trace := k.Fits(f.Facts)
			if len(finds) == 1 {
				o.Why = trace
			}
			if fits {
				o.Fits++
				o.Cost = o.Cost.Add(k.Stretched(stretch).Estimate(kit.ByPurpose(f.Parts), perSample))
			}
		}
		out = append(out, o)
	}
	return out, nil
}

// Adoption is what to do with a selection of finds.
type Adoption struct {
	FindIDs  []domain.ID `json:"find_ids"`
	PlaceID  domain.ID   `json:"place_id,omitempty"`
	NewPlace string      `json:"new_place,omitempty"` // a new site below the first organisation
	Kits     []string    `json:"kits"`
	Tags     string      `json:"tags,omitempty"` // that the devices get, with commas between
	// GatewayFind is the find through which the place is reached; 0 leaves
	// the place as it is.
	GatewayFind domain.ID `json:"gateway_find,omitempty"`
}

// Finds returns what a sweep found.
func (s *Service) Finds(ctx context.Context, who access.Actor, sweepID domain.ID) ([]domain.Find, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaFind)
	if err != nil {
		return nil, err
	}
	if _, err := seen.Sweeps.One(ctx, sweepID); err != nil {
		return nil, err
	}
	return seen.Finds.Of(ctx, sweepID)
}

// Sightings returns what answered a sweep otherwise.
func (s *Service) Sightings(ctx context.Context, who access.Actor, sweepID domain.ID) ([]domain.Sighting, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaFind)
	if err != nil {
		return nil, err
	}
	if _, err := seen.Sweeps.One(ctx, sweepID); err != nil {
		return nil, err
	}
	return seen.Sightings.Of(ctx, sweepID)
}

// Adopt makes finds watched devices, all or none, and begins to collect. It
// returns the new devices.
func (s *Service) Adopt(ctx context.Context, who access.Actor, sweepID domain.ID, a Adoption) (made []domain.Device, err error) {
	err = s.desk.Do(ctx, who, adopt, func(w *act.Work) error {
		sweep, chosen, err := chosenOf(ctx, w, sweepID, a.FindIDs)
		if err != nil {
			return err
		}
		for _, name := range a.Kits {
			if _, err := s.kits.Kit(name); err != nil || strings.HasPrefix(name, own.Prefix) {
				return domain.FieldErrors{"kits": "There is no kit " + name + "."}
			}
		}
		place, err := s.placeFor(ctx, w, sweep, a)
		if err != nil {
			return err
		}
		if made, err = s.adoptAll(ctx, w, sweep, chosen, place, a, who); err != nil {
			return err
		}
		if err := tagged(ctx, w, who, place, made, a.Tags); err != nil {
			return err
		}
		w.Then(func(ctx context.Context) error { return s.begun(ctx, made) })
		return bounds.Keep(ctx, w.Areas, who, "find_ids", made...)
	})
	return made, err
}

// tagged gives tags to devices that were adopted. Grants may reach what carries a tag: who gives
// one must be let set attributes there.
func tagged(ctx context.Context, w *act.Work, who access.Actor, place domain.Place, devices []domain.Device, typed string) error {
	tags, problem := tag.Read(typed)
	if problem != "" {
		return domain.FieldErrors{"tags": problem}
	}
	if len(tags) == 0 {
		return nil
	}
	if !who.May(domain.AreaCollect, domain.AccessConfigure, domain.At(place.ID)) {
		return domain.FieldErrors{"tags": "You may not set tags there."}
	}
	var all []domain.Attribute
	for _, d := range devices {
		for _, name := range tags {
			all = append(all, domain.Attribute{DeviceID: d.ID, Name: name, Tag: true})
		}
		w.Note(act.Device(d), nil, struct {
			Tags []string `json:"tags"`
		}{tags})
	}
	return w.Attributes.Set(ctx, all)
}

// begun begins to collect from devices.
func (s *Service) begun(ctx context.Context, devices []domain.Device) error {
	for _, d := range devices {
		if err := s.adopted(ctx, d.ID); err != nil {
			return err
		}
	}
	return nil
}

// chosenOf returns a sweep at whose place the actor may act, with some of its finds.
func chosenOf(ctx context.Context, w *act.Work, sweepID domain.ID, ids []domain.ID) (domain.Sweep, []domain.Find, error) {
	sweep, err := of(ctx, w, sweepID)
	if err != nil {
		return sweep, nil, err
	}
	all, err := w.Finds.Of(ctx, sweepID)
	if err != nil {
		return sweep, nil, err
	}
	chosen, err := choose(all, ids)
	return sweep, chosen, err
}

func (s *Service) adoptAll(
	ctx context.Context,
	w *act.Work,
	sweep domain.Sweep,
	finds []domain.Find,
	place domain.Place,
	a Adoption,
	who access.Actor,
) (made []domain.Device, err error) {
	for _, f := range finds {
		d, err := s.adoptOne(ctx, w.Areas, f, place.ID, sweep.Port, a.Kits, who.Name)
		if err != nil {
			return made, err
		}
		made = append(made, d)
		w.Note(act.Device(d), nil, d)
		if f.ID != a.GatewayFind {
			continue
		}
		gateway := domain.Override{PlaceID: place.ID, Key: domain.SettingGateway, Value: strconv.FormatInt(d.ID, 10)}
		if err := w.Overrides.Set(ctx, gateway, d.ID); err != nil {
			return made, err
		}
		w.Note(act.Thing{Kind: "place", ID: place.ID, Name: place.Name, PlaceID: place.ID}, nil, gateway)
	}
	return made, nil
}

func choose(all []domain.Find, ids []domain.ID) ([]domain.Find, error) {
	var out []domain.Find
	for _, id := range ids {
		i := slices.IndexFunc(all, func(f domain.Find) bool { return f.ID == id })
		if i < 0 {
			return nil, domain.FieldErrors{"find_ids": fmt.Sprintf("There is no find %d in this sweep.", id)}
		}
		if all[i].DeviceID != 0 {
			return nil, domain.FieldErrors{"find_ids": all[i].Name + " is watched already."}
		}
		out = append(out, all[i])
	}
	if len(out) == 0 {
		return nil, domain.FieldErrors{"find_ids": "Select at least one find."}
	}
	return out, nil
}

// placeFor is where adopted devices come: a place within that of the sweep where the
// actor may act, or a new one.
func (s *Service) placeFor(ctx context.Context, w *act.Work, sweep domain.Sweep, a Adoption) (domain.Place, error) {
	places, err := w.Places.All(ctx)
	if err != nil {
		return domain.Place{}, err
	}
	tree := access.NewTree(places)
	name := strings.TrimSpace(a.NewPlace)
	if name == "" {
		i := slices.IndexFunc(places, func(p domain.Place) bool { return p.ID == a.PlaceID && tree.Within(p.ID, sweep.PlaceID) })
		if i < 0 || w.At(a.PlaceID) != nil {
			return domain.Place{}, domain.FieldErrors{"place": "Choose a place, or name a new one."}
		}
		return places[i], nil
	}
	if len(name) > maxName {
		return domain.Place{}, domain.FieldErrors{"place": fmt.Sprintf("At most %d characters.", maxName)}
	}
	p := domain.Place{Name: name, Kind: domain.Site, ParentID: sweep.PlaceID}
	if p.ParentID == 0 {
		if p.ParentID, err = organisation(ctx, w, places); err != nil {
			return p, err
		}
	}
	if err := w.At(p.ParentID); err != nil {
		return p, err
	}
	w.Then(func(context.Context) error {
		s.sheets.Forget()
		return nil
	})
	return newPlace(ctx, w, p)
}

// firstOrganisation is what the organisation is called that is made with the first place.
const firstOrganisation = "Our organisation"

// organisation is what a new site lies below; the first one makes its organisation, too.
func organisation(ctx context.Context, w *act.Work, places []domain.Place) (domain.ID, error) {
	if i := slices.IndexFunc(places, func(p domain.Place) bool { return p.Kind == domain.Organisation }); i >= 0 {
		return places[i].ID, nil
	}
	if err := w.Whole(); err != nil {
		return 0, err
	}
	p, err := newPlace(ctx, w, domain.Place{Name: firstOrganisation, Kind: domain.Organisation})
	return p.ID, err
}

func newPlace(ctx context.Context, w *act.Work, p domain.Place) (domain.Place, error) {
	p, err := w.Places.Save(ctx, p)
	if errors.Is(err, domain.ErrConflict) {
		return p, domain.FieldErrors{"place": "There is a place of this name already: choose it in the list."}
	}
	w.Note(act.Thing{Kind: "place", ID: p.ID, Name: p.Name, PlaceID: p.ID}, nil, p)
	return p, err
}

func (s *Service) adoptOne(
	ctx context.Context,
	tx *store.Areas,
	f domain.Find,
	place domain.ID,
	port int,
	kits []string,
	who string,
) (domain.Device, error) {
	address, err := netip.ParseAddr(f.Address)
	if err != nil {
		return domain.Device{}, err
	}
	name := strings.TrimSpace(f.Name)
	if name == "" {
		name = f.Address
	}
	d := domain.Device{PlaceID: place, Name: name, Address: address, Kind: f.Kind, Vendor: f.Vendor, Model: f.Model,
		Description: f.Description, ObjectID: f.ObjectID, CreatedAt: time.Now().UTC()}
	d, err = add(ctx, tx, d, f)
	if errors.Is(err, domain.ErrConflict) {
		return d, domain.FieldErrors{"find_ids": "A device named " + name + " is watched already; names are unique."}
	}
	if err != nil {
		return d, err
	}
	tree, err := tx.Tree(ctx)
	if err != nil {
		return d, err
	}
	endpoint := domain.Endpoint{
		DeviceID:     d.ID,
		Way:          f.Way,
		CredentialID: f.CredentialID,
		Settings:     map[string]string{"port": strconv.Itoa(port)},
	}
	if inherited, _ := tree.Credential(d, f.Way, 0); inherited == f.CredentialID {
		endpoint.CredentialID = 0 // that of its place, also when the place gets another one
	}
	if err := tx.Endpoints.Save(ctx, endpoint); err != nil {
		return d, err
	}
	for _, k := range s.kits.Kits() {
		if fits, _ := k.Fits(f.Facts); fits && slices.Contains(kits, k.Name) {
			f := domain.Fitting{DeviceID: d.ID, Kit: k.Name, By: domain.ByHand, Who: who, Since: d.CreatedAt}
			if err := tx.Fittings.Fit(ctx, f); err != nil {
				return d, err
			}
		}
	}
	f.DeviceID = d.ID
	if _, err := tx.Facts.Learn(ctx, f); err != nil {
		return d, err
	}
	return d, tx.Finds.SetVerdict(ctx, f.ID, domain.FindAdopted, d.ID)
}

// add makes a device of a find, or watches one again that was removed: its history
// goes on.
func add(ctx context.Context, tx *store.Areas, d domain.Device, f domain.Find) (domain.Device, error) {
	removed, err := tx.Devices.RemovedLike(ctx, d.PlaceID, f.Identity, d.Name, f.Address)
	if err != nil {
		return d, err
	}
	if removed != 0 {
		return tx.Devices.Restore(ctx, removed, d)
	}
	return tx.Devices.Add(ctx, d, f.Identity, f.Others)
}

// Ignore puts finds aside, or takes them back to new.
func (s *Service) Ignore(ctx context.Context, who access.Actor, sweepID domain.ID, ids []domain.ID, aside bool) error {
	return s.desk.Do(ctx, who, ignore, func(w *act.Work) error {
		sweep, chosen, err := chosenOf(ctx, w, sweepID, ids)
		if err != nil {
			return err
		}
		verdict := domain.FindNew
		if aside {
			verdict = domain.FindIgnored
		}
		for _, f := range chosen {
			w.Note(thing(sweep), verdictOf(f, f.Verdict), verdictOf(f, verdict))
			if err := w.Finds.SetVerdict(ctx, f.ID, verdict, 0); err != nil {
				return err
			}
		}
		return nil
	})
}

// verdictOf is what is noted of a find.
func verdictOf(f domain.Find, v domain.Verdict) map[string]string {
	return map[string]string{"find": strings.TrimSpace(f.Name + " " + f.Address), "verdict": string(v)}
}
