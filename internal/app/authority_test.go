package app

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/netip"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/derive"
	judging "tirelessowl/internal/core/estate"
	"tirelessowl/internal/core/exchange"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/addition"
	"tirelessowl/internal/service/attributes"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/credentials"
	"tirelessowl/internal/service/devices"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/service/fitting"
	loaded "tirelessowl/internal/service/modules"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/service/run"
	"tirelessowl/internal/service/settings"
	"tirelessowl/internal/service/transfer"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

// secretive is in every name of the organisation that others must not hear of.
const secretive = "cormorant"

// held is an organisation with one of everything.
type held struct {
	place, device, removed, series, incident, alert, event, delivery, transition domain.ID
	sweep, find, user, team, token, entry, signIn, browser, passkey              domain.ID
	credential, rule, changes, thrown                                            domain.ID
}

// hold makes an organisation with one of everything, whose names have a word in them.
func hold(t *testing.T, r running, word string, address string) (h held) {
	t.Helper()
	ctx := t.Context()
	place, err := r.Places.Save(ctx, testkit.Anyone, domain.Place{Name: word + " line", Kind: domain.Organisation})
	require.NoError(t, err)
	h.place = place.ID
	d, err := r.Store.Devices.Add(
		ctx,
		domain.Device{
			PlaceID: place.ID, Name: word + "-sw-1", Kind: "switch", Address: netip.MustParseAddr(address),
			CreatedAt: time.Now(),
		},
		"",
		nil,
	)
	require.NoError(t, err)
	h.device = d.ID
	named := []attributes.Change{{Name: word + " role", Value: word + " standby"}, {Name: word, Tag: true}}
	require.NoError(t, r.Attributes.Set(ctx, testkit.Anyone, inherit.Device(d.ID), named))
	gone, err := r.Store.Devices.Add(
		ctx,
		domain.Device{PlaceID: place.ID, Name: word + "-old", Address: netip.MustParseAddr(address), CreatedAt: time.Now()},
		"",
		nil,
	)
	require.NoError(t, err)
	require.NoError(t, r.Devices.Remove(ctx, testkit.Anyone, gone.ID, 0))
	h.removed = gone.ID
	require.NoError(t, r.Store.Fittings.Fit(ctx, domain.Fitting{DeviceID: d.ID, Kit: "interfaces"}))
	picked, errs := own.Set{}.With(pickable(word + " up")) // stored behind the engine's back: nothing collects it
	require.Empty(t, errs)
	_, err = r.Store.OwnKits.Put(ctx, store.OwnKit{DeviceID: d.ID, Picked: picked, Version: 1})
	require.NoError(t, err)
	// Nothing listens there, which is told at once.
	deaf := map[string]string{"port": "1", "timeout": "100ms", "retries": "0"}
	require.NoError(t, r.Store.Endpoints.Save(ctx, domain.Endpoint{DeviceID: d.ID, Way: "snmp", Address: netip.MustParseAddr("127.0.0.1"),
		Settings: deaf}))
	c := domain.Credential{PlaceID: place.ID, Name: word + " readers", Kind: "snmp-v2c", Ranges: address}
	c, err = r.Store.Credentials.Add(ctx, c, domain.Secrets{"community": domain.Secret(word)})
	require.NoError(t, err)
	h.credential = c.ID
	_, err = r.Calendars.Save(ctx, testkit.Anyone, domain.Calendar{Name: fmt.Sprint("calendar ", place.ID), Hours: "daily 07:00-19:00"})
	require.NoError(t, err)
	never := domain.FittingRule{Name: fmt.Sprint("rule ", place.ID), When: "false", Fits: []string{"ups"}}
	_, err = r.Fitting.Save(ctx, testkit.Anyone, never)
	require.NoError(t, err)
	alone := aRule(ctx, r)
	alone.Key, alone.Name, alone.DeviceID = "", word+" alone", d.ID
	made, err := r.Judge.Make(ctx, testkit.Anyone, alone)
	require.NoError(t, err)
	h.rule = made.ID
	parts, err := r.Store.Parts.Add(ctx, []domain.Part{
		{DeviceID: d.ID, Kit: "interfaces", Kind: "interface", Key: "p", Name: word + " port"},
	})
	require.NoError(t, err)
	series, err := r.Store.Series.Add(ctx, []domain.Series{
		{
			DeviceID: d.ID, PartID: parts[0].ID, Kit: "interfaces", Reading: "in_errors", Name: "Errors in",
			Unit: "1/s", Interval: time.Minute,
		},
		{
			DeviceID: d.ID,
			PartID:   parts[0].ID,
			Kit:      "interfaces",
			Reading:  "status",
			Name:     "Status",
			Kind:     domain.KindState,
			Interval: time.Minute,
		},
	})
	require.NoError(t, err)
	h.series = series[0].ID
	require.NoError(
		t,
		r.Store.Samples.Append(
			ctx,
			[]domain.SeriesSample{{SeriesID: h.series, Sample: domain.Sample{At: time.Now().Add(-time.Minute), Value: 3}}},
		),
	)
	h.trouble(t, r, d, series[0], word)
	h.people(t, r, word, place.ID)
	return h
}

// trouble makes an incident with a failed delivery.
func (h *held) trouble(t *testing.T, r running, d domain.Device, x domain.Series, word string) {
	t.Helper()
	ctx := t.Context()
	rules, err := r.Store.Rules.All(ctx)
	require.NoError(t, err)
	i := slices.IndexFunc(rules, func(x rule.Rule) bool { return x.Reading == "in_errors" })
	require.GreaterOrEqual(t, i, 0)
	subject := judging.Series{
		ID: x.ID, DeviceID: d.ID, Part: word + " port", Name: x.Name, Kit: x.Kit, Reading: x.Reading, Every: x.Interval,
	}
	at := time.Now().UTC()
	of := judging.Device{ID: d.ID, Name: d.Name, PlaceID: d.PlaceID}
	require.NoError(t, r.Respond.Record(ctx, 0, judging.Result{
		Judged: []judging.Judged{
			{Rule: rules[i], Series: subject, Device: of, To: domain.LevelWarning, At: at, FirstBadAt: at, Value: 9, Limit: 5},
		},
		Health: []judging.HealthChange{
			{Device: of, From: domain.Unknown, To: domain.Warning, At: at, Reason: word + " port receives broken packets"},
		},
	}))
	in, _, err := r.Store.Incidents.Find(ctx, domain.IncidentFilter{DeviceID: d.ID, Limit: 1})
	require.NoError(t, err)
	h.incident = in[0].ID
	alerts, err := r.Store.Alerts.Of(ctx, h.incident)
	require.NoError(t, err)
	events, err := r.Store.Events.Of(ctx, h.incident)
	require.NoError(t, err)
	h.alert, h.event = alerts[0].ID, events[0].ID
	delivery, err := r.Store.Deliveries.Add(
		ctx,
		domain.Delivery{
			IncidentID: h.incident,
			Kind:       domain.DeliverMessage,
			Recipient:  word + "@kittiwake.example",
			Subject:    word,
			CreatedAt:  at,
		},
	)
	require.NoError(t, err)
	h.delivery = delivery.ID
	delivery.State, delivery.DoneAt = domain.DeliveryFailed, at
	require.NoError(t, r.Store.Deliveries.Finish(ctx, delivery))
	changes, err := r.Store.Transitions.Find(ctx, domain.TransitionFilter{DeviceID: d.ID, Limit: 1})
	require.NoError(t, err)
	h.transition = changes[0].ID
}

