package api

import (
	"context"
	"net/http"
	"slices"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
)

// PlaceDraft is what people may change of a place.
type PlaceDraft struct {
	Name     string `json:"name" minLength:"1" maxLength:"200" example:"Gravel Bay"`
	Kind     string `json:"kind" example:"site" enum:"organisation,site,group"`
	ParentID Ref    `json:"parent_id" required:"false" doc:"What it lies below; null for an organisation"`
}

// Place is a node of the tree.
type Place struct {
	ID int64 `json:"id" example:"12"`
	PlaceDraft
	Version int `json:"version" example:"3"`
}

func placeOf(p domain.Place) Place {
	return Place{p.ID, PlaceDraft{p.Name, string(p.Kind), Ref(p.ParentID)}, p.Version}
}

func (p Place) mark() string { return markOf(p.Version) }

func (p Place) at(order string) (string, domain.ID) {
	if order == "name" {
		return p.Name, p.ID
	}
	return "", p.ID
}

// PlaceFilter picks places.
type PlaceFilter struct {
	Paging
	Search   string `query:"q" maxLength:"200" doc:"Part of the name"`
	Kind     string `query:"kind" doc:"Of this kind only" enum:"organisation,site,group"`
	ParentID int64  `query:"parent_id" doc:"Directly below this place" minimum:"1"`
}

func (a *api) places() {
	list(a, operation{http.MethodGet, "/places", "List the places of the tree", domain.AreaRun, ""}, orders{"name", "id"},
		func(ctx context.Context, in PlaceFilter) ([]Place, error) {
			all, err := a.Places.All(ctx, caller(ctx))
			return some(all, func(p domain.Place) bool {
				return holds(p.Name, in.Search) && (in.Kind == "" || string(p.Kind) == in.Kind) &&
					(in.ParentID == 0 || p.ParentID == in.ParentID)
			}, placeOf), err
		})
	kept[Place, PlaceDraft]{
		path:  "/places",
		one:   "a place",
		area:  domain.AreaRun,
		level: domain.AccessConfigure,
		get:   a.place,
		draft: func(_ context.Context, p Place) (PlaceDraft, error) { return p.PlaceDraft, nil },
		make: func(ctx context.Context, who access.Actor, d PlaceDraft) (domain.ID, error) {
			return a.savePlace(ctx, who, 0, d, 0)
		},
		change: func(ctx context.Context, who access.Actor, id domain.ID, d PlaceDraft, version int) error {
			_, err := a.savePlace(ctx, who, id, d, version)
			return err
		},
		remove: a.Places.Remove,
	}.register(a)
	add(a, operation{http.MethodPost, "/places/{id}/devices", "Let devices belong to a place", domain.AreaCollect, domain.AccessConfigure},
		func(ctx context.Context, in *moved) (*none, error) {
			return nil, a.Places.MoveDevices(ctx, caller(ctx), in.Body.DeviceIDs, in.ID)
		})
	list(a, operation{http.MethodGet, "/overrides", "List what is set at places and devices and holds for all below", domain.AreaCollect,
		domain.AccessSee}, orders{"place"},
		func(ctx context.Context, _ Paging) ([]Override, error) {
			all, err := a.Places.Overrides(ctx, caller(ctx))
			return every(all, overrideOf), err
		})
}

type moved struct {
	ByID
	Body struct {
		DeviceIDs []domain.ID `json:"device_ids" nullable:"false" minItems:"1" maxItems:"10000"`
	}
}

// place is one that the actor sees, also where it is only known by name.
func (a *api) place(ctx context.Context, who access.Actor, id domain.ID) (Place, error) {
	all, err := a.Places.All(ctx, who)
	if err != nil {
		return Place{}, err
	}
	i := slices.IndexFunc(all, func(p domain.Place) bool { return p.ID == id })
	if i < 0 {
		return Place{}, domain.ErrNotFound
	}
	return placeOf(all[i]), nil
}

func (a *api) savePlace(ctx context.Context, who access.Actor, id domain.ID, d PlaceDraft, version int) (domain.ID, error) {
	p := domain.Place{ID: id, ParentID: domain.ID(d.ParentID), Name: d.Name, Kind: domain.PlaceKind(d.Kind), Version: version}
	p, err := a.Places.Save(ctx, who, p)
	return p.ID, err
}

// Override is what is set at a place or a device.
type Override struct {
	PlaceID  Ref    `json:"place_id"`
	DeviceID Ref    `json:"device_id"`
	Key      string `json:"key" example:"stretch"`
	Value    string `json:"value" example:"2"`
}

func overrideOf(o domain.Override) Override {
	return Override{Ref(o.PlaceID), Ref(o.DeviceID), string(o.Key), o.Value}
}

func (o Override) at(string) (string, domain.ID) {
	return sortable(domain.ID(o.PlaceID)) + sortable(domain.ID(o.DeviceID)) + o.Key, 0
}
