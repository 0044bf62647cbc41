package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/devices"
)

// Device is anything with an address that is watched.
type Device struct {
	ID          int64  `json:"id" example:"12"`
	PlaceID     int64  `json:"place_id" example:"3"`
	Name        string `json:"name" example:"gr-sw-1" doc:"The technical name, unique in its organisation"`
	Friendly    string `json:"friendly" example:"Switch at the quay" doc:"What people call it; empty where that is the technical name"`
	Address     string `json:"address" example:"192.0.2.17"`
	Kind        string `json:"kind" example:"switch"`
	Vendor      string `json:"vendor"`
	Model       string `json:"model"`
	Description string `json:"description"`
	ObjectID    string `json:"object_id" example:"1.3.6.1.4.1.63000.1" doc:"sysObjectID (RFC 3418)"`
	Paused      bool   `json:"paused" example:"false"`
	Health      string `json:"health" example:"fine" enum:"fine,notice,warning,critical,unreachable,unknown,paused,maintenance"`
	HealthSince Moment `json:"health_since"`
	HealthNote  string `json:"health_note" doc:"Why, in words"`
	BehindID    Ref    `json:"behind_id" doc:"The device that it is out of reach behind"`
	BootedAt    Moment `json:"booted_at" doc:"Since when the machine runs; null where that is not known"`
	AgentSince  Moment `json:"agent_since" doc:"Since when what answers for it runs"`
	CreatedAt   Moment `json:"created_at"`
	Version     int    `json:"version" example:"3"`
}

func deviceOf(d domain.Device) Device {
	return Device{
		ID:          d.ID,
		PlaceID:     d.PlaceID,
		Name:        d.Name,
		Friendly:    d.Friendly,
		Address:     d.Address.String(),
		Kind:        d.Kind,
		Vendor:      d.Vendor,
		Model:       d.Model,
		Description: d.Description,
		ObjectID:    d.ObjectID,
		Paused:      d.Paused,
		Health:      string(d.Health),
		HealthSince: Moment{d.HealthSince},
		HealthNote:  d.HealthNote,
		BehindID:    Ref(d.BehindID),
		BootedAt:    Moment{d.BootedAt},
		AgentSince:  Moment{d.AgentSince},
		CreatedAt:   Moment{d.CreatedAt},
		Version:     d.Version,
	}
}

func (d Device) mark() string { return markOf(d.Version) }

func (d Device) at(order string) (string, domain.ID) {
	switch order {
	case "name":
		return d.Name, d.ID
	case "since":
		return keyOf(d.HealthSince.Time), d.ID
	case "created":
		return keyOf(d.CreatedAt.Time), d.ID
	}
	return "", d.ID
}

// DeviceDraft is what people may change of a device.
type DeviceDraft struct {
	Name     string            `json:"name" minLength:"1" maxLength:"200" example:"gr-sw-1"`
	Friendly string            `json:"friendly,omitempty" maxLength:"200" example:"Switch at the quay"`
	Address  string            `json:"address" minLength:"2" maxLength:"100" example:"192.0.2.17"`
	PlaceID  int64             `json:"place_id" minimum:"1" example:"3"`
	Via      string            `json:"via,omitempty" maxLength:"200" example:"gr-edge-1" doc:"Name of what it is reached through"`
	Secrets  map[string]string `json:"secrets,omitempty" writeOnly:"true" doc:"Its credential's, again, for a new address"`
}

// DeviceFilter picks devices.
type DeviceFilter struct {
	Paging
	Health string `query:"health" enum:"fine,notice,warning,critical,unreachable,unknown,paused,maintenance"`
	Kind   string `query:"kind" maxLength:"100"`
	Search string `query:"q" maxLength:"500" doc:"Part of a name, address or place; role=standby; #tag"`
}

func (a *api) devices() {
	pages(a, operation{http.MethodGet, "/devices", "List devices", domain.AreaWatch, domain.AccessSee},
		orders{"name", "-since", "-created", "id"},
		func(ctx context.Context, in DeviceFilter, p domain.Page) ([]Device, int64, error) {
			f := domain.DeviceFilter{Health: domain.Health(in.Health), Kind: in.Kind, Search: in.Search, Page: &p}
			found, total, err := a.Watch.Find(ctx, caller(ctx), f)
			return every(found, deviceOf), total, err
		})
	kept[Device, DeviceDraft]{
		path:   "/devices",
		one:    "a device",
		area:   domain.AreaWatch,
		writes: domain.AreaCollect,
		see:    domain.AccessSee,
		level:  domain.AccessConfigure,
		get:    a.device,
		draft:  a.deviceDraft,
		change: a.changeDevice,
		remove: a.Devices.Remove,
	}.register(a)
	a.deviceDeeds()
	a.insideDevices()
	a.removed()
}

