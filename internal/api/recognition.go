package api

import (
	"context"
	"net/http"
	"strings"

	"tirelessowl/internal/core/recognise"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/recognition"
)

// RecognitionRules are the rules by which devices are recognised.
type RecognitionRules struct {
	Rules       string `json:"rules" doc:"Those that people wrote, as YAML; docs/recognition.md tells how"`
	Shipped     string `json:"shipped" doc:"Those that come behind them"`
	Enterprises int64  `json:"enterprises" doc:"How many makers of the public registry are loaded"`
}

// RecognitionWritten are rules as they are to be.
type RecognitionWritten struct {
	Body struct {
		Rules string `json:"rules" maxLength:"262144"`
	}
}

// RecognitionRehearsal is what rules would make of all that answered sweeps the last time.
type RecognitionRehearsal struct {
	Answers int              `json:"answers" doc:"Addresses that answered"`
	Changes []RecognisedAnew `json:"changes" nullable:"false" doc:"At most 200"`
	More    int              `json:"more" doc:"Changes that are not told one by one"`
}

// RecognisedAnew is an address that would be recognised otherwise.
type RecognisedAnew struct {
	Address string         `json:"address" example:"127.77.1.2"`
	Name    string         `json:"name" example:"np-sw-1"`
	Before  RecognisedKind `json:"before"`
	After   RecognisedKind `json:"after"`
	Why     why.Trace      `json:"why"`
}

// RecognisedKind is what a device is taken for.
type RecognisedKind struct {
	Vendor string `json:"vendor" example:"Brackwater Networks"`
	Model  string `json:"model" example:"BS-48"`
	Kind   string `json:"kind" example:"switch"`
}

// EnterpriseRegistry is the public registry of private enterprise numbers.
type EnterpriseRegistry struct {
	Body struct {
		Text string `json:"text" maxLength:"33554432" doc:"As the registry publishes it; empty takes it away"`
	}
}

// EnterprisesLoaded is how many makers there are then.
type EnterprisesLoaded struct {
	Enterprises int `json:"enterprises"`
}

// EnterprisesPath is where the registry is brought in.
const EnterprisesPath = "/api/v1/enterprises"

// MaxEnterprises is the largest request there, in bytes.
const MaxEnterprises = recognise.MostRegistry + recognise.MostRegistry/4

func (a *api) recognition() {
	const area, see, configure = domain.AreaFind, domain.AccessSee, domain.AccessConfigure
	add(a, operation{http.MethodGet, "/recognition-rules", "Read the rules by which devices are recognised", area, see},
		func(ctx context.Context, _ *struct{}) (*Body[RecognitionRules], error) {
			w, err := a.Recognition.Written(ctx, caller(ctx))
			return one(RecognitionRules{w.Text, w.Shipped, w.Registered}, err)
		})
	add(a, operation{http.MethodPut, "/recognition-rules", "Write the rules by which devices are recognised", area, configure},
		func(ctx context.Context, in *RecognitionWritten) (*none, error) {
			return nil, a.Recognition.Write(ctx, caller(ctx), in.Body.Rules, "")
		})
	add(a, operation{http.MethodPost, "/recognition-rules/rehearsal", "What would be recognised otherwise", area, see},
		func(ctx context.Context, in *RecognitionWritten) (*Body[RecognitionRehearsal], error) {
			r, err := a.Recognition.Rehearse(ctx, caller(ctx), in.Body.Rules)
			return one(RecognitionRehearsal{r.Answers, every(r.Changes, recognisedOf), r.More}, err)
		})
	add(a, operation{http.MethodPut, "/enterprises", "Load the public registry of enterprises", area, configure},
		func(ctx context.Context, in *EnterpriseRegistry) (*Body[EnterprisesLoaded], error) {
			if strings.TrimSpace(in.Body.Text) == "" {
				return one(EnterprisesLoaded{}, a.Recognition.DropRegistry(ctx, caller(ctx)))
			}
			n, err := a.Recognition.LoadRegistry(ctx, caller(ctx), strings.NewReader(in.Body.Text))
			return one(EnterprisesLoaded{n}, err)
		})
}

func recognisedOf(c recognition.Change) RecognisedAnew {
	kind := func(k recognise.Known) RecognisedKind { return RecognisedKind{k.Vendor, k.Model, k.Kind} }
	return RecognisedAnew{c.Address, c.Name, kind(c.Before), kind(c.After), c.Why}
}
