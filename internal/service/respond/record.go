// Package respond turns changes of health into alerts, incidents and
// deliveries, and lets people act on incidents.
package respond

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"tirelessowl/internal/core/channel"
	"tirelessowl/internal/core/estate"
	"tirelessowl/internal/core/incident"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/plan"
	"tirelessowl/internal/core/tag"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// Service is the use cases of responding.
type Service struct {
	store *store.Store
	desk  *act.Desk // nil where only changes are recorded
	// url is where people reach the screens, for links in messages.
	url string
	// wake tells the outbox that there is something to deliver.
	wake func()
	// kinds are those of channels, and tryer tries one.
	kinds channel.Kinds
	tryer Tryer
	// past is true while history is loaded: nobody is told of it.
	past bool
}

// Tryer tries a channel.
type Tryer interface {
	Try(ctx context.Context, kind string, at channel.Opened, to string) (outcome string, err error)
}

// New returns the service. wake is called after deliveries were written.
func New(s *store.Store, desk *act.Desk, kinds channel.Kinds, t Tryer, url string, wake func()) *Service {
	return &Service{store: s, desk: desk, kinds: kinds, tryer: t, url: url, wake: wake}
}

// Past returns a recorder for history: it tells nobody.
func (s *Service) Past() *Service {
	return &Service{store: s.store, url: s.url, wake: func() {}, past: true}
}

// Recorded names the number of what was recorded last.
const Recorded = "judge.recorded"

// Record keeps changes of health with all that follows from them, in one
// transaction. number is larger each time that something else is recorded:
// what was recorded already, though whoever asked did not hear of it, is not
// recorded again. 0 is not looked at.
func (s *Service) Record(ctx context.Context, number int64, found estate.Result) error {
	err := s.store.InTx(ctx, func(tx *store.Areas) error {
		if number > 0 {
			if fresh, err := tx.Settings.Advance(ctx, Recorded, number); err != nil || !fresh {
				return err
			}
		}
		r := recording{Service: s, tx: tx, watched: map[domain.ID]bool{}, tagged: map[domain.ID]inherit.Attributes{}}
		for _, j := range found.Judged {
			if err := r.judged(ctx, j); err != nil {
				return fmt.Errorf("%s on %s: %w", j.Rule.Name, j.Device.Name, err)
			}
		}
		for _, h := range found.Health {
			if err := r.health(ctx, h); err != nil {
				return err
			}
		}
		return tx.Transitions.Add(ctx, r.transitions)
	})
	if err == nil {
		s.wake()
	}
	return err
}

// recording is the work within one transaction.
type recording struct {
	*Service
	tx          *store.Areas
	transitions []domain.Transition
	watched     map[domain.ID]bool
	places      []domain.Place
	tagged      map[domain.ID]inherit.Attributes // of devices and their parts, by device
}

// isWatched tells whether a device is there still: what was judged just before it
// was removed begins nothing.
func (r *recording) isWatched(ctx context.Context, id domain.ID) (bool, error) {
	is, known := r.watched[id]
	if known {
		return is, nil
	}
	is, err := r.tx.Devices.Watched(ctx, id)
	r.watched[id] = is
	return is, err
}

func (r *recording) health(ctx context.Context, h estate.HealthChange) error {
	if is, err := r.isWatched(ctx, h.Device.ID); err != nil || !is {
		return err
	}
	if h.From == h.To { // another root of the same silence
		return r.tx.Devices.SetBehind(ctx, h.Device.ID, h.Behind, h.Reason)
	}
	r.transitions = append(r.transitions, domain.Transition{DeviceID: h.Device.ID, From: h.From, To: h.To, At: h.At, Reason: h.Reason,
		BehindID: h.Behind, Why: h.Why})
	return r.tx.Devices.SetHealth(ctx, h.Device.ID, h.To, h.At, h.Reason, h.Behind)
}

func (r *recording) judged(ctx context.Context, j estate.Judged) error {
	if is, err := r.isWatched(ctx, j.Device.ID); err != nil || !is {
		return err
	}
	r.transitions = append(r.transitions, domain.Transition{DeviceID: j.Device.ID, SeriesID: j.Series.ID, RuleID: j.Rule.ID,
		From: domain.HealthOf(j.From), To: domain.HealthOf(j.To), At: j.At, Reason: j.Reason(), Held: j.Held, Why: j.Why})
	st := store.RuleState{RuleID: j.Rule.ID, SeriesID: j.Series.ID, Level: j.To, Held: j.Held && j.To > 0, Since: j.At, Why: j.Why}
	if err := r.tx.Rules.SetState(ctx, st); err != nil {
		return err
	}
	if j.Held {
		return nil // out of reach: no alert may follow
	}
	alert, err := r.tx.Alerts.Open(ctx, j.Rule.ID, j.Series.ID)
	switch {
	case errors.Is(err, domain.ErrNotFound):
		if j.To == domain.LevelNone {
			return nil
		}
		return r.open(ctx, j)
	case err != nil:
		return err
	case j.To == domain.LevelNone:
		return r.end(ctx, j, alert)
	}
	return r.change(ctx, j, alert)
}

