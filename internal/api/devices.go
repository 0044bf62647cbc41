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
	type where struct {
		ByID
		Body struct {
			Name    string            `json:"name"`
			Address string            `json:"address"`
			PlaceID int64             `json:"place_id"`
			Via     string            `json:"via,omitempty" doc:"Name of the device that it is reached through; empty for what its place says"`
			Secrets map[string]string `json:"secrets,omitempty" doc:"Those of its credential, again: needed where the new address lies outside of what it is bound to"`
		}
	}
	add(a, domain.AccessConfigure, http.MethodPut, "/devices/{id}", "devices", "Change name, address, place and way of a device; its history stays with it", func(ctx context.Context, in *where) (*Body[domain.Device], error) {
		b := in.Body
		return one(a.Devices.Change(ctx, in.ID, devices.Draft{Name: b.Name, Address: b.Address, PlaceID: b.PlaceID, Via: b.Via, Secrets: secretsOf(b.Secrets)}))
	})
}