// people makes a sweep with a find, a person, a team and a token.
func (h *held) people(t *testing.T, r running, word string, place domain.ID) {
	t.Helper()
	ctx := t.Context()
	w, err := r.Find.Create(
		ctx,
		testkit.Anyone,
		find.Draft{
			PlaceID:   place,
			Name:      word + " sweep",
			Ranges:    "127.119.0.0/30",
			Port:      1,
			Community: domain.Secret(word),
			NewName:   word + " read",
		},
	)
	require.NoError(t, err)
	h.sweep = w.ID
	require.NoError(
		t,
		r.Store.Finds.Save(
			ctx,
			[]domain.Find{
				{
					SweepID:  w.ID,
					Identity: "engine:" + word,
					Address:  "127.119.0.1",
					Name:     word + "-new",
					Way:      "snmp",
					Verdict:  domain.FindNew,
					FoundAt:  time.Now(),
				},
			},
		),
	)
	finds, err := r.Store.Finds.Of(ctx, w.ID)
	require.NoError(t, err)
	h.find = finds[0].ID
	team, err := r.People.SaveTeam(
		ctx,
		testkit.Anyone,
		domain.Team{Name: word + " team", PlaceID: place, Grants: []domain.Grant{{PlaceID: place, Level: domain.AccessAdminister}}},
	)
	require.NoError(t, err)
	u, err := r.People.Add(ctx, testkit.Anyone, people.Draft{
		Name: word, PlaceID: place, Teams: []domain.ID{team.ID}, Secret: "night-watch",
	})
	require.NoError(t, err)
	h.user, h.team = u.ID, team.ID
	who, err := r.People.Actor(ctx, u.ID, "")
	require.NoError(t, err)
	token, _, err := r.People.MakeToken(ctx, who, domain.Token{Name: word + " token", Grant: domain.Grant{Level: domain.AccessSee}})
	require.NoError(t, err)
	h.token = token.ID
	h.changes, h.thrown = gathered(t, r, who, place, word), gathered(t, r, who, place, word)
	in, _, err := r.People.SignIn(ctx, word, "night-watch", people.Arrival{Trust: true, Agent: word + " browser"})
	require.NoError(t, err)
	key := domain.Passkey{UserID: u.ID, Name: word + " key", KeyID: []byte(word), Credential: []byte("{}")}
	key, err = r.Store.Factors.AddPasskey(ctx, key)
	require.NoError(t, err)
	h.passkey = key.ID
	h.signIn, h.browser = in.SignIn.ID, in.SignIn.BrowserID
	noted, err := r.Store.Audit.Find(ctx, domain.EntryFilter{Kind: "place", ThingID: place, Limit: 1})
	require.NoError(t, err)
	h.entry = noted[0].ID
}

// call is one method of a service, asked for what belongs to an organisation.
type call struct {
	name string
	ask  func(ctx context.Context, who access.Actor) (any, error)
	// lists is true for one that answers with what may be seen, which may be nothing.
	lists bool
	// whole is true for what belongs to the whole tree, which an organisation's own
	// people may not either; shared for what is the same for all places.
	whole, shared bool
	// own is true for what everybody may do for himself.
	own bool
}

func done(err error) (any, error) { return nil, err }

func both[A, B any](a A, b B, err error) (any, error) { return []any{a, b}, err }

// pickable is a reading that can be picked.
func pickable(name string) own.Draft {
	return own.Draft{Reading: own.Reading{Name: name, Object: "sysUpTime", OID: "1.3.6.1.2.1.1.3.0", Treat: own.Number,
		Unit: "s", Steps: []derive.Written{{Do: "scale", With: "0.01"}}, Every: time.Minute}}
}

// calls are all methods of all services, in an order in which what removes comes last.
func calls(r running, running *run.Service, h held) []call {
	return slices.Concat(changeCalls(r, h), otherCalls(r, running, h))
}

