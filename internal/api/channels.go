package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/channel"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/domain"
)

// ChannelDraft is what people may change of a channel.
type ChannelDraft struct {
	Settings map[string]string `json:"settings" nullable:"false" doc:"Those of its kind, all of them"`
	Secrets  map[string]string `json:"secrets,omitempty" writeOnly:"true" doc:"Those that are new; one that is left out stays"`
}

// Channel is a way to tell someone, without its secrets.
type Channel struct {
	ID       int64             `json:"id" example:"1"`
	Name     string            `json:"name" example:"Mail"`
	Kind     string            `json:"kind" example:"mail"`
	Settings map[string]string `json:"settings" nullable:"false"`
	Stored   []string          `json:"stored_secrets" nullable:"false" doc:"Names of the secrets that are stored"`
	SealedAt Moment            `json:"sealed_at" doc:"When a secret was typed last; null for not known"`
	Version  int               `json:"version" example:"3"`
}

func channelOf(c domain.Channel) Channel {
	settings := c.Settings
	if settings == nil {
		settings = map[string]string{}
	}
	return Channel{c.ID, c.Name, c.Kind, settings, append([]string{}, c.Secrets...), Moment{c.SealedAt}, c.Version}
}

func (c Channel) mark() string { return markOf(c.Version) }

func (c Channel) at(order string) (string, domain.ID) {
	if order == "name" {
		return c.Name, c.ID
	}
	return "", c.ID
}

// ChannelKind is a kind of channel that can be made.
type ChannelKind struct {
	Name     string         `json:"name" example:"mail"`
	Title    string         `json:"title" example:"Mail"`
	Settings []SettingField `json:"settings" nullable:"false"`
}

func (k ChannelKind) at(string) (string, domain.ID) { return k.Name, 0 }

// SettingField describes a setting.
type SettingField struct {
	Name     string   `json:"name" example:"server"`
	Label    string   `json:"label" example:"Server"`
	Help     string   `json:"help"`
	Kind     string   `json:"kind" example:"text"`
	Required bool     `json:"required"`
	Secret   bool     `json:"secret" example:"false"`
	Default  string   `json:"default"`
	Choices  []string `json:"choices" nullable:"false"`
}

func fieldOf(f field.Field) SettingField {
	return SettingField{
		Name:     f.Name,
		Label:    f.Label,
		Help:     f.Help,
		Kind:     string(f.Kind),
		Required: f.Required,
		Secret:   f.Kind == field.Secret,
		Default:  f.Default,
		Choices:  append([]string{}, f.Choices...),
	}
}

// Tried says how trying a channel went.
type Tried struct {
	Outcome string `json:"outcome" example:"the server took the message"`
}

func (a *api) channels() {
	list(a, operation{http.MethodGet, "/channels", "List channels, without their secrets", domain.AreaRun, domain.AccessSee},
		orders{"name", "id"},
		func(ctx context.Context, in SearchFilter) ([]Channel, error) {
			all, err := a.Respond.Channels(ctx, caller(ctx))
			return some(all, func(c domain.Channel) bool { return holds(c.Name, in.Search) }, channelOf), err
		})
	list(a, operation{http.MethodGet, "/channels/kinds", "List the kinds of channels, with their settings", domain.AreaRun,
		domain.AccessSee}, orders{"name"},
		func(context.Context, Paging) ([]ChannelKind, error) {
			return every(a.Respond.ChannelKinds(), func(k channel.Kind) ChannelKind {
				return ChannelKind{k.Name, k.Title, every(k.Settings, fieldOf)}
			}), nil
		})
	channels := kept[Channel, ChannelDraft]{
		path:  "/channels",
		one:   "a channel",
		area:  domain.AreaRun,
		see:   domain.AccessSee,
		level: domain.AccessConfigure,
		get:   a.channel,
		draft: func(_ context.Context, c Channel) (ChannelDraft, error) {
			return ChannelDraft{Settings: c.Settings}, nil
		},
		change: a.changeChannel,
	}
	channels.register(a)
	type ofKind struct {
		Body struct {
			Kind string `json:"kind" maxLength:"100" example:"mail"`
		}
	}
	made(a, operation{http.MethodPost, "/channels", "Make a channel of a kind with the usual settings, to be filled in", domain.AreaRun,
		domain.AccessConfigure},
		func(ctx context.Context, in *ofKind) (*Made[Channel], error) {
			c, err := a.Respond.AddChannel(ctx, caller(ctx), in.Body.Kind)
			if err != nil {
				return nil, err
			}
			return channels.madeAs(ctx, c.ID)
		})
	type trial struct {
		ByID
		Body struct {
			To string `json:"to,omitempty" maxLength:"500" doc:"Whom to tell, if anybody" example:"night@harbour.example"`
		}
	}
	add(a, operation{http.MethodPost, "/channels/{id}/try", "Try a channel as it is stored", domain.AreaRun, domain.AccessConfigure},
		func(ctx context.Context, in *trial) (*Body[Tried], error) {
			outcome, err := a.Respond.TryChannel(ctx, caller(ctx), in.ID, in.Body.To)
			return one(Tried{outcome}, err)
		})
}

func (a *api) channel(ctx context.Context, who access.Actor, id domain.ID) (Channel, error) {
	c, _, err := a.Respond.Channel(ctx, who, id)
	return channelOf(c), err
}

func (a *api) changeChannel(ctx context.Context, who access.Actor, id domain.ID, d ChannelDraft, version int) error {
	values := map[string]string{}
	for name, value := range d.Settings {
		values[name] = value
	}
	for name, value := range d.Secrets {
		values[name] = value
	}
	return a.Respond.SaveChannel(ctx, who, id, version, values)
}
