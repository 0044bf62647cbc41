package collect

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/bounds"
)

// Endpoint is how a device is talked to by a way, with the way's description.
type Endpoint struct {
	domain.Endpoint
	Way way.Way
	// Set is false where nothing is set: the way's defaults hold.
	Set bool
	// Credentials are those of the kinds that the way takes.
	Credentials []domain.Credential
	// Inherited is what the credential is called that holds where none is set here, and
	// From where it is set; both are empty where there is none.
	Inherited, From string
	// Mark is that of what is set.
	Mark string
}

// Endpoints returns how a device is talked to by every way that its fitted
// kits use, or that is set for it.
func (s *Service) Endpoints(ctx context.Context, who access.Actor, deviceID domain.ID) ([]Endpoint, error) {
	seen, err := s.Desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, err
	}
	d, err := seen.Devices.One(ctx, deviceID)
	if err != nil {
		return nil, err
	}
	tree, err := s.store.Tree(ctx)
	if err != nil {
		return nil, err
	}
	tree = tree.SeenBy(func(place domain.ID) bool { return who.May(domain.AreaCollect, domain.AccessSee, domain.At(place)) })
	set, err := seen.Endpoints.Of(ctx, deviceID)
	if err != nil {
		return nil, err
	}
	fittings, err := seen.Fittings.Of(ctx, deviceID)
	if err != nil {
		return nil, err
	}
	credentials, err := seen.Credentials.All(ctx)
	if err != nil {
		return nil, err
	}
	used := s.used(fittings)
	var out []Endpoint
	for _, w := range s.Ways {
		e := Endpoint{
			Endpoint:    domain.Endpoint{DeviceID: deviceID, Way: w.Name, Settings: map[string]string{}},
			Way:         w,
			Credentials: fitting(credentials, w),
		}
		if id, from := tree.Credential(d, w.Name, 0); id != 0 && len(w.Credentials) > 0 {
			e.Inherited, e.From = nameOf(credentials, id), from.Name
		}
		i := slices.IndexFunc(set, func(x domain.Endpoint) bool { return x.Way == w.Name })
		if i >= 0 {
			e.Endpoint, e.Set = set[i], true
		}
		e.Mark = act.Mark(noteOf(e.Endpoint))
		if e.Set || used[w.Name] && (len(w.Endpoint) > 0 || len(w.Credentials) > 0) {
			out = append(out, e)
		}
	}
	return out, nil
}

// nameOf is what a credential is called, if it is one of those that are seen.
func nameOf(seen []domain.Credential, id domain.ID) string {
	for _, c := range seen {
		if c.ID == id {
			return c.Name
		}
	}
	return "one that you do not see"
}

// used are the ways by which fitted kits ask.
func (s *Service) used(fittings []domain.Fitting) map[string]bool {
	out := map[string]bool{}
	for _, f := range fittings {
		if k, err := s.Kit(f.Kit); err == nil {
			for _, src := range k.SourcesFor(f.Values()) {
				out[src.Way] = true
			}
		}
	}
	return out
}

// Uses tells whether fitted kits ask by a way.
func (s *Service) Uses(fittings []domain.Fitting, way string) bool { return s.used(fittings)[way] }

func fitting(credentials []domain.Credential, w way.Way) (out []domain.Credential) {
	for _, c := range credentials {
		if w.Takes(c.Kind) {
			out = append(out, c)
		}
	}
	return out
}

// EndpointDraft is an endpoint as people type it.
type EndpointDraft struct {
	Address      string // empty for the device's own
	CredentialID domain.ID
	Settings     map[string]string
	// Secrets are those of the credential, typed again: needed where the address
	// lies outside of what it is bound to.
	Secrets domain.Secrets
	// Mark is that of the endpoint as it was seen; empty for whatever is there.
	Mark string
}

// check makes an endpoint of what was typed. The errors are by field:
// address, credential, and the way's own. A credential must be one that the actor
// may use, or the one that is set already.
func (s *Service) check(
	ctx context.Context,
	w *act.Work,
	who access.Actor,
	device domain.Device,
	name string,
	d EndpointDraft,
) (domain.Endpoint, error) {
	way, ok := s.Ways.Of(name)
	if !ok {
		return domain.Endpoint{}, fmt.Errorf("way %q: %w", name, domain.ErrNotFound)
	}
	settings, errs := field.Check(way.Endpoint, d.Settings)
	e := domain.Endpoint{DeviceID: device.ID, Way: name, CredentialID: d.CredentialID, Settings: settings}
	if d.Address != "" {
		guard, err := bounds.At(ctx, w.Areas, s.Guard, who, device.PlaceID)
		if err != nil {
			return e, err
		}
		if e.Address, err = netip.ParseAddr(d.Address); err != nil || e.Address.Zone() != "" {
			errs["address"] = "Must be an address such as 192.0.2.1, or empty for the device's own."
		} else if refusal := guard.Refusal(e.Address); refusal != "" {
			errs["address"] = fmt.Sprintf("%s %s.", e.Address, refusal)
		}
	}
	if d.CredentialID != 0 {
		all, err := w.Credentials.All(ctx)
		if err != nil {
			return e, err
		}
		set, err := w.Endpoints.Of(ctx, device.ID)
		if err != nil {
			return e, err
		}
		kept := slices.ContainsFunc(set, func(x domain.Endpoint) bool { return x.Way == name && x.CredentialID == d.CredentialID })
		known := slices.ContainsFunc(fitting(all, way), func(c domain.Credential) bool {
			return c.ID == d.CredentialID && (kept || who.May(domain.AreaCollect, domain.AccessConfigure, domain.At(c.PlaceID)))
		})
		if !known {
			errs["credential"] = "There is no such credential for this way."
		}
	}
	return e, errs.OrNil()
}

