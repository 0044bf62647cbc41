package browse

import (
	"context"
	"fmt"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/domain"
)

// Alone is a kit file that reads one described object alone, as it is best collected, with the key of the reading; no
// device is asked. It is ErrNotFound where nobody has described such an object.
func (s *Service) Alone(ctx context.Context, who access.Actor, at mib.OID) (document, key string, err error) {
	if _, err := s.desk.See(ctx, who, domain.AreaCollect); err != nil {
		return "", "", err
	}
	o, rest, _ := s.objects().Over(at)
	if !o.Valued() || o.Hidden || len(rest) > 0 {
		return "", "", fmt.Errorf("an object at %s: %w", at, domain.ErrNotFound)
	}
	if o.Kind == mib.Scalar {
		rest = mib.OID{0}
	}
	set, errs := own.Set{}.With(own.Propose(s.objects(), o, rest, mib.Value{}))
	if len(errs) > 0 {
		return "", "", errs
	}
	text, err := set.Document(0, 1)
	return string(text), set.Readings[0].Key, err
}