func otherCalls(r running, running *run.Service, h held) []call {
	now := time.Now().UTC()
	ids := []domain.ID{h.series}
	type C = context.Context
	type A = access.Actor
	selection := transfer.Selection{SeriesID: h.series, From: now.Add(-time.Hour), To: now}
	csv := func() *strings.Reader {
		return strings.NewReader(
			"at,device,part,kit,reading,unit,value\n" + now.Add(-time.Hour).
				Format(time.RFC3339) +
				"," + secretive + "-sw-1," + secretive + " port,interfaces,in_errors,1/s,1\n",
		)
	}
	keep := domain.ReadingKey{Kit: "interfaces", Reading: "in"}
	return []call{
		{name: "watch.Overview", lists: true, ask: func(c C, w A) (any, error) { return r.Watch.Overview(c, w, nil, now) }},
		{
			name:  "watch.Devices",
			lists: true,
			ask:   func(c C, w A) (any, error) { return r.Watch.Devices(c, w, domain.DeviceFilter{Limit: 100}, now) },
		},
		{
			name: "watch.Find", lists: true,
			ask: func(c C, w A) (any, error) { return both(r.Watch.Find(c, w, domain.DeviceFilter{Limit: 100})) },
		},
		{name: "watch.Device", ask: func(c C, w A) (any, error) { return r.Watch.Device(c, w, h.device, watch.Look{}, now) }},
		{name: "watch.One", ask: func(c C, w A) (any, error) { return r.Watch.One(c, w, h.device) }},
		{name: "watch.Parts", ask: func(c C, w A) (any, error) { return r.Watch.Parts(c, w, h.device) }},
		{name: "watch.Readings", ask: func(c C, w A) (any, error) { return r.Watch.Readings(c, w, h.device) }},
		{name: "watch.Sources", ask: func(c C, w A) (any, error) { return r.Watch.Sources(c, w, h.device) }},
		{name: "watch.Why", ask: func(c C, w A) (any, error) { return done(third(r.Watch.Why(c, w, h.device))) }},
		{name: "watch.Series", ask: func(c C, w A) (any, error) { return r.Watch.Series(c, w, h.series) }},
		{name: "watch.SeriesPage", ask: func(c C, w A) (any, error) { return r.Watch.SeriesPage(c, w, h.series) }},
		{name: "watch.Chart", ask: func(c C, w A) (any, error) { return r.Watch.Chart(c, w, ids, now.Add(-time.Hour), now) }},
		{name: "watch.Samples", ask: func(c C, w A) (any, error) { return r.Watch.Samples(c, w, h.series, now.Add(-time.Hour), now, 10) }},
		{name: "watch.Standing", ask: func(c C, w A) (any, error) { return r.Watch.Standing(c, w, h.series+1, time.Hour, now) }},
		{name: "watch.Combine", lists: true, ask: func(c C, w A) (any, error) {
			return r.Watch.Combine(
				c,
				w,
				watch.Question{Kit: "interfaces", Reading: "in_errors", How: "sum", From: now.Add(-time.Hour), To: now, Points: 10, Top: 5},
			)
		}},
		{
			name:  "watch.Values",
			lists: true,
			ask:   func(c C, w A) (any, error) { return both(r.Watch.Values(c, w, domain.ValueFilter{Limit: 100})) },
		},
		{name: "watch.Groups", lists: true, ask: func(c C, w A) (any, error) {
			got, err := r.Watch.Groups(c, w, domain.ValueFilter{Group: "device"}, []string{strconv.FormatInt(h.device, 10)})
			return strings.Repeat(secretive, len(got)), err
		}},
		{name: "watch.Glances", lists: true, ask: func(c C, w A) (any, error) {
			got, err := r.Watch.Glances(c, w, ids, now.Add(-time.Hour), now)
			return strings.Repeat(secretive, len(got)), err
		}},
		{name: "watch.Waits", lists: true, ask: func(c C, w A) (any, error) {
			got, err := r.Watch.Waits(c, w, ids)
			return strings.Repeat(secretive, len(got)), err
		}},
		{name: "watch.WhyValue", ask: func(c C, w A) (any, error) { return r.Watch.WhyValue(c, w, h.series) }},
		{
			name:  "watch.Transitions",
			lists: true,
			ask:   func(c C, w A) (any, error) { return r.Watch.Transitions(c, w, domain.TransitionFilter{Limit: 100}) },
		},
		{name: "watch.Transition", ask: func(c C, w A) (any, error) { return r.Watch.Transition(c, w, h.transition) }},
		{name: "watch.Search", lists: true, ask: func(c C, w A) (any, error) { return r.Watch.Search(c, w, secretive, 10) }},
		{name: "watch.Fullest", lists: true, ask: func(c C, w A) (any, error) { return r.Watch.Fullest(c, w, 10) }},
		{name: "transfer.Export", ask: func(c C, w A) (any, error) { return export(c, r, w, selection) }},
		{name: "transfer.Check", ask: func(c C, w A) (any, error) { return r.Transfer.Check(c, w, exchange.CSV, csv()) }},
		{name: "transfer.Import", ask: func(c C, w A) (any, error) { return r.Transfer.Import(c, w, exchange.CSV, csv()) }},
		{name: "collect.Known", shared: true, ask: func(c C, w A) (any, error) { return done(second(r.Kits.Known(c, w))) }},
		{name: "collect.FittedTo", ask: func(c C, w A) (any, error) { return r.Kits.FittedTo(c, w, h.device) }},
		{name: "collect.Fitted", lists: true, ask: func(c C, w A) (any, error) { return r.Kits.Fitted(c, w) }},
		{name: "watch.Becauses", shared: true, ask: func(c C, w A) (any, error) { return r.Watch.Becauses(c, w, nil) }},
		{name: "collect.TakenUp", shared: true, ask: func(c C, w A) (any, error) { return r.Kits.TakenUp(c, w) }},
		{name: "collect.Versions", shared: true, ask: func(c C, w A) (any, error) { return r.Kits.Versions(c, w, "interfaces") }},
		{name: "collect.Version", shared: true, ask: func(c C, w A) (any, error) { return r.Kits.Version(c, w, "interfaces", 1) }},
		{name: "collect.Bring", whole: true, ask: func(c C, w A) (any, error) { return r.Kits.Bring(c, w, "kit: x", 0) }},
		{name: "collect.KeepsOf", whole: true, ask: func(c C, w A) (any, error) { return done(second(r.Kits.KeepsOf(c, w))) }},
		{
			name:  "collect.SetKeep",
			whole: true,
			ask:   func(c C, w A) (any, error) { return done(r.Kits.SetKeep(c, w, keep, domain.KeepDays{Points: 30})) },
		},
		{name: "collect.RehearseKeep", whole: true, ask: func(c C, w A) (any, error) {
			return r.Kits.RehearseKeep(c, w, keep, domain.KeepDays{Points: 30}, domain.KeepDays{Points: 90})
		}},
		{name: "collect.SetParameters", ask: func(c C, w A) (any, error) {
			return done(r.Kits.SetParameters(c, w, h.device, "interfaces", map[string]string{}, ""))
		}},
		{name: "collect.RehearseKit", shared: true, ask: func(c C, w A) (any, error) {
			return done(fieldsAreFine(second(r.Kits.RehearseKit(c, w, "kit: x"))))
		}},
		{name: "collect.Own", ask: func(c C, w A) (any, error) { return done(second(r.Kits.Own(c, w, h.device))) }},
		{name: "collect.OwnDocument", ask: func(c C, w A) (any, error) { return done(second(r.Kits.OwnDocument(c, w, h.device))) }},
		{name: "collect.Pick", ask: func(c C, w A) (any, error) {
			return done(second(r.Kits.Pick(c, w, h.device, pickable(secretive), "")))
		}},
		{name: "collect.RehearseMove", ask: func(c C, w A) (any, error) {
			m := collect.Move{Device: h.device, Readings: []string{"sysuptime", "sysuptime-2"}, Kit: "moved", Title: "Moved"}
			return done(second(r.Kits.RehearseMove(c, w, m)))
		}},
		{name: "collect.Drop", ask: func(c C, w A) (any, error) { return done(r.Kits.Drop(c, w, h.device, "sysuptime", "")) }},
		{name: "collect.MoveToKit", whole: true, ask: func(c C, w A) (any, error) {
			m := collect.Move{Device: h.device, Readings: []string{"sysuptime", "sysuptime-2"}, Kit: "moved", Title: "Moved"}
			return done(second(r.Kits.MoveToKit(c, w, m)))
		}},
		{name: "browse.Walk", ask: func(c C, w A) (any, error) {
			return done(second(r.Browse.Walk(c, w, h.device, mib.OID{1, 3}, nil, 10)))
		}},
		{name: "browse.Propose", ask: func(c C, w A) (any, error) {
			return done(second(r.Browse.Propose(c, w, h.device, mib.OID{1, 3})))
		}},
		{name: "browse.Rehearse", ask: func(c C, w A) (any, error) {
			return done(second(r.Browse.Rehearse(c, w, h.device, pickable("tried"), "", true)))
		}},
		{name: "browse.Node", shared: true, ask: func(c C, w A) (any, error) { return done(second(r.Browse.Node(c, w, nil))) }},
		{name: "browse.Alone", shared: true, ask: func(c C, w A) (any, error) {
			document, _, err := r.Browse.Alone(c, w, mib.OID{1, 3, 6, 1, 2, 1, 1, 5})
			return document, err
		}},
		{name: "browse.Search", shared: true, ask: func(c C, w A) (any, error) { return done(second(r.Browse.Search(c, w, "if"))) }},
		{name: "recognition.Written", shared: true, ask: func(c C, w A) (any, error) { return done(second(r.Recognition.Written(c, w))) }},
		{name: "recognition.Rehearse", shared: true, ask: func(c C, w A) (any, error) {
			return done(second(r.Recognition.Rehearse(c, w, "")))
		}},
		{name: "recognition.Write", whole: true, ask: func(c C, w A) (any, error) { return done(r.Recognition.Write(c, w, "", "")) }},
		{name: "recognition.LoadRegistry", whole: true, ask: func(c C, w A) (any, error) {
			return done(second(r.Recognition.LoadRegistry(c, w, strings.NewReader("7\n  Lantern Works\n"))))
		}},
		{name: "recognition.DropRegistry", whole: true, ask: func(c C, w A) (any, error) { return done(r.Recognition.DropRegistry(c, w)) }},
		{name: "modules.All", shared: true, ask: func(c C, w A) (any, error) { return done(second(r.Modules.All(c, w))) }},
		{name: "modules.State", shared: true, ask: func(c C, w A) (any, error) { return done(second(r.Modules.State(c, w))) }},
		{name: "modules.Begin", whole: true, ask: func(c C, w A) (any, error) {
			return done(r.Modules.Begin(c, w, []loaded.File{{Name: "a", Data: []byte("A DEFINITIONS ::= BEGIN END")}}))
		}},
		{name: "modules.Take", whole: true, ask: func(c C, w A) (any, error) {
			return done(second(r.Modules.Take(c, w, []loaded.File{{Name: "a", Data: []byte("A DEFINITIONS ::= BEGIN END")}})))
		}},
		{name: "modules.Stop", whole: true, ask: func(c C, w A) (any, error) { return done(r.Modules.Stop(c, w)) }},
		{name: "modules.Remove", whole: true, ask: func(c C, w A) (any, error) { return done(r.Modules.Remove(c, w, "A")) }},
		{name: "collect.Endpoints", ask: func(c C, w A) (any, error) { return done(second(r.Kits.Endpoints(c, w, h.device))) }},
		{name: "collect.SetEndpoint", ask: func(c C, w A) (any, error) {
			return done(r.Kits.SetEndpoint(c, w, h.device, "snmp", collect.EndpointDraft{Settings: map[string]string{"port": "1"}}))
		}},
		{name: "collect.Try", ask: func(c C, w A) (any, error) {
			_, err := r.Kits.Try(c, w, h.device, "snmp", collect.EndpointDraft{Settings: map[string]string{"port": "1"}})
			return done(err)
		}},
		{name: "calendars.All", shared: true, ask: func(c C, w A) (any, error) { return done(second(r.Calendars.All(c, w))) }},
		{name: "calendars.One", shared: true, ask: func(c C, w A) (any, error) {
			all, err := r.Store.Calendars.All(c)
			if err != nil {
				return nil, err
			}
			return done(second(r.Calendars.One(c, w, all[0].ID)))
		}},
		{name: "calendars.Save", whole: true, ask: func(c C, w A) (any, error) {
			return done(second(r.Calendars.Save(c, w, domain.Calendar{Name: "Office", Hours: "daily 07:00-19:00"})))
		}},
		{name: "calendars.Rehearse", shared: true, ask: func(c C, w A) (any, error) {
			return done(second(r.Calendars.Rehearse(c, w, domain.Calendar{Name: "Office", Hours: "daily 07:00-19:00"})))
		}},
		{name: "fitting.Rules", whole: true, ask: func(c C, w A) (any, error) { return done(second(r.Fitting.Rules(c, w))) }},
		{name: "fitting.Rule", whole: true, ask: func(c C, w A) (any, error) { return done(second(r.Fitting.Rule(c, w, 1))) }},
		{name: "fitting.Save", whole: true, ask: func(c C, w A) (any, error) {
			return done(second(r.Fitting.Save(c, w, domain.FittingRule{Name: "Nowhere", When: "false", Fits: []string{"ups"}})))
		}},
		{name: "fitting.Move", whole: true, ask: func(c C, w A) (any, error) { return done(r.Fitting.Move(c, w, 1, 1)) }},
		{name: "fitting.Try", whole: true, ask: func(c C, w A) (any, error) {
			return done(second(r.Fitting.Try(c, w, domain.FittingRule{When: "false"})))
		}},
		{name: "fitting.RehearseRemoval", whole: true, ask: func(c C, w A) (any, error) {
			return done(second(r.Fitting.RehearseRemoval(c, w, 1)))
		}},
		{name: "fitting.Of", ask: func(c C, w A) (any, error) { return done(second(r.Fitting.Of(c, w, h.device))) }},
		{name: "fitting.Seats", lists: true, ask: func(c C, w A) (any, error) { return r.Fitting.Seats(c, w, "interfaces") }},
		{name: "fitting.Devices", lists: true, ask: func(c C, w A) (any, error) { return r.Fitting.Devices(c, w) }},
		{name: "browse.TryOn", ask: func(c C, w A) (any, error) {
			return done(second(r.Browse.TryOn(c, w, h.device, "kit: x\ntitle: X\nversion: 1\n", "")))
		}},
		{name: "fitting.Chairs", lists: true, ask: func(c C, w A) (any, error) { return r.Fitting.Chairs(c, w, "interfaces") }},
		{name: "fitting.Collected", ask: func(c C, w A) (any, error) { return done(second(r.Fitting.Collected(c, w, h.device))) }},
		{name: "fitting.Words", whole: true, ask: func(c C, w A) (any, error) { return done(second(r.Fitting.Words(c, w))) }},
		{name: "settings.One", ask: func(c C, w A) (any, error) {
			return done(second(r.Settings.One(c, w, inherit.Device(h.device), domain.SettingStretch)))
		}},
		{name: "fitting.Rehearse", ask: func(c C, w A) (any, error) {
			return done(second(r.Fitting.Rehearse(c, w, fitting.Saying{Devices: []domain.ID{h.device}, Kit: "ups", Word: fitting.Fit})))
		}},
		{name: "fitting.Say", ask: func(c C, w A) (any, error) {
			return done(r.Fitting.Say(c, w, fitting.Saying{Devices: []domain.ID{h.device}, Kit: "ups", Word: fitting.KeepOff}))
		}},
		{name: "judge.Rules", lists: true, ask: func(c C, w A) (any, error) { return r.Judge.Rules(c, w) }},
		{name: "judge.Rule", ask: func(c C, w A) (any, error) { return r.Judge.Rule(c, w, h.rule) }},
		{name: "judge.About", lists: true, ask: func(c C, w A) (any, error) {
			return r.Judge.About(c, w, rule.Rule{DeviceID: h.device})
		}},
		{name: "judge.Judgeable", shared: true, ask: func(c C, w A) (any, error) { return done(second(r.Judge.Judgeable(c, w, "in"))) }},
		{name: "judge.Blank", ask: func(c C, w A) (any, error) {
			return done(second(r.Judge.Blank(c, w, "interfaces", "in_errors", h.device, "")))
		}},
		{name: "judge.Make", ask: func(c C, w A) (any, error) {
			x := aRule(c, r)
			x.Name, x.DeviceID = "made", h.device
			return done(second(r.Judge.Make(c, w, x)))
		}},
		{name: "judge.Make", whole: true, ask: func(c C, w A) (any, error) {
			x := aRule(c, r)
			x.Name = "made"
			return done(second(r.Judge.Make(c, w, x)))
		}},
		{name: "judge.Save", ask: func(c C, w A) (any, error) {
			x, err := r.Store.Rules.One(c, h.rule)
			if err != nil {
				return nil, err
			}
			return done(second(r.Judge.Save(c, w, x)))
		}},
		{name: "judge.Noise", lists: true, ask: func(c C, w A) (any, error) { return r.Judge.Noise(c, w, now.Add(-time.Hour)) }},
		{name: "judge.Save", whole: true, ask: func(c C, w A) (any, error) { return done(second(r.Judge.Save(c, w, aRule(c, r)))) }},
		{name: "judge.Rehearse", lists: true, ask: func(c C, w A) (any, error) { return r.Judge.Rehearse(c, w, aRule(c, r), time.Hour) }},
		{name: "respond.Incidents", lists: true, ask: func(c C, w A) (any, error) {
			return both(r.Respond.Incidents(c, w, domain.IncidentFilter{Limit: 100}))
		}},
		{name: "respond.Incident", ask: func(c C, w A) (any, error) { return r.Respond.Incident(c, w, h.incident) }},
		{name: "respond.Alerts", lists: true, ask: func(c C, w A) (any, error) {
			return both(r.Respond.Alerts(c, w, domain.AlertFilter{Limit: 100}))
		}},
		{name: "respond.Alert", ask: func(c C, w A) (any, error) { return r.Respond.Alert(c, w, h.alert) }},
		{name: "respond.Event", ask: func(c C, w A) (any, error) { return r.Respond.Event(c, w, h.event) }},
		{name: "respond.Deliveries", lists: true, ask: func(c C, w A) (any, error) {
			return both(r.Respond.Deliveries(c, w, domain.DeliveryFilter{Limit: 100}))
		}},
		{name: "respond.Delivery", ask: func(c C, w A) (any, error) { return r.Respond.Delivery(c, w, h.delivery) }},
		{name: "respond.Tickets", lists: true, ask: func(c C, w A) (any, error) {
			return both(r.Respond.Tickets(c, w, domain.TicketFilter{Limit: 100}))
		}},
		{name: "respond.Hint", lists: true, ask: func(c C, w A) (any, error) { return r.Respond.Hint(c, w, h.device, "interfaces") }},
		{name: "respond.Judged", lists: true, ask: func(c C, w A) (any, error) {
			got, err := r.Respond.Judged(c, w, []domain.Alert{{SeriesID: h.series}})
			return []any{got.Series, got.Latest}, err
		}},
		{name: "respond.Repeats", lists: true, ask: func(c C, w A) (any, error) {
			return both(r.Respond.Repeats(c, w, domain.IncidentFilter{Limit: 100}))
		}},
		{name: "respond.Acknowledge", ask: func(c C, w A) (any, error) { return done(r.Respond.Acknowledge(c, w, h.incident)) }},
		{name: "respond.Comment", ask: func(c C, w A) (any, error) { return done(r.Respond.Comment(c, w, h.incident, "looking")) }},
		{name: "respond.Retry", ask: func(c C, w A) (any, error) { return done(r.Respond.Retry(c, w, h.delivery)) }},
		{name: "respond.Resolve", ask: func(c C, w A) (any, error) { return done(r.Respond.Resolve(c, w, h.incident, "")) }},
		{name: "respond.Plans", whole: true, ask: func(c C, w A) (any, error) { return r.Respond.Plans(c, w) }},
		{name: "respond.ChannelNames", whole: true, ask: func(c C, w A) (any, error) { return r.Respond.ChannelNames(c, w) }},
		{name: "respond.Channels", whole: true, ask: func(c C, w A) (any, error) { return r.Respond.Channels(c, w) }},
		{name: "respond.AddChannel", whole: true, ask: func(c C, w A) (any, error) { return r.Respond.AddChannel(c, w, "mail") }},
		{name: "respond.Channel", whole: true, ask: func(c C, w A) (any, error) { return done(third(r.Respond.Channel(c, w, 1))) }},
		{name: "respond.SaveChannel", whole: true, ask: func(c C, w A) (any, error) {
			values := map[string]string{"host": "127.0.0.1", "port": "25", "from": "owl@kittiwake.example", "encryption": "none"}
			return done(r.Respond.SaveChannel(c, w, 1, 0, values))
		}},
		{name: "respond.TryChannel", whole: true, ask: func(c C, w A) (any, error) { return r.Respond.TryChannel(c, w, 1, "x") }},
		{name: "respond.MakePlan", whole: true, ask: func(c C, w A) (any, error) { return r.Respond.MakePlan(c, w) }},
		{
			name: "respond.SetPlanEnabled", whole: true,
			ask: func(c C, w A) (any, error) { return done(r.Respond.SetPlanEnabled(c, w, 1, true)) },
		},
		{name: "respond.SetAudience", whole: true, ask: func(c C, w A) (any, error) {
			return done(r.Respond.SetAudience(c, w, 1, respond.Audience{To: "a@kittiwake.example", From: domain.LevelWarning}))
		}},
		{name: "run.Figures", whole: true, ask: func(c C, w A) (any, error) { return done(second(running.Figures(c, w))) }},
		{name: "run.Storage", whole: true, ask: func(c C, w A) (any, error) { return done(second(running.Storage(c, w))) }},
		{name: "run.Simulated", whole: true, ask: func(c C, w A) (any, error) { return running.Simulated(c, w) }},
		{name: "run.Break", whole: true, ask: func(c C, w A) (any, error) { return done(running.Break(c, w, domain.Fault{})) }},
		{name: "run.Mend", whole: true, ask: func(c C, w A) (any, error) { return done(running.Mend(c, w, 1)) }},
		{name: "places.All", lists: true, ask: func(c C, w A) (any, error) { return r.Places.All(c, w) }},
		{
			name: "places.Where", lists: true,
			ask: func(c C, w A) (any, error) { return r.Places.Where(c, w, domain.AreaRun, domain.AccessSee) },
		},
		{name: "places.Tree", lists: true, ask: func(c C, w A) (any, error) { return r.Places.Tree(c, w) }},
		{name: "places.One", ask: func(c C, w A) (any, error) { return r.Places.One(c, w, h.place) }},
		{name: "places.Overrides", lists: true, ask: func(c C, w A) (any, error) { return r.Places.Overrides(c, w) }},
		{name: "places.Save", ask: func(c C, w A) (any, error) {
			return r.Places.Save(c, w, domain.Place{ParentID: h.place, Name: "quay", Kind: domain.Site})
		}},
		{name: "places.MoveDevices", ask: func(c C, w A) (any, error) {
			return done(r.Places.MoveDevices(c, w, []domain.ID{h.device}, lastPlace(c, r, h.place)))
		}},
		{name: "audit.Find", lists: true, ask: func(c C, w A) (any, error) { return r.Audit.Find(c, w, domain.EntryFilter{Limit: 1000}) }},
		{name: "audit.Rehearse", whole: true, ask: func(c C, w A) (any, error) { return r.Audit.Rehearse(c, w, 50) }},
		{name: "audit.SetKeep", whole: true, ask: func(c C, w A) (any, error) { return done(r.Audit.SetKeep(c, w, 50)) }},
		{name: "audit.One", ask: func(c C, w A) (any, error) { return r.Audit.One(c, w, h.entry) }},
		{name: "attributes.Of", ask: func(c C, w A) (any, error) { return r.Attributes.Of(c, w, inherit.Device(h.device)) }},
		{name: "settings.Of", ask: func(c C, w A) (any, error) { return r.Settings.Of(c, w, inherit.Place(h.place)) }},
		{name: "settings.Of", ask: func(c C, w A) (any, error) { return r.Settings.Of(c, w, inherit.Device(h.device)) }},
		{name: "settings.Set", ask: func(c C, w A) (any, error) {
			t := settings.Typed{At: inherit.Place(h.place), Key: domain.SettingLeaveAlone, Value: "192.0.2.8/30"}
			return done(r.Settings.Set(c, w, t))
		}},
		{name: "settings.Set", ask: func(c C, w A) (any, error) {
			return done(r.Settings.Set(c, w, settings.Typed{At: inherit.Device(h.device), Key: domain.SettingStretch, Value: "2"}))
		}},
		{name: "settings.Rehearse", ask: func(c C, w A) (any, error) {
			return r.Settings.Rehearse(c, w, settings.Typed{At: inherit.Device(h.device), Key: domain.SettingStretch, Value: "2"})
		}},
		{name: "find.Spared", ask: func(c C, w A) (any, error) { return r.Find.Spared(c, w, h.sweep) }},
		{name: "attributes.Used", lists: true, ask: func(c C, w A) (any, error) { return r.Attributes.Used(c, w) }},
		{name: "attributes.All", lists: true, ask: func(c C, w A) (any, error) { return r.Attributes.All(c, w) }},
		{name: "attributes.Export", lists: true, ask: func(c C, w A) (any, error) {
			var out strings.Builder
			err := r.Attributes.Export(c, w, &out)
			return out.String(), err
		}},
		{name: "attributes.Set", ask: func(c C, w A) (any, error) {
			return done(r.Attributes.Set(c, w, inherit.Device(h.device), []attributes.Change{{Name: "role", Value: "spare"}}))
		}},
		{name: "attributes.SetMany", ask: func(c C, w A) (any, error) {
			return done(r.Attributes.SetMany(c, w, []inherit.Thing{inherit.Place(h.place)}, []attributes.Change{{Name: "n", Tag: true}}))
		}},
		{name: "attributes.Import", lists: true, ask: func(c C, w A) (any, error) {
			return r.Attributes.Import(c, w, strings.NewReader("device,attribute,value\nno-such,a,1\n"), false)
		}},
		{name: "audit.RehearseUndo", ask: func(c C, w A) (any, error) { return r.Audit.RehearseUndo(c, w, h.entry) }},
		{name: "audit.Undo", ask: func(c C, w A) (any, error) { return done(r.Audit.Undo(c, w, h.entry)) }},
		{name: "audit.Export", lists: true, ask: func(c C, w A) (any, error) {
			var out []domain.Entry
			err := r.Audit.Export(c, w, domain.EntryFilter{}, func(e domain.Entry) error { out = append(out, e); return nil })
			return out, err
		}},
		{name: "find.Sweeps", lists: true, ask: func(c C, w A) (any, error) { return r.Find.Sweeps(c, w) }},
		{name: "find.Sweep", ask: func(c C, w A) (any, error) { return r.Find.Sweep(c, w, h.sweep) }},
		{name: "find.Finds", ask: func(c C, w A) (any, error) { return r.Find.Finds(c, w, h.sweep) }},
		{name: "find.Sightings", lists: true, ask: func(c C, w A) (any, error) { return r.Find.Sightings(c, w, h.sweep) }},
		{name: "find.Why", ask: func(c C, w A) (any, error) { return both(r.Find.Why(c, w, h.find)) }},
		{name: "watch.Neighbours", ask: func(c C, w A) (any, error) { return done(second(r.Watch.Neighbours(c, w, h.device))) }},
		{name: "find.Alone", ask: func(c C, w A) (any, error) { return done(second(r.Find.Alone(c, w, h.sweep))) }},
		{name: "find.RehearseAlone", ask: func(c C, w A) (any, error) {
			return done(second(r.Find.RehearseAlone(c, w, h.sweep, nil)))
		}},
		{name: "find.SetAlone", ask: func(c C, w A) (any, error) { return done(r.Find.SetAlone(c, w, h.sweep, nil, "")) }},
		{name: "find.Runs", ask: func(c C, w A) (any, error) { return done(second(r.Find.Runs(c, w, h.sweep))) }},
		{name: "find.Silent", lists: true, ask: func(c C, w A) (any, error) { return r.Find.Silent(c, w, h.sweep) }},
		{name: "find.Credentials", lists: true, ask: func(c C, w A) (any, error) { return r.Find.Credentials(c, w) }},
		{name: "credentials.All", lists: true, ask: func(c C, w A) (any, error) { return r.Credentials.All(c, w) }},
		{name: "credentials.One", ask: func(c C, w A) (any, error) { return r.Credentials.One(c, w, h.credential) }},
		{name: "credentials.Make", ask: func(c C, w A) (any, error) {
			d := credentials.Draft{PlaceID: h.place, Name: "x", Kind: "snmp-v2c", Values: map[string]string{"community": "x"}}
			return r.Credentials.Make(c, w, d)
		}},
		{name: "credentials.Change", ask: func(c C, w A) (any, error) {
			return r.Credentials.Change(c, w, h.credential, credentials.Draft{PlaceID: h.place, Name: "y"})
		}},
		{name: "find.Create", ask: func(c C, w A) (any, error) {
			return r.Find.Create(c, w, find.Draft{PlaceID: h.place, Name: "x", Ranges: "127.119.0.0/30", Port: 1, Community: "x"})
		}},
		{name: "find.Ignore", ask: func(c C, w A) (any, error) { return done(r.Find.Ignore(c, w, h.sweep, []domain.ID{h.find}, true)) }},
		{name: "find.TakeOver", ask: func(c C, w A) (any, error) {
			return done(fieldsAreFine(r.Find.TakeOver(c, w, h.sweep, []domain.ID{h.find})))
		}},
		{name: "find.Adopt", ask: func(c C, w A) (any, error) {
			return r.Find.Adopt(c, w, h.sweep, find.Adoption{FindIDs: []domain.ID{h.find}, PlaceID: h.place})
		}},
		{name: "find.Start", ask: func(c C, w A) (any, error) { return done(r.Find.Start(c, w, h.sweep)) }},
		{name: "find.Stop", ask: func(c C, w A) (any, error) { return done(r.Find.Stop(c, w, h.sweep)) }},
		{name: "find.Delete", ask: func(c C, w A) (any, error) { return done(r.Find.Delete(c, w, h.sweep)) }},
		{name: "addition.Kinds", shared: true, ask: func(c C, w A) (any, error) { return r.Addition.Kinds(c, w) }},
		{name: "addition.Preparation", shared: true, ask: func(c C, w A) (any, error) {
			k, err := r.Kits.Kit("postgresql")
			if err != nil {
				return nil, err
			}
			return r.Addition.Preparation(c, w, k, "192.0.2.98")
		}},
		{name: "addition.Add", ask: func(c C, w A) (any, error) {
			added, err := r.Addition.Add(c, w, addition.Draft{Kit: "web-page", Address: "192.0.2.98", PlaceID: h.place})
			return added, fieldsAreFine(err)
		}},
		{name: "addition.Try", ask: func(c C, w A) (any, error) {
			tried, err := r.Addition.Try(c, w, addition.Draft{Kit: "web-page", Address: "192.0.2.98", PlaceID: h.place})
			return tried, fieldsAreFine(err)
		}},
		{name: "query.Ways", ask: func(c C, w A) (any, error) {
			d, _, err := r.Query.Ways(c, w, h.device)
			return d, err
		}},
		{name: "query.Run", ask: func(c C, w A) (any, error) { return r.Query.Run(c, w, h.device, "postgresql", "SELECT 1") }},
		{name: "query.Keep", whole: true, ask: func(c C, w A) (any, error) {
			q := kit.Queried{Title: "Own", Way: "postgresql", Statement: "SELECT 1 AS n", Every: time.Minute,
				Columns: []kit.QueriedColumn{{Of: "n", Is: kit.Numbers}}}
			return done(r.Query.Keep(c, w, h.device, q))
		}},
		{name: "devices.Draft", ask: func(c C, w A) (any, error) { return both(r.Devices.Draft(c, w, h.device)) }},
		{name: "devices.Change", ask: func(c C, w A) (any, error) {
			return r.Devices.Change(c, w, h.device, devices.Draft{Name: "x", Address: "192.0.2.99", PlaceID: lastPlace(c, r, h.place)})
		}},
		{name: "devices.SetPaused", ask: func(c C, w A) (any, error) { return done(r.Devices.SetPaused(c, w, h.device, true)) }},
		{name: "devices.CollectNow", ask: func(c C, w A) (any, error) { return r.Devices.CollectNow(c, w, h.device, "") }},
		{
			name: "devices.Removed", lists: true,
			ask: func(c C, w A) (any, error) { return both(r.Devices.Removed(c, w, domain.RemovedFilter{})) },
		},
		{name: "devices.RemovedOne", ask: func(c C, w A) (any, error) { return r.Devices.RemovedOne(c, w, h.removed) }},
		{name: "devices.Restore", ask: func(c C, w A) (any, error) { return r.Devices.Restore(c, w, h.removed) }},
		{name: "devices.Remove", ask: func(c C, w A) (any, error) { return done(r.Devices.Remove(c, w, h.removed, 0)) }},
		{name: "devices.Forget", ask: func(c C, w A) (any, error) { return done(r.Devices.Forget(c, w, h.removed)) }},
		{name: "people.People", lists: true, ask: func(c C, w A) (any, error) { return r.People.People(c, w) }},
		{name: "people.Person", ask: func(c C, w A) (any, error) { return r.People.Person(c, w, h.user) }},
		{name: "people.Teams", lists: true, ask: func(c C, w A) (any, error) { return r.People.Teams(c, w) }},
		{name: "people.TeamsOf", ask: func(c C, w A) (any, error) { return r.People.TeamsOf(c, w, h.user) }},
		{name: "people.Team", ask: func(c C, w A) (any, error) { return r.People.Team(c, w, h.team) }},
		{name: "people.Allowed", ask: func(c C, w A) (any, error) { return r.People.Allowed(c, w, h.user, h.place, "") }},
		{name: "once.Begin", own: true, ask: func(c C, w A) (any, error) {
			return done(second(r.Once.Begin(c, w, "a-key", []byte("x"))))
		}},
		{name: "once.End", own: true, ask: func(c C, w A) (any, error) {
			return done(r.Once.End(c, w, "a-key", domain.Answer{Status: 200}))
		}},
		{name: "once.Forget", own: true, ask: func(c C, w A) (any, error) { return done(r.Once.Forget(c, w, "a-key")) }},
		{name: "people.Tokens", lists: true, own: true, ask: func(c C, w A) (any, error) { return r.People.Tokens(c, w) }},
		{name: "people.Presence", ask: func(c C, w A) (any, error) { return r.People.Presence(c, w, h.user) }},
		{name: "people.Factors", ask: func(c C, w A) (any, error) { return r.People.Factors(c, w, h.user) }},
		{name: "people.PrepareCodes", own: true, ask: func(c C, w A) (any, error) {
			return done(second(r.People.PrepareCodes(c, access.Actor{Kind: access.Token, ID: w.ID})))
		}},
		{name: "people.PreparedCodes", own: true, ask: func(c C, w A) (any, error) { return done(second(r.People.PreparedCodes(c, w))) }},
		{name: "people.UseCodes", own: true, ask: func(c C, w A) (any, error) { return r.People.UseCodes(c, w, "wrong") }},
		{name: "people.StopCodes", own: true, ask: func(c C, w A) (any, error) { return done(r.People.StopCodes(c, w, "wrong")) }},
		{name: "people.BeginPasskey", own: true, ask: func(c C, w A) (any, error) { return done(second(r.People.BeginPasskey(c, w))) }},
		{name: "people.AddPasskey", own: true, ask: func(c C, w A) (any, error) { return r.People.AddPasskey(c, w, "k", nil, nil) }},
		{name: "people.TakePasskey", ask: func(c C, w A) (any, error) { return done(r.People.TakePasskey(c, w, h.passkey)) }},
		{name: "people.TakeFactors", ask: func(c C, w A) (any, error) { return done(r.People.TakeFactors(c, w, h.user)) }},
		{name: "people.BeginPasskeyTrust", own: true, ask: func(c C, w A) (any, error) {
			return done(second(r.People.BeginPasskeyTrust(c, w)))
		}},
		{name: "people.PasskeyTrust", own: true, ask: func(c C, w A) (any, error) { return r.People.PasskeyTrust(c, w, nil, nil, "") }},
		{name: "people.Provider", whole: true, ask: func(c C, w A) (any, error) { return r.People.Provider(c, w) }},
		{name: "people.TryProvider", whole: true, ask: func(c C, w A) (any, error) { return r.People.TryProvider(c, w) }},
		{name: "people.SaveProvider", whole: true, ask: func(c C, w A) (any, error) {
			p := domain.Provider{Title: "Accounts", Issuer: "https://accounts.example", ClientID: "owl", GroupsClaim: "groups"}
			return done(r.People.SaveProvider(c, w, p, "hush"))
		}},
		{name: "people.LinkUntil", ask: func(c C, w A) (any, error) { return r.People.LinkUntil(c, w, h.user) }},
		{name: "people.MakeLink", ask: func(c C, w A) (any, error) { return done(third(r.People.MakeLink(c, w, h.user))) }},
		{name: "people.TakeLink", ask: func(c C, w A) (any, error) { return done(r.People.TakeLink(c, w, h.user)) }},
		{name: "people.EndSignIn", ask: func(c C, w A) (any, error) { return done(r.People.EndSignIn(c, w, h.signIn)) }},
		{name: "people.EndSignIns", ask: func(c C, w A) (any, error) { return done(r.People.EndSignIns(c, w, h.user)) }},
		{name: "people.Distrust", ask: func(c C, w A) (any, error) { return done(r.People.Distrust(c, w, h.browser)) }},
		{name: "people.SignOut", own: true, ask: func(c C, w A) (any, error) {
			return done(r.People.SignOut(c, access.Actor{Kind: access.Token, ID: w.ID}))
		}},
		{name: "people.Trust", own: true, ask: func(c C, w A) (any, error) {
			return done(third(r.People.Trust(c, w, people.Proof{Password: "wrong"}, "")))
		}},
		{name: "people.Enrol", whole: true, ask: func(c C, w A) (any, error) {
			return r.People.Enrol(c, w, people.Draft{Name: "x", Secret: "night-watch"}, domain.AccessSee)
		}},
		{name: "people.Add", ask: func(c C, w A) (any, error) { return r.People.Add(c, w, people.Draft{Name: "y", PlaceID: h.place}) }},
		{name: "people.Change", ask: func(c C, w A) (any, error) {
			return done(r.People.Change(c, w, h.user, people.Draft{Display: "z", PlaceID: h.place, Teams: []domain.ID{h.team}, Version: 1}))
		}},
		{name: "people.SetPassword", ask: func(c C, w A) (any, error) { return done(r.People.SetPassword(c, w, h.user, "harbour-watch")) }},
		{
			name: "people.ChangePassword",
			own:  true,
			ask:  func(c C, w A) (any, error) { return done(r.People.ChangePassword(c, w, "wrong", "harbour-watch")) },
		},
		{name: "people.MakeToken", whole: true, ask: func(c C, w A) (any, error) {
			w.ID++ // as if for another
			return done(
				third(
					r.People.MakeToken(
						c,
						access.Actor{Kind: access.Token, ID: w.ID},
						domain.Token{Name: "t", Grant: domain.Grant{Level: domain.AccessSee}},
					),
				),
			)
		}},
		{name: "people.SaveTeam", ask: func(c C, w A) (any, error) {
			return r.People.SaveTeam(
				c,
				w,
				domain.Team{Name: "n", PlaceID: h.place, Grants: []domain.Grant{{PlaceID: h.place, Level: domain.AccessSee}}},
			)
		}},
		{name: "people.TakeToken", ask: func(c C, w A) (any, error) { return done(r.People.TakeToken(c, w, h.token)) }},
		{name: "people.RemoveTeam", ask: func(c C, w A) (any, error) { return done(r.People.RemoveTeam(c, w, lastTeam(c, r), 0)) }},
		{name: "people.Remove", ask: func(c C, w A) (any, error) { return done(r.People.Remove(c, w, lastUser(c, r), 0)) }},
		{name: "credentials.Remove", ask: func(c C, w A) (any, error) {
			return done(r.Credentials.Remove(c, w, h.credential, 0))
		}},
		{name: "fitting.Remove", whole: true, ask: func(c C, w A) (any, error) { return done(r.Fitting.Remove(c, w, 1, 0)) }},
		{name: "calendars.Remove", whole: true, ask: func(c C, w A) (any, error) { return done(r.Calendars.Remove(c, w, 1, 0)) }},
		{name: "judge.Remove", ask: func(c C, w A) (any, error) { return done(r.Judge.Remove(c, w, h.rule, 0)) }},
		{name: "judge.Restore", ask: func(c C, w A) (any, error) { return done(r.Judge.Restore(c, w, h.rule, true)) }},
		{name: "collect.Waiting", shared: true, ask: func(c C, w A) (any, error) { return done(second(r.Kits.Waiting(c, w))) }},
		{name: "collect.Update", shared: true, ask: func(c C, w A) (any, error) { return done(second(r.Kits.Update(c, w, "ospf"))) }},
		{name: "collect.RehearseUpdate", shared: true, ask: func(c C, w A) (any, error) {
			return done(second(r.Kits.RehearseUpdate(c, w, "ospf", nil)))
		}},
		{name: "collect.TakeUpdate", whole: true, ask: func(c C, w A) (any, error) {
			return done(second(r.Kits.TakeUpdate(c, w, "ospf", nil, 3)))
		}},
		{name: "collect.Schema", shared: true, ask: func(c C, w A) (any, error) { return done(second(r.Kits.Schema(c, w))) }},
		{name: "collect.RehearseWithdrawal", whole: true, ask: func(c C, w A) (any, error) {
			return done(second(r.Kits.RehearseWithdrawal(c, w, "printer")))
		}},
		{name: "collect.Withdraw", whole: true, ask: func(c C, w A) (any, error) { return done(r.Kits.Withdraw(c, w, "printer", 0)) }},
		{name: "settings.Here", ask: func(c C, w A) (any, error) {
			_, _, err := r.Settings.Here(c, w, inherit.Place(h.place), domain.SettingStretch)
			return done(err)
		}},
		{name: "settings.NameOf", ask: func(c C, w A) (any, error) {
			return done(second(r.Settings.NameOf(c, w, inherit.Place(h.place))))
		}},
		{name: "places.Remove", ask: func(c C, w A) (any, error) { return done(r.Places.Remove(c, w, spare(c, r, h.place), 0)) }},
	}
}

