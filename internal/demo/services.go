package demo

import (
	"context"
	"fmt"
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// SignIn is who may sign in at the services of simulated devices.
type SignIn struct {
	User     string
	Password domain.Secret
}

// served is what is watched of the services of a device, besides what its agent tells.
type served struct {
	device string
	kit    string
	rule   string // the fitting rule that fits it; empty where a person did
	values map[string]string
}

// services are those of the demo world. The kits of databases are fitted by what people say of devices.
func (w *World) services(authority string) []served {
	page := fmt.Sprintf("http://{address}:%d/", w.port("booking page"))
	return []served{
		{"np-kiosk-1", "web-sign-in", "", map[string]string{
			"url":     fmt.Sprintf("http://{address}:%d/", w.port("portal")),
			"success": "Welcome aboard",
			"failure": "User or password is wrong",
		}},
		{"booking-web-1", "web-page", "", map[string]string{"url": page, "contains": "Book your crossing"}},
		{"booking-web-1", "tls-certificate", "", map[string]string{
			"port": fmt.Sprint(w.port("booking site")), "name": bookingName, "authorities": authority,
		}},
		{"directory-1", "directory", "", map[string]string{
			"port": fmt.Sprint(w.port("directory")), "base": "ou=people,dc=kittiwake,dc=example", "filter": "(uid=*)", "entries": "3-",
		}},
		{"directory-1", "dns-answer", "", map[string]string{"name": "booking-web-1.kittiwake.example"}},
		{"booking-db-1", "postgresql", ruleDatabases, nil},
		{"booking-db-1", "postgresql-active", ruleActive, nil},
		{"booking-db-1", "postgresql-backup", "", map[string]string{"finished": "(SELECT max(ended) FROM backups WHERE good)"}},
		{"booking-db-2", "postgresql", ruleDatabases, nil},
		{"booking-db-2", "postgresql-standby", ruleStandby, nil},
	}
}

// bookingName is the name of the booking site.
const bookingName = "book.kittiwake.example"

// port is where a service of the estate listens; 0 where it has none of the name.
func (w *World) port(name string) int {
	for _, s := range w.Served {
		if s.Name == name {
			return s.Port
		}
	}
	return 0
}

// serve has the services of devices watched, where the estate has them.
func (w *World) serve(
	ctx context.Context,
	tx *store.Areas,
	devices map[string]domain.Device,
	rules map[string]domain.ID,
	now time.Time,
) error {
	offered := map[string]bool{}
	for _, s := range w.Served {
		offered[s.Device] = true
	}
	for _, s := range w.services(w.Authority) {
		d, there := devices[s.device]
		if !there || !offered[s.device] {
			continue
		}
		f := domain.Fitting{DeviceID: d.ID, Kit: s.kit, Parameters: s.values, By: domain.ByHand, Who: "ines", Since: now}
		if s.rule != "" {
			f.By, f.Who, f.RuleID = domain.ByRule, "", rules[s.rule]
		}
		if err := tx.Fittings.Fit(ctx, f); err != nil {
			return err
		}
	}
	if d, there := devices["directory-1"]; there {
		names := domain.Endpoint{DeviceID: d.ID, Way: "dns", Settings: map[string]string{"port": fmt.Sprint(w.port("names"))}}
		if err := tx.Endpoints.Save(ctx, names); err != nil {
			return err
		}
	}
	return w.signIns(ctx, tx, devices)
}

// signIns are the credentials with which services are asked.
func (w *World) signIns(ctx context.Context, tx *store.Areas, devices map[string]domain.Device) error {
	for _, x := range []struct {
		name, kind string
		settings   map[string]string
		way        string
		devices    []string
	}{
		{"Ticket desk of the kiosks", "web-sign-in", map[string]string{"user": w.SignIn.User}, "sign-in", []string{"np-kiosk-1"}},
		{"Directory, lookout", "ldap-bind", map[string]string{"bind_name": "cn=" + w.SignIn.User + ",ou=services,dc=kittiwake,dc=example"},
			"ldap", []string{"directory-1"}},
		{"Booking database, lookout", "postgresql-account", map[string]string{"user": w.SignIn.User},
			"postgresql", []string{"booking-db-1", "booking-db-2"}},
	} {
		c, err := tx.Credentials.Add(ctx, domain.Credential{Name: x.name, Kind: x.kind, Settings: x.settings, Ranges: "127.0.0.0/8"},
			domain.Secrets{"password": w.SignIn.Password})
		if err != nil {
			return err
		}
		for _, name := range x.devices {
			d, there := devices[name]
			if !there {
				continue
			}
			e := domain.Endpoint{DeviceID: d.ID, Way: x.way, CredentialID: c.ID, Settings: endpointOf(x.way)}
			if err := tx.Endpoints.Save(ctx, e); err != nil {
				return err
			}
		}
	}
	return nil
}

func endpointOf(way string) map[string]string {
	if way == "postgresql" {
		return map[string]string{"database": "postgres"}
	}
	return nil
}
