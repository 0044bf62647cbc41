package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/calendars"
)

// CalendarDraft is what people may change of a calendar.
type CalendarDraft struct {
	Name  string `json:"name" minLength:"1" maxLength:"200" example:"Office"`
	Hours string `json:"hours" minLength:"1" maxLength:"2000" example:"Mon-Fri 07:00-19:00, not 12-24..12-26 Europe/Vienna"`
}

// Calendar is hours that have a name.
type Calendar struct {
	ID int64 `json:"id" example:"3"`
	CalendarDraft
	Open    bool   `json:"open" doc:"Whether it is within the hours now"`
	Turns   Moment `json:"turns_at" doc:"When that changes; null where it does not within a year"`
	Devices int    `json:"devices" doc:"For how many devices it holds" example:"12"`
	Version int    `json:"version" example:"3"`
}

func calendarOf(c calendars.Calendar) Calendar {
	return Calendar{c.ID, CalendarDraft{c.Name, c.Hours}, c.Open, Moment{c.Turns}, c.Devices, c.Version}
}

func (c Calendar) mark() string { return markOf(c.Version) }

func (c Calendar) at(order string) (string, domain.ID) {
	if order == "name" {
		return c.Name, c.ID
	}
	return "", c.ID
}

func (a *api) calendars() {
	list(a, operation{http.MethodGet, "/calendars", "List calendars", domain.AreaRun, domain.AccessSee}, orders{"name", "id"},
		func(ctx context.Context, in SearchFilter) ([]Calendar, error) {
			all, err := a.Calendars.All(ctx, caller(ctx))
			return some(all, func(c calendars.Calendar) bool { return holds(c.Name, in.Search) }, calendarOf), err
		})
	kept[Calendar, CalendarDraft]{
		path:  "/calendars",
		one:   "a calendar",
		area:  domain.AreaRun,
		see:   domain.AccessSee,
		level: domain.AccessConfigure,
		get:   a.calendar,
		draft: func(_ context.Context, c Calendar) (CalendarDraft, error) { return c.CalendarDraft, nil },
		make: func(ctx context.Context, who access.Actor, d CalendarDraft) (domain.ID, error) {
			c, err := a.Calendars.Save(ctx, who, domain.Calendar{Name: d.Name, Hours: d.Hours})
			return c.ID, err
		},
		change: func(ctx context.Context, who access.Actor, id domain.ID, d CalendarDraft, version int) error {
			_, err := a.Calendars.Save(ctx, who, domain.Calendar{ID: id, Name: d.Name, Hours: d.Hours, Version: version})
			return err
		},
		remove: a.Calendars.Remove,
	}.register(a)
	type trial struct {
		ByID
		Body CalendarDraft
	}
	add(a, operation{http.MethodPost, "/calendars/{id}/rehearsal", "What other hours of a calendar would be, and for what", domain.AreaRun,
		domain.AccessConfigure},
		func(ctx context.Context, in *trial) (*Body[why.Trace], error) {
			return one(a.Calendars.Rehearse(ctx, caller(ctx), domain.Calendar{ID: in.ID, Name: in.Body.Name, Hours: in.Body.Hours}))
		})
}

func (a *api) calendar(ctx context.Context, who access.Actor, id domain.ID) (Calendar, error) {
	all, err := a.Calendars.All(ctx, who)
	for _, c := range all {
		if c.ID == id {
			return calendarOf(c), nil
		}
	}
	if err == nil {
		err = domain.ErrNotFound
	}
	return Calendar{}, err
}