func second[T any](_ T, err error) error { return err }

func third(in ...any) error {
	err, _ := in[len(in)-1].(error)
	return err
}

// fieldsAreFine is for what is refused only since it does not fit, after it was allowed.
func fieldsAreFine(err error) error {
	if _, ok := err.(domain.FieldErrors); ok {
		return nil
	}
	return err
}

func export(ctx context.Context, r running, who access.Actor, sel transfer.Selection) (any, error) {
	var out bytes.Buffer
	w, err := exchange.NewWriter(exchange.CSV, &out)
	if err != nil {
		return nil, err
	}
	_, err = r.Transfer.Export(ctx, who, sel, w)
	return out.String(), err
}

func aRule(ctx context.Context, r running) rule.Rule {
	rules, _ := r.Store.Rules.All(ctx)
	i := slices.IndexFunc(rules, func(x rule.Rule) bool { return x.Reading == "in_errors" && x.DeviceID == 0 })
	return rules[i]
}

// lastPlace is the newest place below another, or that itself.
func lastPlace(ctx context.Context, r running, below domain.ID) domain.ID {
	out := below
	places, _ := r.Store.Places.All(ctx)
	for _, p := range places {
		if p.ParentID == below {
			out = max(out, p.ID)
		}
	}
	return out
}

// spare is a place below another that nothing belongs to.
func spare(ctx context.Context, r running, below domain.ID) domain.ID {
	p, err := r.Store.Places.Save(ctx, domain.Place{ParentID: below, Name: fmt.Sprint("spare ", time.Now().UnixNano()), Kind: domain.Site})
	if err != nil {
		return below
	}
	return p.ID
}

