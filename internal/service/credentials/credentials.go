// Package credentials is what devices are asked with: kept sealed, bound to addresses, never
// shown again.
package credentials

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// Service is the use cases.
type Service struct {
	desk *act.Desk
	ways way.List
	// changed lets all devices be asked with what is stored now.
	changed func(context.Context) error
}

// New returns the service.
func New(desk *act.Desk, ways way.List, changed func(context.Context) error) *Service {
	return &Service{desk, ways, changed}
}

var (
	add    = act.Deed{Name: "add a credential", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	change = act.Deed{Name: "change a credential", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	remove = act.Deed{Name: "remove a credential", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
)

func thing(c domain.Credential) act.Thing {
	return act.Thing{Kind: "credential", ID: c.ID, Name: c.Name, PlaceID: c.PlaceID}
}

// Credential is one with its kind and by what it is used, as far as that is seen.
type Credential struct {
	domain.Credential
	About way.Credential
	Used  domain.CredentialUse
}

// Kinds are the kinds that can be made, those of one way after those of another.
func (s *Service) Kinds() (out []way.Credential) {
	for _, w := range s.ways {
		out = append(out, w.Credentials...)
	}
	return append(out, way.Secret)
}

// About describes a kind; one that no way knows has no fields.
func (s *Service) About(kind string) way.Credential {
	if c, ok := s.ways.Credential(kind); ok {
		return c
	}
	return way.Credential{Name: kind, Title: kind}
}

// All returns the credentials that an actor sees, by name.
func (s *Service) All(ctx context.Context, who access.Actor) (out []Credential, err error) {
	seen, err := s.desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, err
	}
	all, err := seen.Credentials.All(ctx)
	if err != nil {
		return nil, err
	}
	uses, err := seen.Credentials.Uses(ctx)
	for _, c := range all {
		out = append(out, Credential{c, s.About(c.Kind), uses[c.ID]})
	}
	return out, err
}

// One returns a credential, or ErrNotFound.
func (s *Service) One(ctx context.Context, who access.Actor, id domain.ID) (Credential, error) {
	all, err := s.All(ctx, who)
	if err != nil {
		return Credential{}, err
	}
	for _, c := range all {
		if c.ID == id {
			return c, nil
		}
	}
	return Credential{}, domain.ErrNotFound
}

// Draft is a credential as people type it.
type Draft struct {
	Name    string
	Kind    string // of one that is made
	PlaceID domain.ID
	Ranges  string
	// Values are those of the fields of its kind. A secret that is left empty stays what it is.
	Values map[string]string
	// Version is that of the credential as it was seen; zero for whatever is there.
	Version int
}

// The longest name, and the longest list of addresses, in bytes.
const (
	maxName   = 200
	maxRanges = 10_000
)

// Make stores a new credential. Errors are by field: name, kind, place, ranges, and those of
// its kind.
func (s *Service) Make(ctx context.Context, who access.Actor, d Draft) (made domain.Credential, err error) {
	err = s.desk.Do(ctx, who, add, func(w *act.Work) error {
		if err := w.At(d.PlaceID); err != nil {
			return err
		}
		c, secrets, errs := s.typed(domain.Credential{Kind: d.Kind}, d)
		if err := errs.OrNil(); err != nil {
			return err
		}
		if made, err = named(w.Credentials.Add(ctx, c, secrets)); err != nil {
			return err
		}
		w.Note(thing(made), nil, made)
		return nil
	})
	return made, err
}

// Change changes a credential. Bound to addresses that it was not bound to, its secrets must
// be typed again: who does not know them shall not send them elsewhere. It is ErrChanged
// where the credential has another version.
func (s *Service) Change(ctx context.Context, who access.Actor, id domain.ID, d Draft) (now domain.Credential, err error) {
	err = s.desk.Do(ctx, who, change, func(w *act.Work) error {
		old, err := s.locked(ctx, w, id, d.Version)
		if err != nil {
			return err
		}
		if d.PlaceID != old.PlaceID {
			if err := w.At(d.PlaceID); err != nil {
				return domain.FieldErrors{"place": "Choose a place."}
			}
		}
		c, secrets, errs := s.typed(old, d)
		if err := errs.OrNil(); err != nil {
			return err
		}
		if now, err = named(w.Credentials.Change(ctx, c, secrets)); err != nil {
			return err
		}
		w.Note(thing(now), old, now)
		w.Then(s.changed)
		return nil
	})
	return now, err
}

// locked is a credential that the actor may change, in the version that was seen.
func (s *Service) locked(ctx context.Context, w *act.Work, id domain.ID, version int) (domain.Credential, error) {
	c, err := w.Credentials.Lock(ctx, id)
	if err != nil {
		return c, w.Missing(err)
	}
	if err := w.At(c.PlaceID); err != nil {
		return domain.Credential{}, err
	}
	if version != 0 && version != c.Version {
		return c, domain.ErrChanged
	}
	return c, nil
}

// named tells of a name that is taken at its field.
func named(c domain.Credential, err error) (domain.Credential, error) {
	if errors.Is(err, domain.ErrConflict) {
		return c, domain.FieldErrors{"name": "There is a credential of this name already."}
	}
	return c, err
}

// typed puts into a credential what was typed, with the secrets that are new.
func (s *Service) typed(c domain.Credential, d Draft) (domain.Credential, domain.Secrets, domain.FieldErrors) {
	kind, known := s.ways.Credential(c.Kind)
	if !known {
		return c, nil, domain.FieldErrors{"kind": "There is no such kind of credential."}
	}
	open, secrets := map[string]string{}, domain.Secrets{}
	for name, value := range d.Values {
		if slices.ContainsFunc(field.Secrets(kind.Fields), func(f field.Field) bool { return f.Name == name }) {
			secrets[name] = domain.Secret(value)
		} else {
			open[name] = value
		}
	}
	clean, errs := field.Check(field.Open(kind.Fields), open)
	c.Name, c.PlaceID, c.Settings = strings.TrimSpace(d.Name), d.PlaceID, clean
	if c.Name == "" || len(c.Name) > maxName {
		errs["name"] = fmt.Sprintf("Give it a name of at most %d characters.", maxName)
	}
	wider := bind(&c, d.Ranges, errs)
	for _, f := range field.Secrets(kind.Fields) {
		if problem := secretProblem(f, c, secrets[f.Name], wider); problem != "" {
			errs[f.Name] = problem
		}
	}
	if kind.Check != nil {
		for name, problem := range kind.Check(clean, present(c, secrets)) {
			errs[name] = problem
		}
	}
	return c, secrets, errs
}

// bind binds a credential to ranges, and tells whether it may be sent to more addresses then.
func bind(c *domain.Credential, typed string, errs domain.FieldErrors) (wider bool) {
	if len(typed) > maxRanges {
		errs["ranges"] = fmt.Sprintf("At most %d characters.", maxRanges)
		return false
	}
	wanted, err := ranges.Read(typed)
	if err != nil {
		errs["ranges"] = text.UpperFirst(err.Error()) + "."
		return false
	}
	before, err := ranges.Read(c.Ranges)
	wider = err != nil || !wanted.Within(before)
	c.Ranges = strings.TrimSpace(typed)
	return wider
}

// secretProblem says what is wrong with a secret as it was typed, or not typed.
func secretProblem(f field.Field, c domain.Credential, typed domain.Secret, wider bool) string {
	stored := slices.Contains(c.Secrets, f.Name)
	switch {
	case typed != "":
		return f.Problem(typed.Reveal())
	case stored && wider:
		return "Type it again: it may be sent to other addresses then."
	case !stored:
		return f.Problem("")
	}
	return ""
}

// present are the names of the secrets that there would be.
func present(c domain.Credential, typed domain.Secrets) map[string]bool {
	out := map[string]bool{}
	for _, name := range c.Secrets {
		out[name] = true
	}
	for name, secret := range typed {
		out[name] = out[name] || secret != ""
	}
	return out
}

// Remove forgets a credential. It is ErrConflict while something uses it, and ErrChanged
// where it has another version, but zero.
func (s *Service) Remove(ctx context.Context, who access.Actor, id domain.ID, version int) error {
	return s.desk.Do(ctx, who, remove, func(w *act.Work) error {
		c, err := s.locked(ctx, w, id, version)
		if err != nil {
			return err
		}
		uses, err := w.Credentials.Uses(ctx)
		if err != nil {
			return err
		}
		if by := UsedBy(uses[id]); by != "" {
			return fmt.Errorf("%w: %s is used by %s", domain.ErrConflict, c.Name, by)
		}
		w.Note(thing(c), c, nil)
		return w.Credentials.Delete(ctx, id)
	})
}

// UsedBy says in words by what a credential is used; empty for nothing.
func UsedBy(u domain.CredentialUse) string {
	var by []string
	for _, x := range []struct {
		n    int
		what string
	}{{u.Devices, "device"}, {u.Places, "setting"}, {u.Sweeps, "sweep"}} {
		if x.n > 0 {
			by = append(by, text.Count(int64(x.n), x.what))
		}
	}
	return text.List(by, "and")
}
