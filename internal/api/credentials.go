package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/domain"
)

// Credential is what devices are asked with, without its secrets.
type Credential struct {
	ID       int64             `json:"id" example:"2"`
	PlaceID  Ref               `json:"place_id" doc:"The part of the tree that may use it; null for all of it"`
	Name     string            `json:"name" example:"Gravel readers"`
	Kind     string            `json:"kind" example:"snmp-v2c"`
	Settings map[string]string `json:"settings" nullable:"false"`
	Ranges   string            `json:"ranges" example:"192.0.2.0/26" doc:"The addresses that it may be sent to"`
	SealedAt Moment            `json:"sealed_at" doc:"When its secrets were typed; null for not known"`
}

func credentialOf(c domain.Credential) Credential {
	settings := c.Settings
	if settings == nil {
		settings = map[string]string{}
	}
	return Credential{c.ID, Ref(c.PlaceID), c.Name, c.Kind, settings, c.Ranges, Moment{c.SealedAt}}
}

func (c Credential) at(order string) (string, domain.ID) {
	if order == "name" {
		return c.Name, c.ID
	}
	return "", c.ID
}

func (a *api) credentials() {
	list(a, operation{http.MethodGet, "/credentials", "List credentials, without their secrets", domain.AreaFind, domain.AccessSee},
		orders{"name", "id"},
		func(ctx context.Context, in SearchFilter) ([]Credential, error) {
			all, err := a.Find.Credentials(ctx, caller(ctx))
			return some(all, func(c domain.Credential) bool { return holds(c.Name, in.Search) }, credentialOf), err
		})
}
