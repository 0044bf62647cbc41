package kit

import (
	"fmt"
	"net/netip"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
)

// Keeper opens the secret that stands under a value of a parameter, to be sent to an address, or says why not.
type Keeper func(value string, to netip.Addr) (secret, problem string)

// notKept is what is wrong with a value of a secret parameter: the secret itself is never among the values.
func notKept(value string) string {
	if _, ok := domain.ReadCredentialRef(value); !ok {
		return "Choose a secret that is stored under Credentials; it is not typed here."
	}
	return ""
}

// secrets are the parameters that are secret.
func (k *Kit) secrets() []field.Field { return field.Secrets(k.Parameters) }

// checkSecrets refuses what would put a secret into a kit file, or have it told.
func (k *Kit) checkSecrets() (problems []error) {
	for _, p := range k.secrets() {
		if p.Default != "" || len(p.Choices) > 0 || p.Low != 0 || p.High != 0 {
			problems = append(problems,
				fmt.Errorf("parameter %q: a secret has no default, no choices and no limits: it is never in the kit", p.Name))
		}
		for _, s := range k.Sources {
			if _, when := s.When[p.Name]; when {
				problems = append(problems, fmt.Errorf("source %q: whether it is used cannot hang on the secret %q", s.Key, p.Name))
			}
		}
	}
	return problems
}

// opened are the secrets that a source needs, by the parameters that stand for them; withheld says why it must not be
// asked.
func (k *Kit) opened(src Source, to netip.Addr, values map[string]string, keeper Keeper) (out map[string]string, withheld string) {
	out = map[string]string{}
	for _, p := range k.secrets() {
		value := values[p.Name]
		if value == "" || !src.uses(p.Name) {
			continue
		}
		if keeper == nil {
			return nil, "nothing was asked: “" + p.Label + "” cannot be opened here"
		}
		secret, problem := keeper(value, to)
		if problem != "" {
			return nil, problem
		}
		out[p.Name] = secret
	}
	return out, ""
}

// shown gives the values of parameters as they may be told, sent as a device is asked with them.
func (k *Kit) shown(values map[string]string) func(field.Field) string {
	return func(p field.Field) string {
		if p.Kind == field.Secret {
			return way.Hidden
		}
		return k.Value(values, p.Name)
	}
}

func (k *Kit) sent(values, opened map[string]string) func(field.Field) string {
	return func(p field.Field) string {
		if p.Kind == field.Secret {
			return opened[p.Name]
		}
		return k.Value(values, p.Name)
	}
}
