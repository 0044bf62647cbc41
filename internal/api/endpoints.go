package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
)

// Endpoint is how a device is talked to by a way.
type Endpoint struct {
	Way          string            `json:"way" example:"snmp"`
	Address      string            `json:"address" example:"" doc:"Empty for the device's own"`
	CredentialID Ref               `json:"credential_id"`
	Settings     map[string]string `json:"settings" nullable:"false"`
	Set          bool              `json:"set" doc:"False where the usual settings of the way hold"`
	ETag         string            `json:"etag" doc:"For If-Match"`
}

func (e Endpoint) at(string) (string, domain.ID) { return e.Way, 0 }

// Trial is what came of asking a device once.
type Trial struct {
	Kit      string `json:"kit" example:"interfaces"`
	Source   string `json:"source" example:"counters"`
	Error    string `json:"error" example:""`
	Rows     int    `json:"rows" example:"24"`
	Verdict  string `json:"verdict" doc:"What the check of a service came to; empty where it was none" example:"passes"`
	Says     string `json:"says" doc:"Why" example:"200 OK"`
	Exchange []Line `json:"exchange" nullable:"false"`
}

// Line is one message to or from a device, in words.
type Line struct {
	AfterSeconds float64 `json:"after_seconds" example:"0.004"`
	Sent         bool    `json:"sent"`
	Text         string  `json:"text"`
}

// EndpointChange is how a device is to be talked to.
type EndpointChange struct {
	ByID
	IfMatch
	Way  string `path:"way" maxLength:"100" example:"snmp"`
	Body struct {
		Address      string            `json:"address,omitempty" maxLength:"100" example:"192.0.2.17"`
		CredentialID Ref               `json:"credential_id,omitempty"`
		Settings     map[string]string `json:"settings,omitempty"`
		Secrets      map[string]string `json:"secrets,omitempty" doc:"Those of the credential, again, for an address it is not bound to"`
	}
}

func (in *EndpointChange) draft() collect.EndpointDraft {
	b := in.Body
	return collect.EndpointDraft{
		Address:      b.Address,
		CredentialID: domain.ID(b.CredentialID),
		Settings:     b.Settings,
		Secrets:      secretsOf(b.Secrets),
		Mark:         in.mark(),
	}
}

func (a *api) endpoints() {
	list(a, operation{http.MethodGet, "/devices/{id}/endpoints", "List how a device is talked to, by each way", domain.AreaCollect,
		domain.AccessSee}, orders{"way"},
		func(ctx context.Context, in OfThing) ([]Endpoint, error) {
			return a.endpointsOf(ctx, caller(ctx), in.ID)
		})
	add(a, operation{http.MethodPut, "/devices/{id}/endpoints/{way}", "Change how a device is talked to; it is in force at once",
		domain.AreaCollect, domain.AccessConfigure},
		func(ctx context.Context, in *EndpointChange) (*Body[Endpoint], error) {
			if err := a.Kits.SetEndpoint(ctx, caller(ctx), in.ID, in.Way, in.draft()); err != nil {
				return nil, err
			}
			all, err := a.endpointsOf(ctx, caller(ctx), in.ID)
			for _, e := range all {
				if e.Way == in.Way {
					return one(e, err)
				}
			}
			return one(Endpoint{Way: in.Way, Settings: map[string]string{}}, err) // by which nothing asks
		})
	add(a, operation{http.MethodPost, "/devices/{id}/endpoints/{way}/try", "Ask a device once as it would be asked with these settings",
		domain.AreaCollect, domain.AccessConfigure},
		func(ctx context.Context, in *EndpointChange) (*Body[Trial], error) {
			got, err := a.Kits.Try(ctx, caller(ctx), in.ID, in.Way, in.draft())
			return one(trialOf(got), err)
		})
}

func (a *api) endpointsOf(ctx context.Context, who access.Actor, device domain.ID) ([]Endpoint, error) {
	all, err := a.Kits.Endpoints(ctx, who, device)
	return every(all, func(e collect.Endpoint) Endpoint {
		x := Endpoint{Way: e.Way.Name, CredentialID: Ref(e.CredentialID), Settings: e.Settings, Set: e.Set, ETag: quoted(e.Mark)}
		if e.Address.IsValid() {
			x.Address = e.Address.String()
		}
		return x
	}), err
}

func lineOf(l way.Line) Line { return Line{l.After.Seconds(), l.Sent, l.Text} }
