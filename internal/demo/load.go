package demo

import (
	"context"
	"fmt"
	"time"

	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/plan"
	"tirelessowl/internal/core/recognise"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/store"
)

// World is what the demo sets up.
type World struct {
	Store  *store.Store
	People *people.Service
	Kits   *collect.Service
	// Where the stand-ins are.
	Community, DeskToken domain.Secret
	DeskURL, MailHost    string
	MailPort, Port       int
	// Watcher asks the devices of the head office; without a name they are asked as all are.
	Watcher Watcher
	// Accounts is the issuer at which people can sign in, too, with our secret there; empty
	// for none.
	Accounts string
	Secret   domain.Secret
	// Served is what devices serve besides their agents, Authority the certificate (PEM) that signs theirs, SignIn who may
	// sign in there.
	Served    []domain.SimulatedService
	Authority string
	SignIn    SignIn
}

// Build makes places, people, channels, the response plan and devices.
func (w *World) Build(ctx context.Context, devices []domain.SimulatedDevice, now time.Time) error {
	if err := w.responses(ctx); err != nil {
		return err
	}
	c, err := w.Store.Credentials.Add(
		ctx,
		domain.Credential{Name: "Kittiwake read", Kind: "snmp-v2c", Ranges: "127.0.0.0/8"},
		domain.Secrets{"community": w.Community},
	)
	if err != nil {
		return err
	}
	watcher, err := w.watcher(ctx, c.ID)
	if err != nil {
		return err
	}
	credential := func(place string) domain.ID {
		if place == headOffice {
			return watcher
		}
		return c.ID
	}
	if err := w.Store.InTx(ctx, func(tx *store.Areas) error { return w.estate(ctx, tx, devices, credential, now) }); err != nil {
		return err
	}
	if err := w.people(ctx); err != nil {
		return err
	}
	if err := w.attributes(ctx); err != nil {
		return err
	}
	return w.accounts(ctx)
}

// headOffice is the place whose devices are asked by SNMP version 3.
const headOffice = "Skerry House"

// Watcher is a user whom agents of version 3 know, with SHA-256 and AES-128.
type Watcher struct {
	Name                       string
	AuthPassword, PrivPassword domain.Secret
}

// watcher is the credential of the watcher; the other one where there is none.
func (w *World) watcher(ctx context.Context, other domain.ID) (domain.ID, error) {
	if w.Watcher.Name == "" {
		return other, nil
	}
	c, err := w.Store.Credentials.Add(
		ctx,
		domain.Credential{
			Name: "Kittiwake watch", Kind: "snmp-v3", Ranges: "127.0.0.0/8",
			Settings: map[string]string{"user": w.Watcher.Name, "auth": "sha256", "privacy": "aes128"},
		},
		domain.Secrets{"auth_password": w.Watcher.AuthPassword, "priv_password": w.Watcher.PrivPassword},
	)
	return c.ID, err
}

func (w *World) responses(ctx context.Context) error {
	mail, err := w.Store.Channels.Save(ctx, domain.Channel{Name: "Mail of Kittiwake Line", Kind: "mail",
		Settings: map[string]string{
			"host":       w.MailHost,
			"port":       fmt.Sprint(w.MailPort),
			"from":       "owl@kittiwake.example",
			"encryption": "none",
		}}, nil)
	if err != nil {
		return err
	}
	desk, err := w.Store.Channels.Save(
		ctx,
		domain.Channel{Name: "Ticket desk", Kind: "desk", Settings: map[string]string{"url": w.DeskURL}},
		domain.Secrets{"token": w.DeskToken},
	)
	if err != nil {
		return err
	}
	_, err = w.Store.Plans.Save(
		ctx,
		plan.Plan{Name: "Shore desk", Enabled: true, Steps: plan.Usual(mail.ID, desk.ID, "shore-desk@kittiwake.example")},
	)
	return err
}

func (w *World) estate(
	ctx context.Context,
	tx *store.Areas,
	devices []domain.SimulatedDevice,
	credential func(place string) domain.ID,
	now time.Time,
) error {
	if err := tx.Settings.Set(ctx, recognise.Setting, Recognition()); err != nil {
		return err
	}
	root, err := tx.Places.Save(ctx, domain.Place{Name: "Kittiwake Line", Kind: domain.Organisation})
	if err != nil {
		return err
	}
	ruleOf, rules, err := fitting(ctx, tx)
	if err != nil {
		return err
	}
	places, made := map[string]domain.Place{}, map[string]domain.Device{}
	for _, d := range devices {
		p, ok := places[d.Place]
		if !ok {
			if p, err = tx.Places.Save(ctx, domain.Place{ParentID: root.ID, Name: d.Place, Kind: domain.Site}); err != nil {
				return err
			}
			places[d.Place] = p
		}
		if !d.Watched {
			continue
		}
		if made[d.Name], err = w.device(ctx, tx, d, p.ID, credential(d.Place), made[d.Via].ID, ruleOf, now); err != nil {
			return err
		}
	}
	return w.serve(ctx, tx, made, rules, now)
}

func (w *World) device(
	ctx context.Context,
	tx *store.Areas,
	d domain.SimulatedDevice,
	place, credential, via domain.ID,
	ruleOf func(kit string) domain.ID,
	now time.Time,
) (domain.Device, error) {
	var others []string
	for _, a := range d.Others {
		others = append(others, a.String())
	}
	key := identity.Responder{EngineID: EngineID(d.Name)}.Key()
	out, err := tx.Devices.Add(ctx, domain.Device{PlaceID: place, Name: d.Name, Address: d.Address, Kind: d.Kind, Vendor: vendorOf(d.Model),
		Model: d.Model, CreatedAt: now}, key, others)
	if err != nil {
		return out, err
	}
	if err := w.talk(ctx, tx, out.ID, credential); err != nil {
		return out, err
	}
	if via != 0 {
		gateway := domain.Override{DeviceID: out.ID, Key: domain.SettingGateway, Value: fmt.Sprint(via)}
		if err := tx.Overrides.Set(ctx, gateway, via); err != nil {
			return out, err
		}
	}
	facts := append([]string{"answers:snmp", "mib:interfaces"}, d.Facts...)
	if len(d.Volumes) > 0 {
		facts = append(facts, "mib:host")
	}
	if _, err := tx.Facts.Learn(ctx, domain.Find{DeviceID: out.ID, Facts: facts, FoundAt: now}); err != nil {
		return out, err
	}
	for _, k := range w.Kits.Kits() {
		if fits, _ := k.Fits(facts); fits && !k.OnRequest {
			f := domain.Fitting{DeviceID: out.ID, Kit: k.Name, By: domain.ByRule, RuleID: ruleOf(k.Name), Since: now}
			if err := tx.Fittings.Fit(ctx, f); err != nil {
				return out, err
			}
		}
	}
	return out, nil
}

// talk sets how a simulated device is asked.
func (w *World) talk(ctx context.Context, tx *store.Areas, device, credential domain.ID) error {
	return tx.Endpoints.Save(
		ctx,
		domain.Endpoint{DeviceID: device, Way: "snmp", CredentialID: credential, Settings: map[string]string{"port": fmt.Sprint(w.Port)}},
	)
}
