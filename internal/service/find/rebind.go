package find

import (
	"context"
	"crypto/subtle"
	"fmt"
	"strings"

	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
)

// rebind makes sure that stored credentials may be sent to the addresses of a
// sweep: those that are bound elsewhere need their secret typed again, which then
// is no new credential.
func rebind(ctx context.Context, w *act.Work, d Draft) (again bool, err error) {
	if len(d.CredentialIDs) == 0 {
		return false, nil
	}
	all, err := w.Credentials.Secrets(ctx)
	if err != nil {
		return false, err
	}
	wanted, err := ranges.Read(d.Ranges)
	if err != nil {
		return false, err
	}
	for _, id := range d.CredentialIDs {
		c := all[id]
		if bound, err := ranges.Read(c.Ranges); err == nil && wanted.Within(bound) {
			continue
		}
		if len(c.Secrets) > 1 {
			return false, domain.FieldErrors{
				"credentials": fmt.Sprintf("“%s” is bound to other addresses: open it under Credentials and bind it to these.", c.Name),
			}
		}
		if !knows(c, d.Community) {
			return false, domain.FieldErrors{
				"credentials": fmt.Sprintf(
					"“%s” is bound to other addresses: type its community again below to try these with it.",
					c.Name,
				),
			}
		}
		again = true
		if err := collect.SetRanges(ctx, w, c.Credential, strings.TrimSpace(c.Ranges+"\n"+strings.TrimSpace(d.Ranges))); err != nil {
			return false, err
		}
	}
	return again, nil
}

// knows tells whether what was typed is the only secret of a credential.
func knows(c store.Opened, typed domain.Secret) bool {
	if len(c.Secrets) != 1 || typed == "" {
		return false
	}
	for _, secret := range c.Secrets {
		return subtle.ConstantTimeCompare([]byte(secret.Reveal()), []byte(typed.Reveal())) == 1
	}
	return false
}