var (
	setEndpoint = act.Deed{Name: "set how a device is asked", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	tryEndpoint = act.Deed{Name: "try how a device is asked", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
)

// SetEndpoint changes how a device is talked to by a way; it is in force when it
// returns. It is ErrChanged where the endpoint is no more what was seen.
func (s *Service) SetEndpoint(ctx context.Context, who access.Actor, deviceID domain.ID, name string, d EndpointDraft) error {
	return s.Desk.Do(ctx, who, setEndpoint, func(w *act.Work) error {
		device, e, err := s.drafted(ctx, w, who, deviceID, name, d)
		if err != nil {
			return err
		}
		before, err := w.Endpoints.Of(ctx, deviceID)
		if err != nil {
			return err
		}
		old, now := notedEndpoints{}, noteOf(domain.Endpoint{Settings: map[string]string{}})
		if i := slices.IndexFunc(before, func(x domain.Endpoint) bool { return x.Way == name }); i >= 0 {
			now = noteOf(before[i])
			e.ID, old[name] = before[i].ID, now
		}
		if err := act.Since(now, d.Mark); err != nil {
			return err
		}
		w.Note(act.Device(device), old, notedEndpoints{name: noteOf(e)})
		w.Then(func(ctx context.Context) error { return s.Changed(ctx, deviceID) })
		return w.Endpoints.Save(ctx, e)
	})
}

// drafted is the endpoint of a draft, with the device that it is for.
func (s *Service) drafted(
	ctx context.Context,
	w *act.Work,
	who access.Actor,
	deviceID domain.ID,
	name string,
	d EndpointDraft,
) (domain.Device, domain.Endpoint, error) {
	device, err := w.Device(deviceID)
	if err != nil {
		return device, domain.Endpoint{}, err
	}
	e, err := s.check(ctx, w, who, device, name, d)
	if err != nil {
		return device, e, err
	}
	return device, e, s.allow(ctx, w, device, e, d.Secrets)
}

// allow makes sure that the credential of an endpoint may be sent to where that
// is asked.
func (s *Service) allow(ctx context.Context, w *act.Work, d domain.Device, e domain.Endpoint, typed domain.Secrets) error {
	tree, err := w.Tree(ctx)
	if err != nil {
		return err
	}
	for _, x := range s.sent(tree, d, []domain.Endpoint{e}) {
		if x.way != e.Way {
			continue
		}
		problem, err := s.Rebind(ctx, w, x.credential, x.to, typed)
		if err != nil {
			return err
		}
		if problem != "" {
			return domain.FieldErrors{"secret": problem}
		}
	}
	return nil
}

// Trial is what a device answered to what a kit would ask of it.
type Trial struct {
	Kit, Source string
	Way         string
	Fetched     derive.Fetched
	Exchange    []way.Line
	// Verdict and Says are what the check of a service came to, in words; empty where it was none.
	Verdict, Says string
	// Passes is true for a check that found the service as it should be.
	Passes bool
}

// tryPatience bounds a trial.
const tryPatience = 30 * time.Second

// errNothingToTry is told where no fitted kit asks by a way.
var errNothingToTry = errors.New("no kit that is fitted here asks by this way")

// Try asks a device by a way as it would be asked with an endpoint that is not
// saved yet: the first source of the fitted kits that uses it.
func (s *Service) Try(ctx context.Context, who access.Actor, deviceID domain.ID, name string, d EndpointDraft) (out Trial, err error) {
	var device domain.Device
	var e domain.Endpoint
	err = s.Desk.Do(ctx, who, tryEndpoint, func(w *act.Work) error {
		// What is tried is sent as well, so that its credential must be bound to there.
		device, e, err = s.drafted(ctx, w, who, deviceID, name, d)
		return err
	})
	if err != nil {
		return out, err
	}
	fittings, err := s.store.Fittings.Of(ctx, deviceID)
	if err != nil {
		return out, err
	}
	around, err := s.Around(ctx, &s.store.Areas)
	if err != nil {
		return out, err
	}
	talk := s.Talks(around, device, []domain.Endpoint{e})[name]
	for _, f := range fittings {
		k, err := s.Kit(f.Kit)
		if err != nil {
			continue
		}
		for _, src := range k.SourcesFor(f.Values()) {
			if src.Way == name {
				return s.try(ctx, k, src, device, f, talk), nil
			}
		}
	}
	return out, fmt.Errorf("%w: %w", domain.ErrConflict, errNothingToTry)
}

func (s *Service) try(ctx context.Context, k *kit.Kit, src kit.Source, d domain.Device, f domain.Fitting, talk kit.Talk) Trial {
	q, _ := k.Question(src, d, f.Values(), talk)
	out := s.Ask(ctx, q)
	out.Kit, out.Source = k.Name, src.Key
	return out
}

// Ask asks a question once, and records what goes to and fro.
func (s *Service) Ask(ctx context.Context, q way.Question) Trial {
	ctx, cancel := context.WithTimeout(ctx, tryPatience)
	defer cancel()
	q.Exchange = way.NewExchange(time.Now())
	got := s.Asker.Ask(ctx, q)
	out := Trial{Source: q.Key, Way: q.Way, Fetched: got, Exchange: q.Exchange.Lines}
	if len(q.Columns) > 1 && q.Columns[0].As == verdict.Column && len(got.Rows) == 1 {
		values := got.Rows[0].Values
		v := verdict.Verdict(values[0].Num)
		out.Verdict, out.Says, out.Passes = v.String(), values[1].Text, v == verdict.Passes
	}
	return out
}
