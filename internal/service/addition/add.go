package addition

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/bounds"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/credentials"
	"tirelessowl/internal/service/fitting"
)

// Added is a thing that was added.
type Added struct {
	Device domain.Device
	// Known is true where its address was watched already: the kit was fitted there.
	Known bool
}

// Add has a thing watched from now on: with its device, unless that is watched already, with its credential, and with the
// kit that it is of. All of it is stored, or nothing.
func (s *Service) Add(ctx context.Context, who access.Actor, d Draft) (out Added, err error) {
	t, err := s.located(ctx, who, d)
	if err != nil {
		return out, err
	}
	facts, err := s.learnt(ctx, who, d, t)
	if err != nil {
		return out, err
	}
	err = s.Desk.Together(ctx, who, add, func(ctx context.Context, w *act.Work) error {
		var err error
		if out, err = s.put(ctx, w, who, d, t, facts); err != nil {
			return err
		}
		id := out.Device.ID
		w.Then(func(ctx context.Context) error { return s.Added(ctx, id) })
		return nil
	})
	return out, err
}

// put stores a thing.
func (s *Service) put(
	ctx context.Context,
	w *act.Work,
	who access.Actor,
	d Draft,
	t target,
	facts *identity.Answer,
) (out Added, err error) {
	k, asked, err := s.kindOf(ctx, d)
	if err != nil {
		return out, err
	}
	if out, err = s.device(ctx, w, who, d, k, t, facts); err != nil {
		return out, err
	}
	if err := s.talk(ctx, w, who, d, asked, out.Device); err != nil {
		return out, err
	}
	if out.Known {
		facts = nil // what is watched of it is decided already
	}
	known := map[string]string{"kit": "kit", "devices": "address"}
	if p, is := k.Addressed(); is {
		known[p.Name] = "address"
	}
	for _, name := range append([]string{k.Name}, s.proposed(facts, k.Name)...) {
		x := fitting.Saying{Devices: []domain.ID{out.Device.ID}, Kit: name, Word: fitting.Fit}
		if name == k.Name {
			x.Parameters = paged(k, t, d.Parameters)
		}
		if err := s.Fitting.Say(ctx, who, x); err != nil {
			return out, prefixed(err, OfParameter, known)
		}
	}
	return out, bounds.Keep(ctx, w.Areas, who, "address", out.Device)
}

// proposed are the kits that fit what a device shows of itself, as where it is adopted.
func (s *Service) proposed(facts *identity.Answer, but string) (out []string) {
	if facts == nil {
		return nil
	}
	for _, k := range s.Kits.Kits() {
		if fits, _ := k.Fits(facts.Facts); fits && !k.OnRequest && k.Name != but && !strings.HasPrefix(k.Name, own.Prefix) {
			out = append(out, k.Name)
		}
	}
	return out
}

// mostName is the longest name, in bytes.
const mostName = 200

// device is the one at an address: the one that is watched there already, or a new one.
func (s *Service) device(
	ctx context.Context,
	w *act.Work,
	who access.Actor,
	d Draft,
	k *kit.Kit,
	t target,
	facts *identity.Answer,
) (out Added, err error) {
	guard, err := bounds.At(ctx, w.Areas, s.Kits.Guard, who, d.PlaceID)
	if err != nil {
		return out, err
	}
	if refusal := guard.Refusal(t.at); refusal != "" {
		return out, domain.FieldErrors{"address": fmt.Sprintf("%s %s.", t.at, refusal)}
	}
	id, err := w.Devices.At(ctx, t.at)
	if err != nil {
		return out, err
	}
	if id != 0 {
		out.Device, err = w.Device(id)
		if out.Known = err == nil; !out.Known {
			return out, domain.FieldErrors{"address": "This address is watched already, where you may not add to it."}
		}
		return out, s.unfitted(ctx, w, out.Device, k)
	}
	if d.PlaceID == 0 {
		return out, domain.FieldErrors{"place": "Choose a place."}
	}
	if err := w.At(d.PlaceID); err != nil {
		return out, err
	}
	name := cmp.Or(strings.TrimSpace(d.Name), told(facts), t.host)
	if len(name) > mostName {
		return out, domain.FieldErrors{"name": fmt.Sprintf("At most %d characters.", mostName)}
	}
	x := domain.Device{PlaceID: d.PlaceID, Name: name, Address: t.at, Kind: strings.ToLower(k.ByHand.Title), CreatedAt: time.Now().UTC()}
	key, others := identity.Responder{Address: t.at}.Key(), []string(nil)
	if facts != nil {
		x.Kind, x.Description, x.ObjectID = "", facts.Description, facts.ObjectID
		key = facts.Responder.Key()
	}
	if out.Device, err = w.Devices.Add(ctx, x, key, others); errors.Is(err, domain.ErrConflict) {
		return out, domain.FieldErrors{"name": "A device named " + name + ", or this very device at another address, is watched already."}
	}
	if err != nil {
		return out, err
	}
	w.Note(act.Device(out.Device), nil, out.Device)
	if facts != nil {
		_, err = w.Facts.Learn(ctx, domain.Find{DeviceID: out.Device.ID, Facts: facts.Facts, FoundAt: x.CreatedAt})
	}
	return out, err
}

