package settings

import (
	"context"
	"fmt"
	"strconv"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// credential is with what devices are asked by a way, where their endpoints do not say it.
func (s *Service) credential(w way.Way) kind {
	key := domain.SettingCredential(w.Name)
	return kind{
		key:     key,
		title:   "Credential for " + w.Title,
		help:    "With it devices are asked that have none of their own. It goes only to the addresses that it is bound to.",
		reloads: true,
		read: func(ctx context.Context, from *store.Areas, who access.Actor, x site, typed string) (string, domain.ID, error) {
			usable, err := s.usable(ctx, from, who, w)
			if err != nil {
				return "", 0, err
			}
			if !who.May(domain.AreaCollect, domain.AccessConfigure, x.Spot()) {
				return "", 0, domain.FieldErrors{"value": "That needs the right to configure collecting here."}
			}
			for _, c := range usable {
				if strconv.FormatInt(c.ID, 10) == typed {
					return typed, 0, nil
				}
			}
			return "", 0, domain.FieldErrors{"value": "There is no such credential for this way."}
		},
		shown: func(ctx context.Context, who access.Actor, value string) (string, error) {
			return s.credentialNamed(ctx, who, value)
		},
		choices: func(ctx context.Context, who access.Actor) (out []Choice, err error) {
			usable, err := s.usable(ctx, s.desk.Whole(ctx), who, w)
			for _, c := range usable {
				out = append(out, Choice{strconv.FormatInt(c.ID, 10), c.Name})
			}
			return out, err
		},
		holds: func(ctx context.Context, work *act.Work, a affected, typed domain.Secrets) error {
			return s.rebind(ctx, work, a, w, typed)
		},
		effect: func(ctx context.Context, a affected, trace *why.Trace) error {
			return s.credentialEffect(ctx, a, w, trace)
		},
	}
}

// usable are the credentials that a way takes and an actor may use.
func (s *Service) usable(ctx context.Context, from *store.Areas, who access.Actor, w way.Way) (out []domain.Credential, err error) {
	all, err := from.Credentials.All(ctx)
	for _, c := range all {
		if w.Takes(c.Kind) && who.May(domain.AreaCollect, domain.AccessConfigure, domain.At(c.PlaceID)) {
			out = append(out, c)
		}
	}
	return out, err
}

// credentialNamed is the name of the credential whose id is a value.
func (s *Service) credentialNamed(ctx context.Context, who access.Actor, value string) (string, error) {
	if value == "" {
		return "", nil
	}
	all, err := s.store.Credentials.All(ctx)
	for _, c := range all {
		if strconv.FormatInt(c.ID, 10) == value && who.May(domain.AreaCollect, domain.AccessSee, domain.At(c.PlaceID)) {
			return c.Name, nil
		}
	}
	return "a credential that you do not see", err
}

// asked are the devices that would be asked with a credential that is set, with where.
func (s *Service) asked(ctx context.Context, a affected, w way.Way) (out []domain.Device, err error) {
	endpoints, err := a.from.Endpoints.Of(ctx, 0)
	if err != nil {
		return nil, err
	}
	fittings, err := a.from.Fittings.Of(ctx, 0)
	if err != nil {
		return nil, err
	}
	own := map[domain.ID]domain.Endpoint{}
	for _, e := range endpoints {
		if e.Way == w.Name {
			own[e.DeviceID] = e
		}
	}
	of := map[domain.ID][]domain.Fitting{}
	for _, f := range fittings {
		of[f.DeviceID] = append(of[f.DeviceID], f)
	}
	for _, d := range a.devices {
		e := own[d.ID]
		if e.CredentialID != 0 || !s.kits.Uses(of[d.ID], w.Name) {
			continue
		}
		if e.Address.IsValid() {
			d.Address = e.Address
		}
		out = append(out, d)
	}
	return out, nil
}

// rebind makes sure that a credential may be sent to all devices for which it would hold.
func (s *Service) rebind(ctx context.Context, work *act.Work, a affected, w way.Way, typed domain.Secrets) error {
	devices, err := s.asked(ctx, a, w)
	if err != nil {
		return err
	}
	id, _ := strconv.ParseInt(a.override.Value, 10, 64)
	for _, d := range devices {
		problem, err := s.kits.Rebind(ctx, work, id, d.Address, typed)
		if err != nil {
			return err
		}
		if problem != "" {
			return domain.FieldErrors{"secret": problem}
		}
	}
	return nil
}

// credentialEffect tells who would be asked with it, and where it is not bound to yet.
func (s *Service) credentialEffect(ctx context.Context, a affected, w way.Way, trace *why.Trace) error {
	devices, err := s.asked(ctx, a, w)
	if err != nil {
		return err
	}
	trace.Answer = text.Count(int64(len(devices)), "device") + " would be asked with it"
	if own := len(a.devices) - len(devices); own > 0 {
		trace.Because(text.Count(int64(own), "device")+" of here have a credential of their own, or are not asked by "+w.Title, "", nil)
	}
	if a.override.Value == "" {
		trace.Answer = text.Count(int64(len(devices)), "device") + " would be asked with none"
		return nil
	}
	all, err := a.from.Credentials.All(ctx)
	if err != nil {
		return err
	}
	var outside []string
	for _, c := range all {
		if strconv.FormatInt(c.ID, 10) != a.override.Value {
			continue
		}
		bound := setOf(c.Ranges)
		for _, d := range devices {
			if !bound.Contains(d.Address) {
				outside = append(outside, fmt.Sprintf("%s %s", d.Name, d.Address))
			}
		}
	}
	if len(outside) > 0 {
		trace.Because("It is not bound to the addresses of "+text.Count(int64(len(outside)), "device")+
			": its secret must be typed again", a.names(outside), nil)
	}
	return nil
}
