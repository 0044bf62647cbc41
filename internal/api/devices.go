package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/devices"
)

// secretsOf are secrets as they come in a request.
func secretsOf(in map[string]string) domain.Secrets {
	out := domain.Secrets{}
	for name, value := range in {
		out[name] = domain.Secret(value)
	}
	return out
}

func (a *api) changing() {
	const tag = "devices"
	add(
		a,
		domain.AreaCollect,
		domain.AccessSee,
		http.MethodGet,
		"/devices/removed",
		tag,
		"Devices that are no longer watched, with their history",
		func(ctx context.Context, _ *none) (*Body[Items[domain.RemovedDevice]], error) {
			out, _, err := a.Devices.Removed(ctx, caller(ctx), domain.RemovedFilter{})
			return items(out, err)
		},
	)
	add(a, domain.AreaCollect, domain.AccessConfigure, http.MethodDelete,
		"/devices/{id}", tag, "Stop watching a device; its history is kept",
		func(ctx context.Context, in *ByID) (*none, error) {
			return nil, a.Devices.Remove(ctx, caller(ctx), in.ID)
		})
	add(
		a,
		domain.AreaCollect,
		domain.AccessConfigure,
		http.MethodPost,
		"/devices/removed/{id}/restore",
		tag,
		"Watch a removed device again, with its history",
		func(ctx context.Context, in *ByID) (*Body[domain.Device], error) {
			return one(a.Devices.Restore(ctx, caller(ctx), in.ID))
		},
	)
	add(
		a,
		domain.AreaCollect,
		domain.AccessConfigure,
		http.MethodDelete,
		"/devices/removed/{id}",
		tag,
		"Delete a removed device with all its history",
		func(ctx context.Context, in *ByID) (*none, error) {
			return nil, a.Devices.Forget(ctx, caller(ctx), in.ID)
		},
	)
	type where struct {
		ByID
		IfMatch
		Body struct {
			Name     string            `json:"name"`
			Friendly *string           `json:"friendly,omitempty" doc:"What people call it; left out, it stays"`
			Address  string            `json:"address"`
			PlaceID  int64             `json:"place_id"`
			Via      string            `json:"via,omitempty"      doc:"Name of what it is reached through; empty for what its place says"`
			Secrets  map[string]string `json:"secrets,omitempty"  doc:"Those of its credential, again, for an address it is not bound to"`
		}
	}
	add(a, domain.AreaCollect, domain.AccessConfigure, http.MethodPut, "/devices/{id}", "devices",
		"Change name, address, place and way of a device; its history stays with it",
		func(ctx context.Context, in *where) (*Tagged[domain.Device], error) {
			b := in.Body
			version, err := in.version()
			if err != nil {
				return nil, err
			}
			d := devices.Draft{Name: b.Name, Address: b.Address, PlaceID: b.PlaceID, Via: b.Via, Secrets: secretsOf(b.Secrets)}
			if d.Version = version; b.Friendly != nil {
				d.Friendly = *b.Friendly
			} else if now, _, err := a.Devices.Draft(ctx, caller(ctx), in.ID); err == nil {
				d.Friendly = now.Friendly
			}
			x, err := a.Devices.Change(ctx, caller(ctx), in.ID, d)
			return tagged(x, x.Version, err)
		})
}