func told(facts *identity.Answer) string {
	if facts == nil {
		return ""
	}
	return facts.Name
}

// unfitted refuses what is watched already.
func (s *Service) unfitted(ctx context.Context, w *act.Work, d domain.Device, k *kit.Kit) error {
	all, err := w.Fittings.Of(ctx, d.ID)
	if slices.ContainsFunc(all, func(f domain.Fitting) bool { return f.Kit == k.Name && !f.Off }) {
		return domain.FieldErrors{"address": fmt.Sprintf("%s is %s, where “%s” is watched already.", d.Address, d.Name, k.Title)}
	}
	return err
}

// talk stores how a device is asked: its settings, and its credential. Where nothing is said, those of its place hold.
func (s *Service) talk(ctx context.Context, w *act.Work, who access.Actor, d Draft, asked way.Way, x domain.Device) error {
	id := d.CredentialID
	if d.Credential != nil && d.Credential.Kind != "" {
		kind, known := asked.Credential(d.Credential.Kind)
		if !known {
			return domain.FieldErrors{"credential": "It is not asked with such a credential."}
		}
		made, err := s.Credentials.Make(ctx, who, credentials.Draft{
			Name:    fmt.Sprintf("%s of %s", kind.Title, x.Name),
			Kind:    kind.Name,
			PlaceID: x.PlaceID,
			Ranges:  x.Address.String(),
			Values:  d.Credential.Values,
		})
		if err != nil {
			return prefixed(err, OfCredential, map[string]string{"name": "name", "kind": "credential"})
		}
		id = made.ID
	}
	if id == 0 && asked.NeedsCredential {
		tree, err := w.Tree(ctx)
		if err != nil {
			return err
		}
		if from, _ := tree.Credential(x, asked.Name, 0); from == 0 {
			return domain.FieldErrors{"credential": "It signs in: choose a credential, or type one."}
		}
	}
	if id == 0 && !typed(d.Settings) {
		return nil
	}
	err := s.Kits.SetEndpoint(ctx, who, x.ID, asked.Name, collect.EndpointDraft{CredentialID: id, Settings: d.Settings})
	return prefixed(err, OfSetting, map[string]string{"credential": "credential", "address": "address", "secret": "credential"})
}

func typed(settings map[string]string) bool {
	for _, value := range settings {
		if strings.TrimSpace(value) != "" {
			return true
		}
	}
	return false
}

// learnt is what a device shows of itself, where it is asked by the way by which sweeps find; nil for others.
func (s *Service) learnt(ctx context.Context, who access.Actor, d Draft, t target) (*identity.Answer, error) {
	questions, err := s.rehearsed(ctx, who, d, t)
	if err != nil || len(questions) == 0 || questions[0].Way != s.Prober.Way() || questions[0].Withheld != "" {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, learnPatience)
	defer cancel()
	port, err := strconv.ParseUint(questions[0].Endpoint["port"], 10, 16)
	if err != nil {
		return nil, domain.FieldErrors{OfSetting + "port": "Must be a port."}
	}
	answer, err := s.Prober.Learn(ctx, netip.AddrPortFrom(questions[0].Address, uint16(port)), questions[0].Credential)
	if err != nil {
		return nil, nil // it does not answer now: it is added all the same, and says so
	}
	answer = answer.Cleaned()
	return &answer, nil
}

// learnPatience bounds learning.
const learnPatience = 15 * time.Second
