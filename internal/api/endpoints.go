package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
)

// Endpoint is how a device is talked to by a way.
type Endpoint struct {
	Way          string            `json:"way"`
	Address      string            `json:"address,omitempty" doc:"Empty for the device's own"`
	CredentialID int64             `json:"credential_id,omitempty"`
	Settings     map[string]string `json:"settings"`
	Set          bool              `json:"set" readOnly:"true" doc:"False where the usual settings of the way hold"`
	ETag         string            `json:"etag,omitempty" readOnly:"true" doc:"For If-Match"`
}

// Trial is what came of asking a device once.
type Trial struct {
	Kit      string `json:"kit"`
	Source   string `json:"source"`
	Error    string `json:"error,omitempty"`
	Rows     int    `json:"rows"`
	Exchange []Line `json:"exchange" nullable:"false"`
}

// Line is one message to or from a device, in words.
type Line struct {
	AfterSeconds float64 `json:"after_seconds"`
	Sent         bool    `json:"sent"`
	Text         string  `json:"text"`
}

func (a *api) endpoints() {
	const tag = "devices"
	add(a, domain.AreaCollect, domain.AccessSee, http.MethodGet, "/devices/{id}/endpoints", tag, "How a device is talked to, by each way",
		func(ctx context.Context, in *ByID) (*Body[Items[Endpoint]], error) {
			all, err := a.Kits.Endpoints(ctx, caller(ctx), in.ID)
			out := []Endpoint{}
			for _, e := range all {
				x := Endpoint{Way: e.Way.Name, CredentialID: e.CredentialID, Settings: e.Settings, Set: e.Set, ETag: quoted(e.Mark)}
				if e.Address.IsValid() {
					x.Address = e.Address.String()
				}
				out = append(out, x)
			}
			return items(out, err)
		})
	type draft struct {
		ByID
		IfMatch
		Way  string `path:"way"`
		Body struct {
			Address      string            `json:"address,omitempty"`
			CredentialID int64             `json:"credential_id,omitempty"`
			Settings     map[string]string `json:"settings,omitempty"`
			// Secrets of the credential, by name.
			Secrets map[string]string `json:"secrets,omitempty" doc:"Those of the credential, again, for an address it is not bound to"`
		}
	}
	typed := func(in *draft) collect.EndpointDraft {
		b := in.Body
		return collect.EndpointDraft{
			Address:      b.Address,
			CredentialID: b.CredentialID,
			Settings:     b.Settings,
			Secrets:      secretsOf(b.Secrets),
			Mark:         in.mark(),
		}
	}
	add(a, domain.AreaCollect, domain.AccessConfigure, http.MethodPut, "/devices/{id}/endpoints/{way}", tag,
		"Change how a device is talked to; it is in force at once",
		func(ctx context.Context, in *draft) (*Body[Endpoint], error) {
			if err := a.Kits.SetEndpoint(ctx, caller(ctx), in.ID, in.Way, typed(in)); err != nil {
				return nil, err
			}
			b := in.Body
			set := Endpoint{Way: in.Way, Address: b.Address, CredentialID: b.CredentialID, Settings: b.Settings, Set: true}
			return one(set, nil)
		})
	add(a, domain.AreaCollect, domain.AccessConfigure, http.MethodPost, "/devices/{id}/endpoints/{way}/try", tag,
		"Ask a device once as it would be asked with these settings",
		func(ctx context.Context, in *draft) (*Body[Trial], error) {
			got, err := a.Kits.Try(ctx, caller(ctx), in.ID, in.Way, typed(in))
			return one(Trial{got.Kit, got.Source, got.Fetched.Error, len(got.Fetched.Rows), lines(got.Exchange)}, err)
		})
}

func lines(in []way.Line) []Line {
	out := []Line{}
	for _, l := range in {
		out = append(out, Line{l.After.Seconds(), l.Sent, l.Text})
	}
	return out
}