// open begins an alert, within a new or a known incident.
func (r *recording) open(ctx context.Context, j estate.Judged) error {
	cause := incident.Cause(j.Rule.Cause, j.Series.Part)
	known, err := r.tx.Incidents.LockCause(ctx, j.Device.ID, cause)
	if err != nil {
		return err
	}
	title := estate.Title(j.Rule, j.Device, j.Series)
	action, id, trace := incident.Assign(j.Device.ID, cause, j.At, known)
	in := domain.Incident{
		DeviceID:  j.Device.ID,
		Cause:     cause,
		Title:     title,
		Level:     j.To,
		Worst:     j.To,
		State:     domain.IncidentOpen,
		OpenedAt:  j.At,
		EpisodeAt: j.At,
		Why:       trace,
	}
	kind := domain.EventAlert
	if action != incident.Start {
		in = known[slices.IndexFunc(known, func(x domain.Incident) bool { return x.ID == id })]
		before := in.Level
		in.Level, in.RecoveredAt = max(in.Level, j.To), time.Time{}
		switch {
		case action == incident.Reopen:
			kind = domain.EventReopened
			in.State, in.EpisodeAt, in.Level, in.Worst, in.Reopened = domain.IncidentOpen, j.At, j.To, j.To, in.Reopened+1
			in.FellAt, in.FellTo = time.Time{}, domain.LevelNone
			in.ResolvedAt, in.ResolvedBy, in.AcknowledgedAt, in.AcknowledgedBy, in.Title = time.Time{}, "", time.Time{}, "", title
		case in.Level > before:
			kind, in.Title = domain.EventRaised, title
		}
		in.Worst = max(in.Worst, in.Level)
	}
	tags, err := r.tags(ctx, j)
	if err != nil {
		return err
	}
	in.Tags = tag.Union(in.Tags, tags)
	if in, err = r.tx.Incidents.Save(ctx, in); err != nil {
		return err
	}
	alert, err := r.tx.Alerts.Save(
		ctx,
		domain.Alert{RuleID: j.Rule.ID, SeriesID: j.Series.ID, DeviceID: j.Device.ID, IncidentID: in.ID, Level: j.To, Cause: cause,
			Title: title, FirstBadAt: j.FirstBadAt, OpenedAt: j.At, Value: j.Value, Limit: j.Limit, Unit: j.Rule.Unit, Why: j.Why},
	)
	if err != nil {
		return err
	}
	first := domain.Event{
		IncidentID: in.ID,
		At:         j.FirstBadAt,
		Kind:       domain.EventFirstBad,
		Text:       "First value beyond a limit",
		AlertID:    alert.ID,
		Detail:     fmt.Sprintf("%s, collected every %s", seriesName(j.Series), units.Span(j.Series.Every)),
	}
	if _, err := r.tx.Events.Add(ctx, first); err != nil {
		return err
	}
	// The plan is asked about an alert that joins too: its level may be new.
	return r.tell(ctx, in, j, alert.ID, kind, title, j.Reason())
}

// tags are those of an alert: of its rule and its reading, and what holds for its device
// and its part.
func (r *recording) tags(ctx context.Context, j estate.Judged) ([]string, error) {
	all, known := r.tagged[j.Device.ID]
	if !known {
		set, err := r.tx.Attributes.Along(ctx, j.Device.PlaceID, j.Device.ID)
		if err != nil {
			return nil, err
		}
		if r.places == nil {
			if r.places, err = r.tx.Places.All(ctx); err != nil {
				return nil, err
			}
		}
		all = inherit.NewAttributes(r.places, set)
		r.tagged[j.Device.ID] = all
	}
	var held []string
	for _, a := range all.Of(inherit.Where{Place: j.Device.PlaceID, Device: j.Device.ID, Part: j.Series.PartID}) {
		if a.Tag {
			held = append(held, a.Name)
		}
	}
	return tag.Union(j.Rule.Tags, j.Series.Tags, held), nil
}

// change moves a lasting alert to another level.
func (r *recording) change(ctx context.Context, j estate.Judged, alert domain.Alert) error {
	in, err := r.tx.Incidents.Lock(ctx, alert.IncidentID)
	if err != nil {
		return err
	}
	kind, text := domain.EventEased, "Eased to "+j.To.String()
	if j.To > alert.Level {
		kind, text = domain.EventRaised, "Got worse: "+j.To.String()
	}
	alert.Level, alert.Value, alert.Limit, alert.Why = j.To, j.Value, j.Limit, j.Why
	if _, err := r.tx.Alerts.Save(ctx, alert); err != nil {
		return err
	}
	if in, _, err = r.level(ctx, in, j); err != nil {
		return err
	}
	return r.tell(ctx, in, j, alert.ID, kind, text, j.Reason())
}