func lastTeam(ctx context.Context, r running) (out domain.ID) {
	all, _ := r.Store.Teams.All(ctx)
	for _, t := range all {
		if t.Name == "n" || strings.HasPrefix(t.Name, secretive) && out == 0 {
			out = t.ID
		}
	}
	return out
}

func lastUser(ctx context.Context, r running) (out domain.ID) {
	all, _ := r.Store.Users.All(ctx)
	for _, u := range all {
		if u.Name == "y" || u.Name == secretive && out == 0 {
			out = u.ID
		}
	}
	return out
}

// inside are methods that no actor calls: the application itself does.
var inside = []string{
	"collect.Ask", "collect.QuestionsOf",
	"people.SignIn", "people.Actor", "people.Holder", "people.Present", "people.Linked", "people.UseLink",
	"credentials.Undoing", "credentials.Kinds", "credentials.About",
	"attributes.Undoing", "people.Undoing", "places.Undoing", "judge.Undoing", "calendars.Undoing", "find.Undoing", "recognition.Undoing",
	"respond.Undoing", "devices.Undoing",
	"people.Elsewhere", "people.BeginElsewhere", "people.SignInElsewhere",
	"people.SignInSecond", "people.Passkeys", "people.BeginPasskeySignIn", "people.PasskeySignIn",
	"modules.Load", "modules.Objects", "fitting.Refit", "fitting.Undoing", "fitting.Estate", "changes.May",

	"recognition.Load", "recognition.Rules", "recognition.Makers", "collect.OwnKit", "collect.Speak", "collect.Retire",
	"collect.Rebind", "collect.Parsed", "collect.ValuesOn", "collect.Catalogue", "collect.Kits", "collect.Kit",
	"collect.BytesPerSample", "collect.CatalogueIn", "collect.Judging", "collect.Talk", "collect.UsableSecrets",
	"collect.AllowSecrets", "collect.Fillable",
	"collect.Around", "collect.Effective", "collect.RebindAll", "collect.Talks", "collect.Unset",
	"collect.Uses",
	"settings.Undoing", "collect.Undoing",
	"collect.Questions", "collect.DeviceSeries", "collect.MakeSeries", "collect.Settle",
	"collect.Load", "collect.SyncParts", "find.Offers", "find.Close", "judge.Subject",
	"find.Checked", "find.MayEcho", "find.Resume",
	"find.Repeat", "find.BeginDue",
	"judge.Form", "judge.InForce",
	"judge.Read", "judge.Decode", "respond.ChannelKinds", "respond.EndOf", "respond.Wake", "respond.Past", "respond.Record",
	"run.Simulates",
	"run.Away", "run.While", "run.Answers", "run.Missed", "run.Unavailable", "run.Usual", "run.Trouble",
}