func (a *api) device(ctx context.Context, who access.Actor, id domain.ID) (Device, error) {
	d, err := a.Watch.One(ctx, who, id)
	return deviceOf(d), err
}

func (a *api) deviceDraft(ctx context.Context, now Device) (DeviceDraft, error) {
	d, _, err := a.Devices.Draft(ctx, caller(ctx), now.ID)
	return DeviceDraft{Name: d.Name, Friendly: d.Friendly, Address: d.Address, PlaceID: d.PlaceID, Via: d.Via}, err
}

func (a *api) changeDevice(ctx context.Context, who access.Actor, id domain.ID, d DeviceDraft, version int) error {
	_, err := a.Devices.Change(ctx, who, id, devices.Draft{
		Name:     d.Name,
		Friendly: d.Friendly,
		Address:  d.Address,
		PlaceID:  d.PlaceID,
		Via:      d.Via,
		Secrets:  secretsOf(d.Secrets),
		Version:  version,
	})
	return err
}

// secretsOf are secrets as they come in a request.
func secretsOf(in map[string]string) domain.Secrets {
	out := domain.Secrets{}
	for name, value := range in {
		out[name] = domain.Secret(value)
	}
	return out
}

// deviceDeeds are what can be done with a device beside changing it.
func (a *api) deviceDeeds() {
	type asked struct {
		Requests int `json:"requests" doc:"How many requests are on their way" example:"14"`
	}
	type collecting struct {
		ByID
		Source string `query:"source" maxLength:"300" example:"ups/whole" doc:"One source alone, as kit/source"`
	}
	add(a, operation{http.MethodPost, "/devices/{id}/collect", "Collect everything of a device now, or one source", domain.AreaCollect,
		domain.AccessOperate},
		func(ctx context.Context, in *collecting) (*Body[asked], error) {
			n, err := a.Devices.CollectNow(ctx, caller(ctx), in.ID, in.Source)
			return one(asked{n}, err)
		})
	set := func(paused bool) func(context.Context, *ByID) (*Body[Device], error) {
		return func(ctx context.Context, in *ByID) (*Body[Device], error) {
			if err := a.Devices.SetPaused(ctx, caller(ctx), in.ID, paused); err != nil {
				return nil, err
			}
			return one(a.device(ctx, caller(ctx), in.ID))
		}
	}
	add(a, operation{http.MethodPost, "/devices/{id}/pause", "Pause a device: nothing is asked of it", domain.AreaCollect,
		domain.AccessConfigure}, set(true))
	add(a, operation{http.MethodPost, "/devices/{id}/resume", "Go on with a paused device", domain.AreaCollect, domain.AccessConfigure},
		set(false))
}

// RemovedDevice is one that is no longer watched, while its history is kept.
type RemovedDevice struct {
	ID        int64  `json:"id" example:"12"`
	Name      string `json:"name" example:"gr-sw-1"`
	Address   string `json:"address" example:"192.0.2.17"`
	Kind      string `json:"kind" example:"switch"`
	Place     string `json:"place" example:"Gravel Bay"`
	RemovedAt Moment `json:"removed_at"`
	Series    int    `json:"series" example:"96" doc:"How many series it has, whose history is kept"`
}

func (d RemovedDevice) at(order string) (string, domain.ID) {
	switch order {
	case "name":
		return d.Name, d.ID
	case "removed":
		return keyOf(d.RemovedAt.Time), d.ID
	}
	return "", d.ID
}

// SearchFilter picks things by a text.
type SearchFilter struct {
	Paging
	Search string `query:"q" maxLength:"500" doc:"Part of a name"`
}

func (a *api) removed() {
	list(a, operation{http.MethodGet, "/devices/removed", "List devices that are no longer watched", domain.AreaCollect, domain.AccessSee},
		orders{"-removed", "name", "id"},
		func(ctx context.Context, in SearchFilter) ([]RemovedDevice, error) {
			found, _, err := a.Devices.Removed(ctx, caller(ctx), domain.RemovedFilter{Search: in.Search})
			return every(found, func(d domain.RemovedDevice) RemovedDevice {
				return RemovedDevice{d.ID, d.Name, d.Address, d.Kind, d.Place, Moment{d.RemovedAt}, d.Series}
			}), err
		})
	add(a, operation{http.MethodPost, "/devices/removed/{id}/restore", "Watch a removed device again, with its history", domain.AreaCollect,
		domain.AccessConfigure},
		func(ctx context.Context, in *ByID) (*Body[Device], error) {
			d, err := a.Devices.Restore(ctx, caller(ctx), in.ID)
			return one(deviceOf(d), err)
		})
	add(a, operation{http.MethodDelete, "/devices/removed/{id}", "Delete a removed device with all its history", domain.AreaCollect,
		domain.AccessConfigure},
		func(ctx context.Context, in *ByID) (*none, error) {
			return nil, a.Devices.Forget(ctx, caller(ctx), in.ID)
		})
}
