package api

import (
	"context"
	"fmt"
	"net/http"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/addition"
	"tirelessowl/internal/service/collect"
)

// Addition is one thing that is added by hand.
type Addition struct {
	Kit     string `json:"kit" maxLength:"100" example:"web-page" doc:"One with by_hand"`
	Address string `json:"address" maxLength:"2000" example:"https://192.0.2.7:8443/login" doc:"An address, a name, or a page"`
	Name    string `json:"name,omitempty" maxLength:"200" doc:"Empty for what it says of itself, or its address"`
	PlaceID Ref    `json:"place_id"`
	// Parameters and Settings are by their names; what is not there is as usual.
	Parameters   map[string]string   `json:"parameters,omitempty" doc:"Of the kit"`
	Settings     map[string]string   `json:"settings,omitempty" doc:"Of how the way of the kit talks to the device"`
	CredentialID Ref                 `json:"credential_id,omitempty" doc:"A stored one"`
	Credential   *AdditionCredential `json:"credential,omitempty"`
}

// AdditionCredential is a new credential, bound to the address.
type AdditionCredential struct {
	Kind   string            `json:"kind" maxLength:"100" example:"web-sign-in"`
	Values map[string]string `json:"values"`
}

func (x Addition) draft() addition.Draft {
	d := addition.Draft{Kit: x.Kit, Address: x.Address, Name: x.Name, PlaceID: domain.ID(x.PlaceID), Parameters: x.Parameters,
		Settings: x.Settings, CredentialID: domain.ID(x.CredentialID)}
	if x.Credential != nil {
		d.Credential = &addition.Credential{Kind: x.Credential.Kind, Values: x.Credential.Values}
	}
	return d
}

// AdditionMade is a thing that was added.
type AdditionMade struct {
	DeviceID Ref    `json:"device_id"`
	Name     string `json:"name"`
	Known    bool   `json:"known" doc:"The address was watched already: the kit was fitted there"`
}

type additionTyped struct{ Body Addition }

func (a *api) additions() {
	made(a, operation{http.MethodPost, "/devices", "Add one thing by hand, and watch it from now on", domain.AreaFind,
		domain.AccessConfigure},
		func(ctx context.Context, in *additionTyped) (*Made[AdditionMade], error) {
			got, err := a.Addition.Add(ctx, caller(ctx), in.Body.draft())
			if err != nil {
				return nil, err
			}
			d := got.Device
			return &Made[AdditionMade]{fmt.Sprintf("/api/v1/devices/%d", d.ID), quoted(""), AdditionMade{Ref(d.ID), d.Name, got.Known}}, nil
		})
	add(a, operation{http.MethodPost, "/devices/drafts/trial", "Ask a thing once as it would be asked if it were added; nothing is stored",
		domain.AreaFind, domain.AccessConfigure},
		func(ctx context.Context, in *additionTyped) (*Body[[]Trial], error) {
			got, err := a.Addition.Try(ctx, caller(ctx), in.Body.draft())
			return one(every(got, trialOf), err)
		})
}

func trialOf(t collect.Trial) Trial {
	return Trial{t.Kit, t.Source, t.Fetched.Error, len(t.Fetched.Rows), t.Verdict, t.Says, every(t.Exchange, lineOf)}
}