func TestEveryMethodOfEveryServiceIsAsked(t *testing.T) {
	r := build(t)
	listed := slices.Clone(inside)
	for _, c := range calls(r, nil, held{}) {
		listed = append(listed, c.name)
	}
	services := map[string]any{
		"watch":       r.Watch,
		"transfer":    r.Transfer,
		"collect":     r.Kits,
		"browse":      r.Browse,
		"modules":     r.Modules,
		"recognition": r.Recognition,
		"calendars":   r.Calendars,
		"fitting":     r.Fitting,
		"changes":     r.Changes,
		"credentials": r.Credentials,
		"judge":       r.Judge,
		"respond":     r.Respond,
		"run":         (*run.Service)(nil),
		"places":      r.Places,
		"audit":       r.Audit,
		"find":        r.Find,
		"addition":    r.Addition,
		"query":       r.Query,
		"devices":     r.Devices,
		"people":      r.People,
		"once":        r.Once,
		"attributes":  r.Attributes,
		"settings":    r.Settings,
	}
	slices.Sort(listed)
	listed = slices.Compact(listed) // some are asked in several ways
	var found []string
	for name, s := range services {
		for m := range reflect.TypeOf(s).Methods() {
			found = append(found, name+"."+m.Name)
		}
	}
	assert.ElementsMatch(t, found, listed)
}

