package collect

import (
	"context"
	"fmt"
	"slices"

	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
)

// Speak is a question to a device by a way, with its endpoint and credential as they are set, of
// which it is not said yet what is asked. The caller has asked whether the actor may.
func (s *Service) Speak(ctx context.Context, d domain.Device, name string) (way.Question, error) {
	w, ok := s.Ways.Of(name)
	if !ok {
		return way.Question{}, fmt.Errorf("way %q: %w", name, domain.ErrNotFound)
	}
	talk, err := s.Talk(ctx, d, name, nil)
	return kit.Open(w, d, talk), err
}

// Talk is how a device is talked to by a way, as it is set, with the secrets that some values of parameters stand for.
// The caller has asked whether the actor may.
func (s *Service) Talk(ctx context.Context, d domain.Device, name string, values map[string]string) (kit.Talk, error) {
	endpoints, err := s.store.Endpoints.Of(ctx, d.ID)
	if err != nil {
		return kit.Talk{}, err
	}
	around, err := s.aroundOne(ctx, d, endpoints, values)
	return s.Talks(around, d, endpoints)[name], err
}

// ValuesOn are the parameters of a kit as they hold for a device, where it is fitted or would be.
func (s *Service) ValuesOn(ctx context.Context, d domain.Device, name string) (map[string]string, error) {
	tree, err := s.store.Tree(ctx)
	if err != nil {
		return nil, err
	}
	fitted, err := s.store.Fittings.Of(ctx, d.ID)
	if err != nil {
		return nil, err
	}
	f := domain.Fitting{Kit: name}
	if i := slices.IndexFunc(fitted, func(f domain.Fitting) bool { return f.Kit == name }); i >= 0 {
		f = fitted[i]
	}
	e, err := fit.Effect(s.Catalogue(), tree, d, f, fitted...)
	if err != nil {
		return nil, nil // a kit that is new has only its defaults
	}
	return e.Values, nil
}

// aroundOne is what all devices share as far as one of them needs it: of the credentials those
// with which it is asked alone are opened.
func (s *Service) aroundOne(ctx context.Context, d domain.Device, endpoints []domain.Endpoint, values map[string]string) (
	a Around, err error) {
	if a.Tree, err = s.store.Tree(ctx); err != nil {
		return a, err
	}
	var ids []domain.ID
	for _, x := range s.sent(a.Tree, d, endpoints) {
		ids = append(ids, x.credential)
	}
	for _, value := range values {
		if id, ok := domain.ReadCredentialRef(value); ok {
			ids = append(ids, id)
		}
	}
	opened, err := s.store.Credentials.SecretsOf(ctx, ids)
	a.credentials = boundTo(opened)
	return a, err
}
