package people

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"unicode/utf8"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// Asker asks a provider who a person is.
type Asker interface {
	// Check tells whether the provider answers as the one that it should be.
	Check(ctx context.Context, p domain.Provider) error
	// Begin returns where to send the person, who comes back to an address of ours, and
	// what to keep until then. Again asks that the person signs in anew there.
	Begin(ctx context.Context, p domain.Provider, back string, again bool) (to string, kept []byte, err error)
	// Finish returns who came back with the parameters of that address.
	Finish(ctx context.Context, p domain.Provider, secret domain.Secret, kept []byte, back url.Values) (domain.Identity, error)
}

var (
	seeProvider  = act.Deed{Name: "look at the provider of accounts", Area: domain.AreaRun, Needs: domain.AccessAdminister}
	saveProvider = act.Deed{Name: "change the provider of accounts", Area: domain.AreaRun, Needs: domain.AccessAdminister}
	tryProvider  = act.Deed{Name: "try the provider of accounts", Area: domain.AreaRun, Needs: domain.AccessAdminister}
)

// Provider returns the provider of accounts; an empty one where there is none.
func (s *Service) Provider(ctx context.Context, who access.Actor) (domain.Provider, error) {
	if !who.May(seeProvider.Area, seeProvider.Needs, domain.At(0)) {
		return domain.Provider{}, s.desk.Do(ctx, who, seeProvider, func(w *act.Work) error { return w.Whole() })
	}
	return s.provider(ctx)
}

// usualProvider is one of which nothing is known yet.
var usualProvider = domain.Provider{Title: "Accounts", GroupsClaim: "groups"}

func (s *Service) provider(ctx context.Context) (domain.Provider, error) {
	p, err := s.store.Providers.Get(ctx)
	if errors.Is(err, domain.ErrNotFound) {
		return usualProvider, nil
	}
	return p, err
}

// Elsewhere is what people know the provider by at which they can sign in, too; empty
// where there is none.
func (s *Service) Elsewhere(ctx context.Context) (string, error) {
	p, err := s.provider(ctx)
	if err != nil || !p.Enabled {
		return "", err
	}
	return p.Title, nil
}

// SaveProvider changes the provider of accounts. An empty secret keeps the present one,
// unless the provider is another one then: secrets never follow a changed address. Errors
// are by field: title, issuer, client_id, secret, groups_claim, and group- with the id of
// a team.
func (s *Service) SaveProvider(ctx context.Context, who access.Actor, p domain.Provider, secret domain.Secret) error {
	return s.desk.Do(ctx, who, saveProvider, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		old, err := s.provider(ctx)
		if err != nil {
			return err
		}
		if err := s.tidy(ctx, w, &p, old, secret); err != nil {
			return err
		}
		if secret == "" && old.Stored {
			if secret, err = w.Providers.Secret(ctx); err != nil {
				return err
			}
		}
		if err := w.Providers.Save(ctx, p, secret); err != nil {
			return err
		}
		p.Stored, p.Version = secret != "", p.Version+1
		var before any
		if old.Version > 0 {
			before = old
		}
		w.Note(act.Thing{Kind: "provider", Name: p.Title}, before, p)
		return nil
	})
}

