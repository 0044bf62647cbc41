package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/settings"
)

// Setting is what holds at a place or a device, with where it comes from.
type Setting struct {
	Key   domain.SettingKey `json:"key"`
	Title string            `json:"title"`
	Value string            `json:"value"`
	Shown string            `json:"shown"          doc:"The value as people read it"`
	Here  bool              `json:"here"           doc:"It is set here, and not inherited"`
	From  int64             `json:"from,omitempty" doc:"The place at which it is set; none for the device itself"`
	Why   why.Trace         `json:"why"`
	ETag  string            `json:"etag"           doc:"For If-Match: the version of what is set here, if anything is"`
}

func settingsOf(all []settings.Setting) []Setting {
	out := make([]Setting, len(all))
	for i, x := range all {
		out[i] = Setting{x.Key, x.Title, x.Value, x.Shown, x.Here, x.Thing.Place, x.Why, quoted(x.Mark)}
	}
	return out
}

// Keyed names a setting of a thing. It is exported, since of an embedded type that is not
// nothing would be read.
type Keyed struct {
	ByID
	IfMatch
	Key string `path:"key" doc:"One of the keys that are listed"`
}

type setting struct {
	Keyed
	Body struct {
		Value   string            `json:"value"             doc:"A device by its name, a credential by its id; all else as people type it"`
		Secrets map[string]string `json:"secrets,omitempty" doc:"Those of the credential, again, for addresses it is not bound to"`
	}
}

func (in setting) typed(thing func(domain.ID) inherit.Thing) settings.Typed {
	return settings.Typed{
		At:      thing(in.ID),
		Key:     domain.SettingKey(in.Key),
		Value:   in.Body.Value,
		Secrets: secretsOf(in.Body.Secrets),
		Mark:    in.mark(),
	}
}

func (a *api) settings() {
	a.settingsOf("places", "a place", domain.AreaRun, inherit.Place)
	a.settingsOf("devices", "a device", domain.AreaCollect, inherit.Device)
	add(a, domain.AreaCollect, domain.AccessSee, http.MethodGet, "/overrides", "places", "What is set at places and devices, "+
		"and holds for all below",
		func(ctx context.Context, _ *none) (*Body[Items[domain.Override]], error) {
			return items(a.Places.Overrides(ctx, caller(ctx)))
		})
}

func (a *api) settingsOf(tag, of string, area domain.Area, thing func(domain.ID) inherit.Thing) {
	path := "/" + tag + "/{id}/settings"
	add(a, area, domain.AccessSee, http.MethodGet, path, tag, "What holds for "+of+", with where it comes from",
		func(ctx context.Context, in *ByID) (*Body[Items[Setting]], error) {
			all, err := a.Settings.Of(ctx, caller(ctx), thing(in.ID))
			return items(settingsOf(all), err)
		})
	add(a, area, domain.AccessConfigure, http.MethodPut, path+"/{key}", tag, "Set something at "+of+"; it holds for all below",
		func(ctx context.Context, in *setting) (*none, error) {
			return nil, a.Settings.Set(ctx, caller(ctx), in.typed(thing))
		})
	add(a, area, domain.AccessConfigure, http.MethodPost, path+"/{key}/rehearsal", tag, "What would change if it were set at "+of,
		func(ctx context.Context, in *setting) (*Body[why.Trace], error) {
			return one(a.Settings.Rehearse(ctx, caller(ctx), in.typed(thing)))
		})
	add(a, area, domain.AccessConfigure, http.MethodDelete, path+"/{key}", tag,
		"Take back what is set at "+of+": what comes from above holds",
		func(ctx context.Context, in *Keyed) (*none, error) {
			return nil, a.Settings.Set(ctx, caller(ctx), settings.Typed{At: thing(in.ID), Key: domain.SettingKey(in.Key), Mark: in.mark()})
		})
}
