// Package addition is the use cases of adding one thing by hand: what it is, where it is, how it is asked; tried before, and
// watched from then on.
package addition

import (
	"context"
	"fmt"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/credentials"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/service/fitting"
)

// Wiring is what the service needs.
type Wiring struct {
	Desk        *act.Desk
	Kits        *collect.Service
	Fitting     *fitting.Service
	Credentials *credentials.Service
	// Prober learns what devices show of themselves that are asked by its way.
	Prober find.Prober
	// Resolve tells the addresses that a name stands for.
	Resolve func(ctx context.Context, name string) ([]netip.Addr, error)
	// Added is told each thing that was added, when it is stored.
	Added func(ctx context.Context, device domain.ID) error
	// From tells from which of our addresses another one is asked; nothing is sent for that.
	From func(to netip.Addr) (netip.Addr, error)
}

// Service is the use cases.
type Service struct{ Wiring }

// New returns the service.
func New(w Wiring) *Service { return &Service{w} }

var (
	add    = act.Deed{Name: "add a thing by hand", Area: domain.AreaFind, Needs: domain.AccessConfigure}
	trying = act.Deed{Name: "try a thing before it is added", Area: domain.AreaFind, Needs: domain.AccessConfigure}
)

// Kinds are the kits by which things are added by hand, by what people call them.
func (s *Service) Kinds(ctx context.Context, who access.Actor) (out []*kit.Kit, err error) {
	if err := s.Desk.May(ctx, who, add); err != nil {
		return nil, err
	}
	for _, k := range s.Kits.Kits() {
		if k.ByHand != nil {
			out = append(out, k)
		}
	}
	slices.SortFunc(out, func(a, b *kit.Kit) int { return strings.Compare(a.ByHand.Title, b.ByHand.Title) })
	return out, nil
}

// Draft is a thing as it is typed.
type Draft struct {
	Kit     string    `json:"kit"`
	Address string    `json:"address"`
	Name    string    `json:"name,omitempty"`
	PlaceID domain.ID `json:"place_id"`
	// Parameters are those of the kit, Settings those of how its way talks to the device.
	Parameters map[string]string `json:"parameters,omitempty"`
	Settings   map[string]string `json:"settings,omitempty"`
	// CredentialID is a stored credential; else Credential is a new one, where it has a kind.
	CredentialID domain.ID   `json:"credential_id,omitempty"`
	Credential   *Credential `json:"credential,omitempty"`
}

// Credential is a new one, as it is typed.
type Credential struct {
	Kind   string            `json:"kind"`
	Values map[string]string `json:"values"`
}

// Fields are the names under which problems are told: kit, address, name, place, credential; and with a prefix those of
// parameters, settings and the new credential.
const (
	OfParameter  = "parameter."
	OfSetting    = "setting."
	OfCredential = "credential."
)

// prefixed puts the names of fields under a prefix; what the form knows already stays.
func prefixed(err error, prefix string, known map[string]string) error {
	errs, ok := err.(domain.FieldErrors)
	if !ok {
		return err
	}
	out := domain.FieldErrors{}
	for name, problem := range errs {
		if to, is := known[name]; is {
			out[to] = problem
			continue
		}
		out[prefix+name] = problem
	}
	return out
}

// target is where a thing is.
type target struct {
	at   netip.Addr
	host string // what was typed: a name, or the address
	page string // the address of a page; empty where none was typed
}

// resolvePatience bounds the lookup of a name.
const resolvePatience = 5 * time.Second

// located finds where a thing is, of what was typed: an address, a name, or a page. A name is looked up before anything is
// begun in the database.
func (s *Service) located(ctx context.Context, who access.Actor, d Draft) (t target, err error) {
	if err := s.Desk.May(ctx, who, add); err != nil {
		return t, err
	}
	wrong := func(says string) (target, error) { return t, domain.FieldErrors{"address": says} }
	typed := strings.TrimSpace(d.Address)
	if typed == "" || len(typed) > 2000 {
		return wrong("Type an address such as 192.0.2.1, a name, or a page such as https://portal.kittiwake.example/.")
	}
	t.host = typed
	if strings.Contains(typed, "://") {
		u, err := url.Parse(typed)
		if err != nil || u.Hostname() == "" || u.Scheme != "http" && u.Scheme != "https" {
			return wrong("This is no address of a page, such as https://portal.kittiwake.example/.")
		}
		if u.User != nil {
			return wrong("A user and a password do not stand in the address: choose a credential.")
		}
		t.host, t.page = u.Hostname(), typed
	}
	if t.at, err = netip.ParseAddr(strings.Trim(t.host, "[]")); err == nil {
		if t.at = t.at.Unmap(); t.at.Zone() != "" {
			return wrong("An address with a zone cannot be watched.")
		}
		t.host = t.at.String()
		return t, nil
	}
	ctx, cancel := context.WithTimeout(ctx, resolvePatience)
	defer cancel()
	found, err := s.Resolve(ctx, t.host)
	if err != nil || len(found) == 0 {
		return wrong(fmt.Sprintf("The name “%s” stands for no address, as far as this machine knows.", text.Brief(t.host, 100)))
	}
	t.at = found[0].Unmap()
	return t, nil
}

// paged gives the parameter of a page what was typed as the address: the page itself, or the usual one under a name.
func paged(k *kit.Kit, t target, parameters map[string]string) map[string]string {
	p, is := k.Addressed()
	if !is || parameters[p.Name] != "" {
		return parameters
	}
	out := map[string]string{}
	for name, value := range parameters {
		out[name] = value
	}
	switch {
	case t.page != "":
		out[p.Name] = t.page
	case t.host != t.at.String():
		out[p.Name] = strings.ReplaceAll(p.Default, "{address}", t.host)
	}
	return out
}

// Preparation is what must be done on a device first, for a kit, ready to be copied; empty where nothing must be.
func (s *Service) Preparation(ctx context.Context, who access.Actor, k *kit.Kit, typed string) (string, error) {
	if err := s.Desk.May(ctx, who, add); err != nil {
		return "", err
	}
	collector := "ADDRESS OF THE MACHINE THAT COLLECTS"
	if at, err := netip.ParseAddr(strings.TrimSpace(typed)); err == nil && strings.Contains(k.Prepare, "{collector}") {
		if from, err := s.From(at); err == nil {
			collector = from.String()
		}
	}
	return strings.ReplaceAll(k.Prepare, "{collector}", collector), nil
}

// kindOf is the kit by which a draft adds.
func (s *Service) kindOf(ctx context.Context, d Draft) (*kit.Kit, way.Way, error) {
	k, err := s.Kits.CatalogueIn(ctx).Kit(d.Kit)
	if err != nil || k.ByHand == nil {
		return nil, way.Way{}, domain.FieldErrors{"kit": "Choose what it is."}
	}
	w, _ := k.Way()
	return k, w, nil
}