// tidy checks a provider, and leaves out what is empty.
func (s *Service) tidy(ctx context.Context, w *act.Work, p *domain.Provider, old domain.Provider, secret domain.Secret) error {
	p.Title, p.Issuer, p.ClientID = strings.TrimSpace(p.Title), strings.TrimSpace(p.Issuer), strings.TrimSpace(p.ClientID)
	p.GroupsClaim = strings.TrimSpace(p.GroupsClaim)
	errs := domain.FieldErrors{}
	for name, text := range map[string]string{"title": p.Title, "client_id": p.ClientID, "groups_claim": p.GroupsClaim} {
		if text == "" || len(text) > maxName {
			errs[name] = fmt.Sprintf("Must have 1 to %d characters.", maxName)
		}
	}
	at, err := url.Parse(p.Issuer)
	web := err == nil && at.Host != "" && (at.Scheme == "https" || at.Scheme == "http")
	if !web || at.RawQuery != "" || at.Fragment != "" || at.User != nil {
		errs["issuer"] = "Must be an address such as https://accounts.example/."
	}
	if old.Stored && secret == "" && (p.Issuer != old.Issuer || p.ClientID != old.ClientID) {
		errs["secret"] = "Type the secret again: it would be sent to another address, or as another one's."
	}
	teams, err := w.Teams.All(ctx)
	if err != nil {
		return err
	}
	if p.Groups == nil {
		p.Groups = map[domain.ID][]string{}
	}
	for team, groups := range p.Groups {
		if !slices.ContainsFunc(teams, func(t domain.Team) bool { return t.ID == team }) {
			delete(p.Groups, team)
			continue
		}
		if problem := checkGroups(groups); problem != "" {
			errs[fmt.Sprint("group-", team)] = problem
		}
	}
	if p.Enabled && len(p.Groups) == 0 {
		errs["enabled"] = "Nobody could come in: name a group for at least one team."
	}
	return errs.OrNil()
}

func checkGroups(groups []string) string {
	const most = 50
	if len(groups) > most {
		return fmt.Sprintf("At most %d groups.", most)
	}
	for _, g := range groups {
		if g == "" || len(g) > maxName || !utf8.ValidString(g) {
			return fmt.Sprintf("Each group has 1 to %d characters.", maxName)
		}
	}
	return ""
}

// TryProvider asks the provider who it is, and says what came of it.
func (s *Service) TryProvider(ctx context.Context, who access.Actor) (trace why.Trace, err error) {
	trace.Question = "Can people sign in there?"
	var p domain.Provider
	err = s.desk.Do(ctx, who, tryProvider, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		p, err = s.provider(ctx)
		return err
	})
	if err != nil {
		return trace, err
	}
	if p.Issuer == "" {
		trace.Answer = "Nothing is set yet."
		return trace, nil
	}
	trace.Because("Asked at "+p.Issuer+"/.well-known/openid-configuration", "", nil)
	if err := s.asker.Check(ctx, p); err != nil {
		trace.Answer = "It cannot be reached as it should."
		trace.Because("It says", err.Error(), nil)
		return trace, nil
	}
	trace.Answer = "It answers, and says that it is who it should be."
	trace.Because("It will send people back to "+s.back(), "The provider must know this address.", nil)
	if !p.Stored {
		trace.Because("There is no secret", "Most providers want one.", nil)
	}
	if !p.Enabled {
		trace.Because("It is switched off", "Nobody is offered to sign in there.", nil)
	}
	return trace, nil
}

// BackPath is where people come back to from the provider.
const BackPath = "/signin/back"

func (s *Service) back() string { return s.url + BackPath }

// BeginElsewhere begins a sign-in at the provider. It returns where to send the person,
// and what to keep until then.
func (s *Service) BeginElsewhere(ctx context.Context, again bool) (to string, kept []byte, err error) {
	p, err := s.provider(ctx)
	if err != nil {
		return "", nil, err
	}
	if !p.Enabled {
		return "", nil, domain.ErrNotFound
	}
	if to, kept, err = s.asker.Begin(ctx, p, s.back(), again); err != nil {
		s.log("the provider of accounts does not answer", err)
		return "", nil, fmt.Errorf("%w: %s does not answer now. Sign in with a password, or try again later", domain.ErrConflict, p.Title)
	}
	return to, kept, nil
}