// Whoever may do nothing, or only elsewhere, is refused by every method of every
// service; nothing is changed, told or emitted.
func TestServicesRefuseWhoMayNot(t *testing.T) {
	r, running, mine, _ := twoOrganisations(t)
	nobody := access.Actor{Kind: access.Person, ID: 99, Name: "nobody"}
	u, err := r.Store.Users.ByName(t.Context(), "puffin")
	require.NoError(t, err)
	elsewhere, err := r.People.Actor(t.Context(), u.ID, "")
	require.NoError(t, err)
	news, end := r.hub.Listen()
	defer end()
	for _, who := range []access.Actor{nobody, elsewhere} {
		for _, c := range calls(r, running, mine) {
			before := snapshot(t, r.Store)
			answer, err := c.ask(t.Context(), who)
			name := who.Name + ": " + c.name
			switch {
			case c.own:
			case c.shared && who.Name == elsewhere.Name:
				assert.NoError(t, err, name)
			case c.lists && who.Name == elsewhere.Name && err == nil:
			default:
				assert.True(t, refused(err), "%s: %v", name, err)
			}
			text, _ := json.Marshal(answer)
			assert.NotContains(t, strings.ToLower(string(text)), secretive, name)
			if err != nil && !strings.HasPrefix(c.name, "transfer.") { // which says again what was sent
				assert.NotContains(t, err.Error(), secretive, name)
			}
			if c.name != "places.Remove" { // which makes a place to remove
				assert.Equal(t, before, snapshot(t, r.Store), name)
			}
		}
	}
	select {
	case n := <-news:
		assert.Fail(t, "something was told", n)
	default:
	}
	noted, err := r.Store.Audit.Find(t.Context(), domain.EntryFilter{Refused: true, Limit: 1000})
	require.NoError(t, err)
	assert.NotEmpty(t, noted, "what is refused is noted")
}

