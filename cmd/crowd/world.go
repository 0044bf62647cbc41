package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"time"

	"golang.org/x/sync/errgroup"

	"tirelessowl/internal/app"
	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/core/estate"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/demo"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/sim"
	"tirelessowl/internal/store/samples"
)

const password = "crowd-of-owls"

var itself = access.Itself("crowd")

// person is somebody who may sign in.
type person struct {
	name    string
	trusted bool
}

// world is the estate with those who use it.
type world struct {
	app     *app.App
	places  []domain.Place
	devices []domain.ID
	series  []domain.Series
	people  []person
	// whole may do everything by one grant for the whole tree, parted the same by one for
	// each organisation.
	whole, parted person
	keys          []domain.Secret // of programs
	teams         int
	incidents     int64
}

func (w *world) String() string {
	return fmt.Sprintf("%d devices, %d series, %d places, %d people, %d teams, %d incidents",
		len(w.devices), len(w.series), len(w.places), len(w.people)+2, w.teams, w.incidents)
}

// build makes the estate.
func build(ctx context.Context, a *app.App, z size) (*world, error) {
	w := &world{app: a}
	if err := a.Kits.Load(ctx); err != nil {
		return nil, err
	}
	base := netip.MustParseAddr("127.130.0.0")
	large := &demo.Large{
		World:   demo.World{Store: a.Store, People: a.People, Kits: a.Kits, Community: "crowd"},
		Devices: z.devices,
		Groups:  z.groups,
		At:      func(i int) netip.Addr { return sim.Offset(base, i/250, i%250+1) },
	}
	for _, step := range []func() error{
		func() error { return w.watched(ctx, large) },
		func() error { return w.valued(ctx) },
		func() error { return w.troubled(ctx) },
		func() error { return w.peopled(ctx, z) },
		func() error { return w.tokens(ctx, z) },
	} {
		if err := step(); err != nil {
			return nil, err
		}
	}
	_, err := a.Store.Pool().Exec(ctx, "ANALYZE")
	return w, err
}

// watched makes places and devices with their series.
func (w *world) watched(ctx context.Context, large *demo.Large) error {
	grounds, err := large.BuildGrounds(ctx)
	if err != nil {
		return err
	}
	makers, now := errgroup.Group{}, time.Now().UTC()
	makers.SetLimit(4)
	for i := range large.Devices {
		makers.Go(func() error { _, err := large.BuildDevice(ctx, grounds, i, now); return err })
	}
	if err := makers.Wait(); err != nil {
		return err
	}
	if w.places, err = w.app.Store.Places.All(ctx); err != nil {
		return err
	}
	if w.series, err = w.app.Store.Series.Of(ctx, 0); err != nil {
		return err
	}
	devices, err := w.app.Store.Devices.All(ctx)
	for _, d := range devices {
		w.devices = append(w.devices, d.ID)
	}
	return err
}

// valued gives every series some values.
func (w *world) valued(ctx context.Context) error {
	now := time.Now().UTC().Truncate(time.Minute)
	const batch = 5000
	for at := 0; at < len(w.series); at += batch {
		var past []samples.History
		for _, x := range w.series[at:min(at+batch, len(w.series))] {
			h := samples.History{Series: x.ID}
			for back := 5; back > 0; back-- {
				t := now.Add(-time.Duration(back) * x.Interval)
				h.Points = append(h.Points, codec.Point{T: t.UnixMilli(), V: float64(x.ID%97 + int64(back))})
			}
			past = append(past, h)
		}
		if err := w.app.Store.Samples.Import(ctx, past); err != nil {
			return err
		}
	}
	return nil
}

