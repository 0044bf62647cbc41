package collect

import (
	"context"
	"encoding/json"
	"maps"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// Undoing is how what was set for collecting from a device is set back, by deed.
func (s *Service) Undoing() map[string]act.Undoing {
	return map[string]act.Undoing{
		setParameters.Name: {Present: s.presentParameters, Put: s.putParameters},
		setEndpoint.Name:   {Present: s.presentEndpoints, Put: s.putEndpoints},
		pickReading.Name:   {Present: s.presentOwn, Put: s.putOwn},
		dropReading.Name:   {Present: s.presentOwn, Put: s.putOwn},
	}
}

// notedParameters are the parameters of the kits on a device, as they are noted.
type notedParameters map[string]map[string]string

// notedEndpoints are the endpoints of a device by way, as they are noted.
type notedEndpoints map[string]notedEndpoint

type notedEndpoint struct {
	Address      string            `json:"address,omitempty"`
	CredentialID domain.ID         `json:"credential_id,omitempty"`
	Settings     map[string]string `json:"settings,omitempty"`
}

func noteOf(e domain.Endpoint) notedEndpoint {
	out := notedEndpoint{CredentialID: e.CredentialID, Settings: e.Settings}
	if e.Address.IsValid() {
		out.Address = e.Address.String()
	}
	return out
}

func (s *Service) presentParameters(ctx context.Context, who access.Actor, id domain.ID) (any, error) {
	fitted, err := s.FittedTo(ctx, who, id)
	out := notedParameters{}
	for _, f := range fitted {
		out[f.Kit.Name] = f.Parameters
	}
	return out, err
}

func (s *Service) putParameters(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
	shall, err := act.Read[notedParameters](document)
	if err != nil {
		return err
	}
	fitted, err := s.FittedTo(ctx, who, id)
	if err != nil {
		return err
	}
	for _, f := range fitted {
		values, ok := shall[f.Kit.Name]
		if !ok || maps.Equal(values, f.Parameters) {
			continue
		}
		if err := s.SetParameters(ctx, who, id, f.Kit.Name, values, f.Mark); err != nil {
			return err
		}
	}
	return nil
}

func (s *Service) presentEndpoints(ctx context.Context, who access.Actor, id domain.ID) (any, error) {
	all, err := s.Endpoints(ctx, who, id)
	out := notedEndpoints{}
	for _, e := range all {
		if e.Set {
			out[e.Way.Name] = noteOf(e.Endpoint)
		}
	}
	return out, err
}

// putEndpoints sets endpoints back. One that was not set before gets the usual settings
// again. Secrets are not noted: where an endpoint leads to an address that its credential is
// not bound to, it is refused.
func (s *Service) putEndpoints(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
	shall, err := act.Read[notedEndpoints](document)
	if err != nil {
		return err
	}
	all, err := s.Endpoints(ctx, who, id)
	if err != nil {
		return err
	}
	for _, e := range all {
		is, was := noteOf(e.Endpoint), shall[e.Way.Name]
		same := is.Address == was.Address && is.CredentialID == was.CredentialID && maps.Equal(is.Settings, was.Settings)
		if same || !e.Set {
			continue
		}
		draft := EndpointDraft{Address: was.Address, CredentialID: was.CredentialID, Settings: was.Settings, Mark: e.Mark}
		if err := s.SetEndpoint(ctx, who, id, e.Way.Name, draft); err != nil {
			return err
		}
	}
	return nil
}
