package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/find"
)

type none struct{}

func (a *api) places() {
	add(a, domain.AreaRun, "", http.MethodGet, "/places", "places", "All places of the tree",
		func(ctx context.Context, _ *none) (*Body[Items[domain.Place]], error) {
			return items(a.Places.All(ctx, caller(ctx)))
		})
	type input struct {
		Body struct {
			ParentID domain.ID `json:"parent_id,omitempty"`
			Name     string    `json:"name" minLength:"1" maxLength:"200"`
			Kind     string    `json:"kind" enum:"organisation,site,group"`
		}
	}
	add(a, domain.AreaRun, domain.AccessConfigure, http.MethodPost, "/places", "places", "Make a place",
		func(ctx context.Context, in *input) (*Body[domain.Place], error) {
			return one(
				a.Places.Save(ctx, caller(ctx), domain.Place{
					ParentID: in.Body.ParentID, Name: in.Body.Name, Kind: domain.PlaceKind(in.Body.Kind),
				}),
			)
		})
	add(a, domain.AreaFind, domain.AccessSee, http.MethodGet, "/credentials", "sweeps", "Credentials, without their secrets",
		func(ctx context.Context, _ *none) (*Body[Items[domain.Credential]], error) {
			return items(a.Find.Credentials(ctx, caller(ctx)))
		})
}

func (a *api) sweeps() {
	const tag = "sweeps"
	add(a, domain.AreaFind, domain.AccessSee, http.MethodGet, "/sweeps", tag, "All sweeps, newest first",
		func(ctx context.Context, _ *none) (*Body[Items[domain.Sweep]], error) {
			return items(a.Find.Sweeps(ctx, caller(ctx)))
		})
	type create struct {
		Body struct {
			find.Draft
			Community string `json:"community,omitempty" doc:"A new SNMP v2c community; stored encrypted" maxLength:"200"`
			StoreAs   string `json:"store_as,omitempty" doc:"Name of the new credential" maxLength:"200"`
		}
	}
	add(a, domain.AreaFind, domain.AccessConfigure, http.MethodPost, "/sweeps", tag, "Make a sweep; start it afterwards",
		func(ctx context.Context, in *create) (*Body[domain.Sweep], error) {
			d := in.Body.Draft
			d.Community, d.NewName = domain.Secret(in.Body.Community), in.Body.StoreAs
			return one(a.Find.Create(ctx, caller(ctx), d))
		})
	add(a, domain.AreaFind, domain.AccessSee, http.MethodGet, "/sweeps/{id}", tag, "State and progress of a sweep",
		func(ctx context.Context, in *ByID) (*Body[domain.Sweep], error) {
			return one(a.Find.Sweep(ctx, caller(ctx), in.ID))
		})
	add(a, domain.AreaFind, domain.AccessOperate, http.MethodPost, "/sweeps/{id}/start", tag, "Start a sweep",
		func(ctx context.Context, in *ByID) (*Body[domain.Sweep], error) {
			if err := a.Find.Start(ctx, caller(ctx), in.ID); err != nil {
				return nil, err
			}
			return one(a.Find.Sweep(ctx, caller(ctx), in.ID))
		})
	add(a, domain.AreaFind, domain.AccessOperate, http.MethodPost, "/sweeps/{id}/stop", tag, "Stop a sweep; its finds stay",
		func(ctx context.Context, in *ByID) (*Body[domain.Sweep], error) {
			if err := a.Find.Stop(ctx, caller(ctx), in.ID); err != nil {
				return nil, err
			}
			return one(a.Find.Sweep(ctx, caller(ctx), in.ID))
		})
	add(a, domain.AreaFind, domain.AccessSee, http.MethodGet, "/sweeps/{id}/finds", tag, "What a sweep found",
		func(ctx context.Context, in *ByID) (*Body[Items[domain.Find]], error) {
			return items(a.Find.Finds(ctx, caller(ctx), in.ID))
		})
	add(
		a,
		domain.AreaFind,
		domain.AccessSee,
		http.MethodGet,
		"/sweeps/{id}/sightings",
		tag,
		"What answered a sweep, though not as a device that can be asked",
		func(ctx context.Context, in *ByID) (*Body[Items[domain.Sighting]], error) {
			return items(a.Find.Sightings(ctx, caller(ctx), in.ID))
		},
	)
	type moved struct {
		ByID
		Body struct {
			FindIDs []int64 `json:"find_ids"`
		}
	}
	add(a, domain.AreaFind, domain.AccessConfigure, http.MethodPost, "/sweeps/{id}/take-over", tag,
		"Ask known devices as they were found: at another address, or with another credential",
		func(ctx context.Context, in *moved) (*none, error) {
			return nil, a.Find.TakeOver(ctx, caller(ctx), in.ID, in.Body.FindIDs)
		})
	type adopt struct {
		ByID
		Body find.Adoption
	}
	add(a, domain.AreaFind, domain.AccessConfigure, http.MethodPost, "/sweeps/{id}/adopt", tag, "Watch what was found",
		func(ctx context.Context, in *adopt) (*Body[Items[domain.Device]], error) {
			return items(a.Find.Adopt(ctx, caller(ctx), in.ID, in.Body))
		})
}
