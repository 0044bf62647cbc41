package collect

import (
	"context"
	"slices"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// UsableSecrets are the stored secrets that an actor may have sent, by name.
func (s *Service) UsableSecrets(ctx context.Context, from *store.Areas, who access.Actor) (out []domain.Credential, err error) {
	all, err := from.Credentials.All(ctx)
	for _, c := range all {
		if c.Kind == way.Secret.Name && who.May(domain.AreaCollect, domain.AccessConfigure, domain.At(c.PlaceID)) {
			out = append(out, c)
		}
	}
	return out, err
}

// AllowSecrets tells by field where values of parameters stand for secrets that an actor may not use; what was there
// before stays allowed. Those that are used anew are locked, so that nobody removes them meanwhile.
func (s *Service) AllowSecrets(
	ctx context.Context,
	from *store.Areas,
	who access.Actor,
	k *kit.Kit,
	was, now map[string]string,
) (domain.FieldErrors, error) {
	errs := domain.FieldErrors{}
	for _, p := range field.Secrets(k.Parameters) {
		value := now[p.Name]
		if value == "" || value == was[p.Name] {
			continue
		}
		problem, err := s.allowSecret(ctx, from, who, value)
		if err != nil {
			return nil, err
		}
		if problem != "" {
			errs[p.Name] = problem
		}
	}
	return errs, nil
}

func (s *Service) allowSecret(ctx context.Context, from *store.Areas, who access.Actor, value string) (problem string, err error) {
	usable, err := s.UsableSecrets(ctx, from, who)
	if err != nil {
		return "", err
	}
	id, _ := domain.ReadCredentialRef(value)
	if !slices.ContainsFunc(usable, func(c domain.Credential) bool { return c.ID == id }) {
		return "There is no such secret.", nil
	}
	_, err = from.Credentials.Lock(ctx, id)
	return "", err
}

// Fillable are parameters of kits as forms show them: a secret is chosen among those that the actor may use; the one
// that is set may be kept.
func (s *Service) Fillable(ctx context.Context, who access.Actor, parameters []field.Field, set map[string]string) ([]field.Field, error) {
	out := slices.Clone(parameters)
	var usable []domain.Credential
	for i, p := range out {
		if p.Kind != field.Secret {
			continue
		}
		if usable == nil {
			var err error
			if usable, err = s.UsableSecrets(ctx, s.Desk.Whole(ctx), who); err != nil {
				return nil, err
			}
		}
		out[i] = chosenSecret(p, usable, set[p.Name])
	}
	return out, nil
}

func chosenSecret(p field.Field, usable []domain.Credential, set string) field.Field {
	p.Kind, p.Choices, p.Labels = field.Choice, []string{""}, map[string]string{"": "none here"}
	for _, c := range usable {
		ref := domain.CredentialRef(c.ID)
		p.Choices, p.Labels[ref] = append(p.Choices, ref), c.Name
	}
	if set != "" && !slices.Contains(p.Choices, set) {
		p.Choices, p.Labels[set] = append(p.Choices, set), "one that you may not use"
	}
	if len(usable) == 0 {
		p.Help = strings.TrimPrefix(p.Help+"; none is stored yet: see Credentials, “"+way.Secret.Title+"”", "; ")
	}
	return p
}
