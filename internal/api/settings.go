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
	Key   string    `json:"key" example:"stretch"`
	Title string    `json:"title" example:"Longer intervals"`
	Value string    `json:"value" example:"2"`
	Shown string    `json:"shown" doc:"The value as people read it" example:"twice as long"`
	Here  bool      `json:"here" doc:"It is set here, and not inherited"`
	From  Ref       `json:"from" doc:"The place at which it is set; null for the device itself"`
	Why   why.Trace `json:"why"`
	ETag  string    `json:"etag" doc:"For If-Match: the version of what is set here, if anything is"`
}

func settingOf(x settings.Setting) Setting {
	return Setting{string(x.Key), x.Title, x.Value, x.Shown, x.Here, Ref(x.Thing.Place), x.Why, quoted(x.Mark)}
}

func (s Setting) at(string) (string, domain.ID) { return s.Key, 0 }

// Keyed names a setting of a thing.
type Keyed struct {
	ByID
	IfMatch
	Key string `path:"key" maxLength:"100" doc:"One of the keys that are listed" example:"stretch"`
}

type setting struct {
	Keyed
	Body struct {
		Value   string            `json:"value" maxLength:"10000" doc:"A device by its name, a credential by its id" example:"2"`
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
}

func (a *api) settingsOf(of, what string, area domain.Area, thing func(domain.ID) inherit.Thing) {
	path := "/" + of + "/{id}/settings"
	list(a, operation{http.MethodGet, path, "List what holds for " + what + ", with where it comes from", area, domain.AccessSee},
		orders{"key"},
		func(ctx context.Context, in OfThing) ([]Setting, error) {
			all, err := a.Settings.Of(ctx, caller(ctx), thing(in.ID))
			return every(all, settingOf), err
		})
	add(a, operation{http.MethodPut, path + "/{key}", "Set something at " + what + "; it holds for all below", area,
		domain.AccessConfigure},
		func(ctx context.Context, in *setting) (*none, error) {
			return nil, a.Settings.Set(ctx, caller(ctx), in.typed(thing))
		})
	add(a, operation{http.MethodPost, path + "/{key}/rehearsal", "What would change if it were set at " + what, area,
		domain.AccessConfigure},
		func(ctx context.Context, in *setting) (*Body[why.Trace], error) {
			return one(a.Settings.Rehearse(ctx, caller(ctx), in.typed(thing)))
		})
	add(a, operation{http.MethodDelete, path + "/{key}", "Take back what is set at " + what + ": what comes from above holds", area,
		domain.AccessConfigure},
		func(ctx context.Context, in *Keyed) (*none, error) {
			return nil, a.Settings.Set(ctx, caller(ctx), settings.Typed{At: thing(in.ID), Key: domain.SettingKey(in.Key), Mark: in.mark()})
		})
}
