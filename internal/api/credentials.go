package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/credentials"
)

// Credential is what devices are asked with, without its secrets.
type Credential struct {
	ID       int64             `json:"id" example:"2"`
	PlaceID  Ref               `json:"place_id" doc:"The part of the tree that may use it; null for all of it"`
	Name     string            `json:"name" example:"Gravel readers"`
	Kind     string            `json:"kind" example:"snmp-v3"`
	Settings map[string]string `json:"settings" nullable:"false"`
	Stored   []string          `json:"stored" nullable:"false" doc:"The names of the secrets that are stored"`
	Ranges   string            `json:"ranges" example:"192.0.2.0/26" doc:"The addresses that it may be sent to"`
	SealedAt Moment            `json:"sealed_at" doc:"When its secrets were typed; null for not known"`
	Used     CredentialUse     `json:"used"`
	Version  int               `json:"version" example:"1"`
}

// CredentialUse is by what a credential is used.
type CredentialUse struct {
	Devices  int `json:"devices" example:"12"`
	Settings int `json:"settings" example:"1" doc:"Places and devices at which it is set"`
	Sweeps   int `json:"sweeps" example:"2"`
}

func credentialOf(c credentials.Credential) Credential {
	settings := c.Settings
	if settings == nil {
		settings = map[string]string{}
	}
	return Credential{c.ID, Ref(c.PlaceID), c.Name, c.Kind, settings, append([]string{}, c.Secrets...), c.Ranges, Moment{c.SealedAt},
		CredentialUse{c.Used.Devices, c.Used.Places, c.Used.Sweeps}, c.Version}
}

func (c Credential) mark() string { return markOf(c.Version) }

func (c Credential) at(order string) (string, domain.ID) {
	if order == "name" {
		return c.Name, c.ID
	}
	return "", c.ID
}

// CredentialKind is a kind of credential that can be made.
type CredentialKind struct {
	Name   string         `json:"name" example:"snmp-v3"`
	Title  string         `json:"title" example:"SNMP v3 user"`
	Fields []SettingField `json:"fields" nullable:"false"`
}

func (k CredentialKind) at(string) (string, domain.ID) { return k.Name, 0 }

// CredentialDraft is a credential as it is to be.
type CredentialDraft struct {
	Name     string            `json:"name" maxLength:"200" example:"Gravel readers"`
	Kind     string            `json:"kind,omitempty" maxLength:"100" example:"snmp-v2c" doc:"Of a new one; it stays what it is"`
	PlaceID  Ref               `json:"place_id,omitempty"`
	Ranges   string            `json:"ranges" maxLength:"10000" example:"192.0.2.0/26"`
	Settings map[string]string `json:"settings,omitempty" doc:"The open ones of the fields of its kind"`
	Secrets  map[string]string `json:"secrets,omitempty" doc:"The secret ones; one that is not given stays. Further addresses need all"`
}

func (d CredentialDraft) draft(version int) credentials.Draft {
	values := map[string]string{}
	for name, value := range d.Settings {
		values[name] = value
	}
	for name, value := range d.Secrets {
		values[name] = value
	}
	return credentials.Draft{Name: d.Name, Kind: d.Kind, PlaceID: domain.ID(d.PlaceID), Ranges: d.Ranges, Values: values, Version: version}
}

func (a *api) credentials() {
	list(a, operation{http.MethodGet, "/credentials", "List credentials, without their secrets", domain.AreaCollect, domain.AccessSee},
		orders{"name", "id"},
		func(ctx context.Context, in SearchFilter) ([]Credential, error) {
			all, err := a.Credentials.All(ctx, caller(ctx))
			return some(all, func(c credentials.Credential) bool { return holds(c.Name, in.Search) }, credentialOf), err
		})
	list(a, operation{http.MethodGet, "/credentials/kinds", "List the kinds of credentials, with their fields", domain.AreaCollect,
		domain.AccessSee}, orders{"name"},
		func(context.Context, Paging) ([]CredentialKind, error) {
			return every(a.Credentials.Kinds(), func(k way.Credential) CredentialKind {
				return CredentialKind{k.Name, k.Title, every(k.Fields, fieldOf)}
			}), nil
		})
	kept[Credential, CredentialDraft]{
		path:  "/credentials",
		one:   "a credential",
		area:  domain.AreaCollect,
		see:   domain.AccessSee,
		level: domain.AccessConfigure,
		get: func(ctx context.Context, who access.Actor, id domain.ID) (Credential, error) {
			c, err := a.Credentials.One(ctx, who, id)
			return credentialOf(c), err
		},
		draft: func(_ context.Context, c Credential) (CredentialDraft, error) {
			return CredentialDraft{Name: c.Name, Kind: c.Kind, PlaceID: c.PlaceID, Ranges: c.Ranges, Settings: c.Settings}, nil
		},
		make: func(ctx context.Context, who access.Actor, d CredentialDraft) (domain.ID, error) {
			c, err := a.Credentials.Make(ctx, who, d.draft(0))
			return c.ID, err
		},
		change: func(ctx context.Context, who access.Actor, id domain.ID, d CredentialDraft, version int) error {
			_, err := a.Credentials.Change(ctx, who, id, d.draft(version))
			return err
		},
		remove: a.Credentials.Remove,
	}.register(a)
}