// troubled lets some devices not answer, and some of these be over it.
func (w *world) troubled(ctx context.Context) error {
	rules, err := w.app.Store.Rules.All(ctx)
	if err != nil {
		return err
	}
	var reach rule.Rule
	for _, r := range rules {
		if r.Kit == "reachability" && r.Reading == "loss" {
			reach = r
		}
	}
	if _, err := w.app.Store.Pool().Exec(ctx, "UPDATE all_devices SET health = 'fine'"); err != nil {
		return err
	}
	past, now := w.app.Respond.Past(), time.Now().UTC()
	for i := 0; i < len(w.series); i += 200 {
		x := w.series[i]
		if x.Kit != "reachability" || x.Reading != "loss" {
			x = w.lossOf(x.DeviceID)
		}
		d, err := w.app.Store.Devices.One(ctx, x.DeviceID)
		if err != nil {
			return err
		}
		at := now.Add(-time.Duration(rand.IntN(20*24)) * time.Hour)
		j := estate.Judged{
			Rule:   reach,
			Device: estate.Device{ID: d.ID, Name: d.Name, PlaceID: d.PlaceID},
			Series: estate.Series{
				ID:       x.ID,
				DeviceID: d.ID,
				Kit:      x.Kit,
				Reading:  x.Reading,
				Name:     x.Name,
				Unit:     x.Unit,
				Every:    x.Interval,
			},
			To:         domain.LevelCritical,
			At:         at,
			FirstBadAt: at,
			Value:      100,
			Limit:      99,
		}
		over := j
		over.From, over.To, over.At = domain.LevelCritical, domain.LevelNone, at.Add(20*time.Minute)
		found := estate.Result{Judged: []estate.Judged{j}}
		if i%1000 != 0 {
			found.Judged = append(found.Judged, over)
		} else {
			dead := estate.HealthChange{Device: j.Device, From: domain.Fine, To: domain.Critical, At: at, Reason: "does not answer"}
			found.Health = []estate.HealthChange{dead}
		}
		if err := past.Record(ctx, 0, found); err != nil {
			return err
		}
	}
	_, w.incidents, err = w.app.Store.Incidents.Find(ctx, domain.IncidentFilter{Limit: 1})
	return err
}

func (w *world) lossOf(device domain.ID) domain.Series {
	for _, x := range w.series {
		if x.DeviceID == device && x.Kit == "reachability" && x.Reading == "loss" {
			return x
		}
	}
	return domain.Series{}
}

// peopled makes teams that may something somewhere, and people who are in some of them.
func (w *world) peopled(ctx context.Context, z size) error {
	users := w.app.People
	levels := domain.AllAccess()
	var teams []domain.ID
	for i := range z.teams {
		t := domain.Team{Name: fmt.Sprintf("Watch %02d", i+1)}
		for range 1 + rand.IntN(4) {
			p := w.places[rand.IntN(len(w.places))]
			t.Grants = append(t.Grants, domain.Grant{PlaceID: p.ID, Level: levels[rand.IntN(len(levels))]})
		}
		if i%8 == 0 {
			t.Grants = append(t.Grants, domain.Grant{Level: domain.AccessSee})
		}
		made, err := users.SaveTeam(ctx, itself, t)
		if err != nil {
			return err
		}
		teams = append(teams, made.ID)
	}
	for i := range z.people {
		d := people.Draft{Name: fmt.Sprintf("p%03d", i), Secret: password, Teams: []domain.ID{teams[i%len(teams)], teams[i*7%len(teams)]}}
		if d.Teams[0] == d.Teams[1] {
			d.Teams = d.Teams[:1]
		}
		if _, err := users.Add(ctx, itself, d); err != nil {
			return err
		}
		w.people = append(w.people, person{d.Name, i%2 == 0})
	}
	w.teams = len(teams) + 2
	return w.alike(ctx)
}

// alike makes two people who may the same, by grants that differ.
func (w *world) alike(ctx context.Context) error {
	whole := domain.Team{Name: "All at once", Grants: []domain.Grant{{Level: domain.AccessAdminister}}}
	parted := domain.Team{Name: "One by one"}
	for _, p := range w.places {
		if p.ParentID == 0 {
			parted.Grants = append(parted.Grants, domain.Grant{PlaceID: p.ID, Level: domain.AccessAdminister})
		}
	}
	for name, t := range map[string]domain.Team{"whole": whole, "parted": parted} {
		made, err := w.app.People.SaveTeam(ctx, itself, t)
		if err != nil {
			return err
		}
		d := people.Draft{Name: name, Secret: password, Teams: []domain.ID{made.ID}}
		if _, err := w.app.People.Add(ctx, itself, d); err != nil {
			return err
		}
	}
	w.whole, w.parted = person{"whole", true}, person{"parted", true}
	return nil
}

// tokens makes keys for programs, each for a part of the tree.
func (w *world) tokens(ctx context.Context, z size) error {
	levels := domain.AllAccess()
	for i := range z.programs {
		t := domain.Token{Name: fmt.Sprintf("program %d", i+1), Grant: domain.Grant{Level: levels[i%len(levels)]}}
		if i%2 == 0 {
			t.Grant.PlaceID = w.places[rand.IntN(len(w.places))].ID
		}
		_, key, err := w.app.People.MakeToken(ctx, itself, t)
		if err != nil {
			return err
		}
		w.keys = append(w.keys, key)
	}
	return nil
}