// SignInElsewhere signs in who came back from the provider. Groups decide about teams each
// time; who is in none of them is refused with ErrConflict and a reason for the person.
func (s *Service) SignInElsewhere(ctx context.Context, kept []byte, back url.Values, a Arrival) (in Entered, err error) {
	p, err := s.provider(ctx)
	if err != nil {
		return in, err
	}
	if !p.Enabled {
		return in, domain.ErrNotFound
	}
	secret, err := s.store.Providers.Secret(ctx)
	if err != nil {
		return in, err
	}
	id, err := s.asker.Finish(ctx, p, secret, kept, back)
	if err != nil {
		s.log("a sign-in at the provider of accounts failed", err)
		s.noteFailed(ctx, domain.User{}, "", a.From, p.Title+" did not confirm who it is: "+cleaned(err.Error(), 300))
		return in, fmt.Errorf("%w: %s did not confirm who you are. Try again, or sign in with a password", domain.ErrConflict, p.Title)
	}
	u, err := s.welcome(ctx, p, id)
	if err != nil {
		return in, err
	}
	return s.enter(ctx, u, a, passed)
}

// welcome finds or makes the person that a provider names, in the teams of its groups.
func (s *Service) welcome(ctx context.Context, p domain.Provider, id domain.Identity) (u domain.User, err error) {
	who := access.Itself(p.Title)
	who.Because = "its groups there: " + cleaned(strings.Join(id.Groups, ", "), 300)
	err = s.desk.Do(ctx, who, enrol, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		teams := teamsFor(p, id.Groups)
		if len(teams) == 0 {
			return fmt.Errorf("%w: none of your groups at %s may come in here", domain.ErrConflict, p.Title)
		}
		if u, err = s.identified(ctx, w, id); err != nil {
			return err
		}
		return s.follow(ctx, w, who, p, u, teams)
	})
	return u, err
}

func teamsFor(p domain.Provider, groups []string) (out []domain.ID) {
	for team, named := range p.Groups {
		if slices.ContainsFunc(named, func(g string) bool { return slices.Contains(groups, g) }) {
			out = append(out, team)
		}
	}
	slices.Sort(out)
	return out
}

// identified is the person whom a provider knows, who is made where there is none yet. A
// person of ours who happens to have the name is another one.
func (s *Service) identified(ctx context.Context, w *act.Work, id domain.Identity) (domain.User, error) {
	user, err := w.Providers.Person(ctx, id.Issuer, id.Subject)
	if err == nil {
		u, err := w.Users.One(ctx, user)
		if !errors.Is(err, domain.ErrNotFound) { // removed: somebody new then
			return u, err
		}
	} else if !errors.Is(err, domain.ErrNotFound) {
		return domain.User{}, err
	}
	name := account(cmp.Or(cleaned(id.Name, maxName-1), cleaned(id.Subject, maxName-1)))
	u := domain.User{Name: name, Display: cleaned(id.Display, maxName-1), CreatedAt: s.now().UTC()}
	u, err = w.Users.Add(ctx, u)
	if errors.Is(err, domain.ErrConflict) {
		return u, fmt.Errorf("%w: somebody else is called %s here already; ask an administrator", domain.ErrConflict, name)
	}
	if err != nil {
		return u, err
	}
	w.Note(thing(u), nil, u)
	return u, w.Providers.Know(ctx, id.Issuer, id.Subject, u.ID)
}

// follow puts a person into the teams of the groups, and out of the other teams that
// groups decide about. Teams that no group is named for are left to people.
func (s *Service) follow(ctx context.Context, w *act.Work, who access.Actor, p domain.Provider, u domain.User, teams []domain.ID) error {
	all, err := w.Teams.All(ctx)
	if err != nil {
		return err
	}
	var changed bool
	for _, t := range all {
		_, decided := p.Groups[t.ID]
		is, shall := slices.Contains(t.Members, u.ID), slices.Contains(teams, t.ID)
		if !decided || is == shall {
			continue
		}
		old := t
		t.Members = slices.DeleteFunc(slices.Clone(t.Members), func(id domain.ID) bool { return id == u.ID })
		if shall {
			t.Members = append(t.Members, u.ID)
		}
		if err := s.saveTeam(ctx, w, who, old, t); err != nil {
			return err
		}
		changed = true
	}
	if !changed {
		return nil
	}
	w.Then(s.forget)
	return remains(ctx, w)
}
