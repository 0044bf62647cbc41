package collect

import (
	"context"
	"fmt"
	"net/netip"

	"tirelessowl/internal/core/guard"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// Around is what all devices share of how they are asked.
type Around struct {
	Tree        inherit.Tree
	credentials map[domain.ID]credential
}

// credential is one with its secrets, and where they may be sent.
type credential struct {
	store.Opened
	bound ranges.Set
}

// Around reads what all devices share.
func (s *Service) Around(ctx context.Context, from *store.Areas) (a Around, err error) {
	if a.Tree, err = from.Tree(ctx); err != nil {
		return a, err
	}
	opened, err := from.Credentials.Secrets(ctx)
	a.credentials = boundTo(opened)
	return a, err
}

func boundTo(opened map[domain.ID]store.Opened) map[domain.ID]credential {
	out := make(map[domain.ID]credential, len(opened))
	for id, c := range opened {
		bound, _ := ranges.Read(c.Ranges) // what cannot be read binds it to nothing
		out[id] = credential{c, bound}
	}
	return out
}

// Talks puts together how a device is talked to, by way. A credential that its endpoint
// does not have is that of its place. No credential goes to an address to which it is not
// bound: then the talk says why it is withheld.
func (s *Service) Talks(around Around, d domain.Device, endpoints []domain.Endpoint) map[string]kit.Talk {
	out := map[string]kit.Talk{}
	refuses := refusing(around.Tree, d)
	for _, w := range s.Ways {
		out[w.Name] = kit.Talk{Secret: around.secret, Refuses: refuses}
	}
	for _, e := range endpoints {
		out[e.Way] = kit.Talk{Address: e.Address, Settings: e.Settings, Secret: around.secret, Refuses: refuses}
	}
	for _, x := range s.sent(around.Tree, d, endpoints) {
		talk := out[x.way]
		if c := around.credentials[x.credential]; c.bound.Contains(x.to) {
			talk.Credential = c.Ready()
			talk.Credential.Bound = c.bound
		} else {
			talk.Withheld = fmt.Sprintf("nothing was asked: %s is not bound to %s", x.whose(), x.to)
		}
		out[x.way] = talk
	}
	return out
}

// refusing says what is against connecting to an address for a device; nil where its places set no bounds. It names no place:
// what is told of a service is seen by those who see the device.
func refusing(tree inherit.Tree, d domain.Device) func(netip.Addr) string {
	bounds := guard.BoundsAt(tree, d.PlaceID)
	if len(bounds) == 0 {
		return nil
	}
	return func(a netip.Addr) string {
		if bounds.Refusal(a) != "" {
			return "lies outside of what its place lets be talked to"
		}
		return ""
	}
}

// secret opens what stands under a value of a secret parameter, to be sent to an address to which it is bound.
func (a Around) secret(value string, to netip.Addr) (secret, problem string) {
	id, _ := domain.ReadCredentialRef(value)
	c, there := a.credentials[id]
	switch {
	case !there || c.Kind != way.Secret.Name:
		return "", "nothing was asked: a secret that is needed is not stored any more"
	case !c.bound.Contains(to):
		return "", fmt.Sprintf("nothing was asked: a secret that is needed is not bound to %s", to)
	}
	return c.Secrets[way.Secret.Fields[0].Name].Reveal(), ""
}

// QuestionsOf are what a kit that is fitted to a device asks of it, as it is stored by now.
func (s *Service) QuestionsOf(ctx context.Context, from *store.Areas, d domain.Device, name string) (out []way.Question, err error) {
	k, err := s.CatalogueIn(ctx).Kit(name)
	if err != nil {
		return nil, err
	}
	around, err := s.Around(ctx, from)
	if err != nil {
		return nil, err
	}
	endpoints, err := from.Endpoints.Of(ctx, d.ID)
	if err != nil {
		return nil, err
	}
	fittings, err := from.Fittings.Of(ctx, d.ID)
	if err != nil {
		return nil, err
	}
	talks := s.Talks(around, d, endpoints)
	for _, f := range fittings {
		if f.Kit != name {
			continue
		}
		for _, src := range k.SourcesFor(f.Values()) {
			if q, ok := k.Question(src, d, f.Values(), talks[src.Way]); ok {
				out = append(out, q)
			}
		}
	}
	return out, nil
}

// sent is a credential with which a device is asked by a way, with where it goes and
// where it comes from.
type sent struct {
	way        string
	credential domain.ID
	to         netip.Addr
	from       inherit.Resolved
}

// whose says where a credential comes from. It names no place: who sees the device need not
// see those further up.
func (x sent) whose() string {
	if x.from.Own() {
		return "its own credential"
	}
	return "the credential of its place"
}

// sent are the credentials with which a device is asked.
func (s *Service) sent(tree inherit.Tree, d domain.Device, endpoints []domain.Endpoint) (out []sent) {
	own := map[string]domain.Endpoint{}
	for _, e := range endpoints {
		own[e.Way] = e
	}
	for _, w := range s.Ways {
		if len(w.Credentials) == 0 {
			continue
		}
		e := own[w.Name]
		id, from := tree.Credential(d, w.Name, e.CredentialID)
		if id == 0 {
			continue
		}
		to := d.Address
		if e.Address.IsValid() {
			to = e.Address
		}
		out = append(out, sent{w.Name, id, to, from})
	}
	return out
}

// RebindAll makes sure that a device may be sent the credentials with which it is asked,
// its own and those of its place, and returns the problem in words where it may not.
func (s *Service) RebindAll(ctx context.Context, w *act.Work, d domain.Device, typed domain.Secrets) (problem string, err error) {
	tree, err := w.Tree(ctx)
	if err != nil {
		return "", err
	}
	endpoints, err := w.Endpoints.Of(ctx, d.ID)
	if err != nil {
		return "", err
	}
	for _, x := range s.sent(tree, d, endpoints) {
		if problem, err = s.Rebind(ctx, w, x.credential, x.to, typed); problem != "" || err != nil {
			return problem, err
		}
	}
	return "", nil
}
