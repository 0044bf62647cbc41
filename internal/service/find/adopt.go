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

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
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
}

// Offers tells for every kit on how many of the finds it fits, and its cost.
func (s *Service) Offers(ctx context.Context, finds []domain.Find) []Offer {
	var out []Offer
	perSample := s.kits.BytesPerSample(ctx)
	for _, k := range s.kits.Kits() {
		o := Offer{Kit: k, Name: k.Name, Chose: true}
		for _, f := range finds {
			fits, trace := k.Fits(f.Facts)
			if len(finds) == 1 {
				o.Why = trace
			}
			if fits {
				o.Fits++
				o.Cost = o.Cost.Add(k.Estimate(kit.ByPurpose(f.Parts), perSample))
			}
		}
		out = append(out, o)
	}
	return out
}

// Adoption is what to do with a selection of finds.
type Adoption struct {
	FindIDs  []domain.ID `json:"find_ids"`
	PlaceID  domain.ID   `json:"place_id,omitempty"`
	NewPlace string      `json:"new_place,omitempty"` // a new site below the first organisation
	Kits     []string    `json:"kits"`
	// GatewayFind is the find through which the place is reached; 0 leaves
	// the place as it is.
	GatewayFind domain.ID `json:"gateway_find,omitempty"`
}

// Finds returns what a sweep found.
func (s *Service) Finds(ctx context.Context, sweepID domain.ID) ([]domain.Find, error) {
	if _, err := s.store.Sweeps.One(ctx, sweepID); err != nil {
		return nil, err
	}
	return s.store.Finds.Of(ctx, sweepID)
}

// Sightings returns what answered a sweep otherwise.
func (s *Service) Sightings(ctx context.Context, sweepID domain.ID) ([]domain.Sighting, error) {
	return s.store.Sightings.Of(ctx, sweepID)
}

// Adopt makes finds watched devices, all or none, and begins to collect. It
// returns the new devices.
func (s *Service) Adopt(ctx context.Context, sweepID domain.ID, a Adoption) ([]domain.Device, error) {
	w, err := s.store.Sweeps.One(ctx, sweepID)
	if err != nil {
		return nil, err
	}
	all, err := s.store.Finds.Of(ctx, sweepID)
	if err != nil {
		return nil, err
	}
	chosen, err := choose(all, a.FindIDs)
	if err != nil {
		return nil, err
	}
	for _, name := range a.Kits {
		if _, err := s.kits.Kit(name); err != nil {
			return nil, domain.FieldErrors{"kits": "There is no kit " + name + "."}
		}
	}
	var made []domain.Device
	err = s.store.InTx(ctx, func(tx *store.Areas) error {
		place, err := s.placeFor(ctx, tx, a)
		if err != nil {
			return err
		}
		for _, f := range chosen {
			d, err := s.adoptOne(ctx, tx, f, place.ID, w.Port, a.Kits)
			if err != nil {
				return err
			}
			made = append(made, d)
			if f.ID != a.GatewayFind {
				continue
			}
			gateway := domain.Override{PlaceID: place.ID, Key: domain.SettingGateway, Value: strconv.FormatInt(d.ID, 10)}
			if err := tx.Overrides.Set(ctx, gateway, d.ID); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	for _, d := range made {
		if err := s.adopted(ctx, d.ID); err != nil {
			return made, err
		}
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

func (s *Service) placeFor(ctx context.Context, tx *store.Areas, a Adoption) (domain.Place, error) {
	places, err := tx.Places.All(ctx)
	if err != nil {
		return domain.Place{}, err
	}
	name := strings.TrimSpace(a.NewPlace)
	if name == "" {
		i := slices.IndexFunc(places, func(p domain.Place) bool { return p.ID == a.PlaceID })
		if i < 0 {
			return domain.Place{}, domain.FieldErrors{"place": "Choose a place, or name a new one."}
		}
		return places[i], nil
	}
	if len(name) > maxName {
		return domain.Place{}, domain.FieldErrors{"place": fmt.Sprintf("At most %d characters.", maxName)}
	}
	p := domain.Place{Name: name, Kind: domain.Site}
	if i := slices.IndexFunc(places, func(p domain.Place) bool { return p.Kind == domain.Organisation }); i >= 0 {
		p.ParentID = places[i].ID
	}
	p, err = tx.Places.Save(ctx, p)
	if errors.Is(err, domain.ErrConflict) {
		return p, domain.FieldErrors{"place": "There is a place of this name already: choose it in the list."}
	}
	return p, err
}

func (s *Service) adoptOne(ctx context.Context, tx *store.Areas, f domain.Find, place domain.ID, port int, kits []string) (domain.Device, error) {
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
	endpoint := domain.Endpoint{DeviceID: d.ID, Way: f.Way, CredentialID: f.CredentialID, Settings: map[string]string{"port": strconv.Itoa(port)}}
	if err := tx.Endpoints.Save(ctx, endpoint); err != nil {
		return d, err
	}
	for _, k := range s.kits.Kits() {
		if fits, _ := k.Fits(f.Facts); fits && slices.Contains(kits, k.Name) {
			if err := tx.Fittings.Fit(ctx, domain.Fitting{DeviceID: d.ID, Kit: k.Name}); err != nil {
				return d, err
			}
		}
	}
	return d, tx.Finds.SetVerdict(ctx, f.ID, domain.FindAdopted, d.ID)
}

// add makes a device of a find, or watches one again that was removed: its history
// goes on.
func add(ctx context.Context, tx *store.Areas, d domain.Device, f domain.Find) (domain.Device, error) {
	removed, err := tx.Devices.RemovedLike(ctx, f.Identity, d.Name, f.Address)
	if err != nil {
		return d, err
	}
	if removed != 0 {
		return tx.Devices.Restore(ctx, removed, d)
	}
	return tx.Devices.Add(ctx, d, f.Identity, f.Others)
}

// Ignore puts finds aside, or takes them back to new.
func (s *Service) Ignore(ctx context.Context, sweepID domain.ID, ids []domain.ID, ignore bool) error {
	all, err := s.store.Finds.Of(ctx, sweepID)
	if err != nil {
		return err
	}
	chosen, err := choose(all, ids)
	if err != nil {
		return err
	}
	verdict := domain.FindNew
	if ignore {
		verdict = domain.FindIgnored
	}
	return s.store.InTx(ctx, func(tx *store.Areas) error {
		for _, f := range chosen {
			if err := tx.Finds.SetVerdict(ctx, f.ID, verdict, 0); err != nil {
				return err
			}
		}
		return nil
	})
}