// Of the same calls each is allowed to those who may: else the test above says nothing.
func TestServicesAllowWhoMay(t *testing.T) {
	r, running, mine, _ := twoOrganisations(t)
	for _, c := range calls(r, running, mine) {
		who := testkit.Anyone
		if own, err := r.People.Actor(t.Context(), mine.user, ""); err == nil { // until it is removed
			who = own
		}
		if c.whole || c.name == "places.Remove" || c.name == "people.Change" || c.name == "people.SetPassword" {
			who = testkit.Anyone
		}
		_, err := c.ask(t.Context(), who)
		if slices.Contains(
			[]string{
				"audit.Undo",
				"people.ChangePassword",
				"people.MakeToken",
				"people.SignOut",
				"people.Trust",
				"people.PrepareCodes",
				"people.PreparedCodes",
				"people.UseCodes",
				"people.StopCodes",
				"people.BeginPasskey",
				"people.AddPasskey",
				"people.BeginPasskeyTrust",
				"people.PasskeyTrust",
				"collect.Bring",
				"run.Simulated",
				"run.Break",
				"run.Mend",
				"respond.TryChannel",
				"watch.WhyValue",
			},
			c.name,
		) {
			continue // refused for other reasons: nobody's own, no kit, nothing simulated, not collected
		}
		assert.NoError(t, err, c.name)
	}
}

func refused(err error) bool {
	for _, is := range []error{domain.ErrForbidden, domain.ErrNotFound} {
		if err != nil && strings.Contains(err.Error(), is.Error()) {
			return true
		}
	}
	var line *exchange.LineError
	if e, ok := err.(*exchange.LineError); ok {
		line = e
	}
	return line != nil && strings.Contains(line.Err.Error(), "there is no device") || isField(err, "place") || isField(err, "via")
}

func isField(err error, name string) bool {
	fields, ok := err.(domain.FieldErrors)
	return ok && fields[name] != ""
}

// twoOrganisations has one of everything twice; the engine is at rest.
func twoOrganisations(t *testing.T) (running, *run.Service, held, held) {
	t.Helper()
	r := start(t)
	mine, theirs := hold(t, r, secretive, "192.0.2.1"), hold(t, r, "puffin", "192.0.2.1")
	updated(t, r, "ospf")
	return r, run.New(r.Store, r.Desk, r.Engine, store.UsualKeep(90), nil), mine, theirs
}

// snapshot is all that is stored, apart from what was refused and what the engine does
// by itself.
func snapshot(t *testing.T, s *store.Store) map[string]string {
	t.Helper()
	out := map[string]string{}
	for _, table := range []string{
		"places", "all_devices", "device_addresses", "fittings", "endpoints", "overrides", "parts", "series",
		"rules", "plans", "channels", "attributes", "calendars", "fitting_rules", "device_facts",
		"credentials", "incidents", "events", "deliveries", "sweeps", "finds", "users",
		"teams", "team_members", "grants", "tokens", "sign_ins", "browsers", "links", "code_factors",
		"recovery_codes", "passkeys", "providers", "identities", "keeps", "kit_versions"} {
		var sum string
		require.NoError(
			t,
			s.Pool().QueryRow(t.Context(), "SELECT coalesce(md5(string_agg(x::text, ',' ORDER BY "+
				"x::text)), '') FROM "+table+" x").Scan(&sum),
		)
		out[table] = sum
	}
	return out
}