// level sets an incident to the worst of its lasting alerts, whose title it then
// has, and tells whether there are any.
func (r *recording) level(ctx context.Context, in domain.Incident, j estate.Judged) (domain.Incident, bool, error) {
	alerts, err := r.tx.Alerts.Of(ctx, in.ID)
	if err != nil {
		return in, false, err
	}
	var worst domain.Alert
	for _, a := range alerts {
		if a.EndedAt.IsZero() && a.Level > worst.Level {
			worst = a
		}
	}
	if worst.ID == 0 {
		return in, false, nil
	}
	switch {
	case worst.Level < in.Level:
		in.FellAt, in.FellTo, in.Title = j.At, worst.Level, worst.Title
	case worst.Level > in.Level:
		in.Title = worst.Title
	}
	in.Level, in.Worst = worst.Level, max(in.Worst, worst.Level)
	in, err = r.tx.Incidents.Save(ctx, in)
	return in, true, err
}

// end closes an alert; with the last one the incident has recovered.
func (r *recording) end(ctx context.Context, j estate.Judged, alert domain.Alert) error {
	alert.EndedAt, alert.Value = j.At, j.Value
	if _, err := r.tx.Alerts.Save(ctx, alert); err != nil {
		return err
	}
	in, err := r.tx.Incidents.Lock(ctx, alert.IncidentID)
	if err != nil {
		return err
	}
	before := in.Level
	in, lasting, err := r.level(ctx, in, j)
	if err != nil {
		return err
	}
	if lasting {
		text := "Ended: " + alert.Title
		if in.Level < before {
			text += "; now " + in.Level.String()
		}
		return r.tell(ctx, in, j, alert.ID, domain.EventEased, text, j.Reason())
	}
	in.RecoveredAt, in.Level = j.At, in.Worst
	if in.State != domain.IncidentResolved {
		in.State, in.ResolvedAt, in.ResolvedBy = domain.IncidentResolved, j.At, "recovery"
	}
	if in, err = r.tx.Incidents.Save(ctx, in); err != nil {
		return err
	}
	return r.tell(ctx, in, j, alert.ID, domain.EventRecovered, "Recovered after "+units.Span(max(0, j.At.Sub(in.EpisodeAt))), j.Reason())
}

// tell writes the event into the story and lets the plans act on it.
func (r *recording) tell(
	ctx context.Context,
	in domain.Incident,
	j estate.Judged,
	alertID domain.ID,
	kind domain.EventKind,
	text, detail string,
) error {
	ev := domain.Event{IncidentID: in.ID, At: j.At, Kind: kind, Level: j.To, Text: text, Detail: detail, AlertID: alertID, Why: j.Why}
	if kind == domain.EventRecovered {
		ev.Level = domain.LevelNone
	}
	met, err := hint(ctx, r.tx.Sources, j.Device.ID, j.Rule.Kit)
	if err != nil {
		return err
	}
	m := message{
		device:  j.Device.Name,
		title:   in.Title,
		reason:  detail,
		met:     met.Met,
		runbook: met.Runbook(j.Rule.Runbook),
		since:   in.EpisodeAt,
		at:      j.At,
	}
	trace, err := r.act(ctx, in, ev, m)
	if err != nil {
		return err
	}
	for _, t := range trace {
		ev.Why.Include(t.Question, t)
	}
	_, err = r.tx.Events.Add(ctx, ev)
	return err
}

// act asks every plan and puts deliveries into the outbox.
func (r *recording) act(ctx context.Context, in domain.Incident, ev domain.Event, m message) ([]why.Trace, error) {
	if r.past {
		t := why.Trace{Question: "Who was told?", Answer: "nobody"}
		t.Because("This comes from loaded history", "response plans act on the present only", nil)
		return []why.Trace{t}, nil
	}
	plans, err := r.tx.Plans.All(ctx)
	if err != nil {
		return nil, err
	}
	sent, err := r.tx.Deliveries.Of(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	times, err := r.tx.Incidents.CountCause(ctx, in.DeviceID, in.Cause)
	if err != nil {
		return nil, err
	}
	m.before = times - 1
	var traces []why.Trace
	for _, p := range plans {
		actions, trace := plan.Decide(p, plan.EventOf(ev.Kind, in), plan.PastOf(p, in, sent))
		traces = append(traces, trace)
		for _, a := range actions {
			if err := r.enqueue(ctx, in, p, a, ev, m); err != nil {
				return nil, err
			}
		}
	}
	return traces, nil
}

func (r *recording) enqueue(ctx context.Context, in domain.Incident, p plan.Plan, a plan.Action, ev domain.Event, m message) error {
	subject, body := m.write(r.url, in, ev)
	if a.Step.Kind == domain.DeliverNote {
		body = m.note(ev)
	}
	a.Why.Because("The incident: "+in.Title, ev.Text+": "+ev.Detail, why.To("incident", in.ID))
	_, err := r.tx.Deliveries.Add(
		ctx,
		domain.Delivery{IncidentID: in.ID, Plan: p.Name, Step: a.Step.Key, Event: ev.Kind, Level: in.Level, Kind: a.Step.Kind,
			ChannelID: a.Step.ChannelID, Recipient: a.Recipient, Subject: subject, Body: body, CreatedAt: ev.At, Why: a.Why},
	)
	return err
}

func seriesName(s estate.Series) string {
	if s.Part == "" {
		return s.Name
	}
	return s.Part + " " + s.Name
}
