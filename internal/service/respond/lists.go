package respond

import (
	"context"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/tag"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Listed is an incident with what a list shows of it besides.
type Listed struct {
	domain.Incident
	Device string
	Ticket *domain.Ticket // nil where there is none
}

// Incidents returns incidents, and how many match in all.
func (s *Service) Incidents(ctx context.Context, who access.Actor, f domain.IncidentFilter) ([]Listed, int64, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRespond)
	if err != nil {
		return nil, 0, err
	}
	if err := understand(ctx, seen, &f); err != nil {
		return nil, 0, err
	}
	found, total, err := seen.Incidents.Find(ctx, f)
	if err != nil || len(found) == 0 {
		return nil, total, err
	}
	out, err := listed(ctx, seen, found)
	return out, total, err
}

// listed adds what a list shows of incidents besides.
func listed(ctx context.Context, seen *store.Seen, found []domain.Incident) ([]Listed, error) {
	ids, devices := make([]domain.ID, len(found)), make([]domain.ID, len(found))
	for i, in := range found {
		ids[i], devices[i] = in.ID, in.DeviceID
	}
	names, err := seen.Devices.Names(ctx, devices)
	if err != nil {
		return nil, err
	}
	tickets, _, err := seen.Tickets.Find(ctx, domain.TicketFilter{Incidents: ids, Limit: len(ids)})
	if err != nil {
		return nil, err
	}
	by := make(map[domain.ID]*domain.Ticket, len(tickets))
	for _, t := range tickets {
		by[t.IncidentID] = &t
	}
	out := make([]Listed, len(found))
	for i, in := range found {
		out[i] = Listed{in, names[in.DeviceID], by[in.ID]}
	}
	return out, nil
}

// Repeated is an incident with how often the same came before.
type Repeated struct {
	Listed
	Times   int
	FirstAt time.Time
}

// Repeats returns incidents with one row for all of a device and cause, the newest, and how
// many such rows match in all.
func (s *Service) Repeats(ctx context.Context, who access.Actor, f domain.IncidentFilter) ([]Repeated, int64, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRespond)
	if err != nil {
		return nil, 0, err
	}
	if err := understand(ctx, seen, &f); err != nil {
		return nil, 0, err
	}
	found, total, err := seen.Incidents.FindRepeated(ctx, f)
	if err != nil || len(found) == 0 {
		return nil, total, err
	}
	incidents := make([]domain.Incident, len(found))
	for i, x := range found {
		incidents[i] = x.Incident
	}
	rows, err := listed(ctx, seen, incidents)
	if err != nil {
		return nil, 0, err
	}
	out := make([]Repeated, len(rows))
	for i, row := range rows {
		out[i] = Repeated{row, found[i].Times, found[i].FirstAt}
	}
	return out, total, nil
}

// understand makes of a search such as “#night” one for a tag of incidents, and of one such
// as “role=standby” one for devices for which that holds.
func understand(ctx context.Context, seen *store.Seen, f *domain.IncidentFilter) (err error) {
	if name, is := strings.CutPrefix(f.Search, "#"); is && tag.Valid(name) {
		f.Search, f.Tag = "", name
		return nil
	}
	if f.Picked, err = seen.Picked(ctx, f.Search); f.Picked != nil {
		f.Search = ""
	}
	return err
}

// Alerts returns alerts, newest first, and how many match in all where a page is asked for.
func (s *Service) Alerts(ctx context.Context, who access.Actor, f domain.AlertFilter) ([]domain.Alert, int64, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRespond)
	if err != nil {
		return nil, 0, err
	}
	return seen.Alerts.Find(ctx, f)
}

// Alert returns one alert, or ErrNotFound.
func (s *Service) Alert(ctx context.Context, who access.Actor, id domain.ID) (domain.Alert, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRespond)
	if err != nil {
		return domain.Alert{}, err
	}
	return seen.Alerts.One(ctx, id)
}

// Event returns one entry of a story, or ErrNotFound.
func (s *Service) Event(ctx context.Context, who access.Actor, id domain.ID) (domain.Event, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRespond)
	if err != nil {
		return domain.Event{}, err
	}
	return seen.Events.One(ctx, id)
}

// Deliveries returns deliveries, newest first, and how many match in all where a page is
// asked for.
func (s *Service) Deliveries(ctx context.Context, who access.Actor, f domain.DeliveryFilter) ([]domain.Delivery, int64, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRespond)
	if err != nil {
		return nil, 0, err
	}
	return seen.Deliveries.Find(ctx, f)
}

// Delivery returns one delivery, or ErrNotFound.
func (s *Service) Delivery(ctx context.Context, who access.Actor, id domain.ID) (domain.Delivery, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRespond)
	if err != nil {
		return domain.Delivery{}, err
	}
	return seen.Deliveries.One(ctx, id)
}

// Tickets returns tickets, newest first, and how many match in all where a page is asked for.
func (s *Service) Tickets(ctx context.Context, who access.Actor, f domain.TicketFilter) ([]domain.Ticket, int64, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRespond)
	if err != nil {
		return nil, 0, err
	}
	return seen.Tickets.Find(ctx, f)
}

// Judged is what a series and the rules on it are now, for those who look at its
// alerts.
type Judged struct {
	Rules  map[domain.ID]rule.Rule
	Series map[domain.ID]domain.Series
	Latest map[domain.ID]store.Latest
}

// Judged returns the rules, the series of some alerts and their newest values.
func (s *Service) Judged(ctx context.Context, who access.Actor, alerts []domain.Alert) (out Judged, err error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRespond)
	if err != nil {
		return out, err
	}
	rules, err := seen.Rules.All(ctx)
	if err != nil {
		return out, err
	}
	out.Rules, out.Series = map[domain.ID]rule.Rule{}, map[domain.ID]domain.Series{}
	for _, r := range rules {
		out.Rules[r.ID] = r
	}
	ids := make([]domain.ID, len(alerts))
	for i, a := range alerts {
		ids[i] = a.SeriesID
	}
	series, err := seen.Series.Some(ctx, ids)
	for _, x := range series {
		out.Series[x.ID] = x
	}
	out.Latest = seen.Values.LatestIn(domain.IDsOf(series))
	return out, err
}
