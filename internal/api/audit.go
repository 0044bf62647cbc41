package api

import (
	"context"
	"encoding/json"
	"net/http"
	"time"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/audit"
)

// Entry is one thing that was done, or refused.
type Entry struct {
	ID        int64           `json:"id" example:"900"`
	At        Moment          `json:"at"`
	ActorKind string          `json:"actor_kind" enum:"person,token,application" example:"person"`
	ActorID   Ref             `json:"actor_id"`
	Actor     string          `json:"actor" example:"Ines"`
	Origin    string          `json:"origin" example:"192.0.2.9" doc:"The address that it came from"`
	Act       string          `json:"act" example:"pause a device"`
	Refused   bool            `json:"refused" example:"false"`
	Kind      string          `json:"kind" example:"device" doc:"Of the thing"`
	ThingID   Ref             `json:"thing_id"`
	Thing     string          `json:"thing" example:"gr-sw-1" doc:"Its name then"`
	PlaceID   Ref             `json:"place_id"`
	Before    json.RawMessage `json:"before,omitempty" doc:"The thing as it was"`
	After     json.RawMessage `json:"after,omitempty" doc:"The thing as it became"`
	Changes   []Difference    `json:"changes" nullable:"false"`
	Reason    string          `json:"reason"`
}

// Difference is what was changed of a thing.
type Difference struct {
	Name   string `json:"name" example:"paused"`
	Before string `json:"before" example:"false"`
	After  string `json:"after" example:"true"`
}

func entryOf(r audit.Row) Entry {
	return Entry{
		ID:        r.ID,
		At:        Moment{r.At},
		ActorKind: r.ActorKind,
		ActorID:   Ref(r.ActorID),
		Actor:     r.Actor,
		Origin:    r.Origin,
		Act:       r.Act,
		Refused:   r.Refused,
		Kind:      r.Kind,
		ThingID:   Ref(r.ThingID),
		Thing:     r.Thing,
		PlaceID:   Ref(r.PlaceID),
		Before:    r.Before,
		After:     r.After,
		Changes:   differences(r.Changes),
		Reason:    r.Reason,
	}
}

func differences(changes []audit.Change) []Difference {
	return every(changes, func(c audit.Change) Difference { return Difference{c.Name, c.Before, c.After} })
}

func (e Entry) at(string) (string, domain.ID) { return "", e.ID }

// AuditFilter picks entries of the audit.
type AuditFilter struct {
	Paging
	Search  string    `query:"q" maxLength:"200"`
	Kind    string    `query:"kind" maxLength:"100" doc:"Of the thing, such as device"`
	ThingID int64     `query:"thing_id" minimum:"1"`
	ActorID int64     `query:"actor_id" minimum:"1" doc:"A person or a token, with actor_kind"`
	Actor   string    `query:"actor_kind" enum:"person,token,application"`
	Act     string    `query:"act" maxLength:"200" doc:"What was done, such as pause a device"`
	Refused bool      `query:"refused" doc:"Only what was refused"`
	From    time.Time `query:"from"`
	Until   time.Time `query:"to" doc:"End, left out"`
}

// Undone is what undoing something would do.
type Undone struct {
	Possible bool         `json:"possible"`
	Why      why.Trace    `json:"why"`
	Changes  []Difference `json:"changes" nullable:"false" doc:"Of the thing as it is now"`
}

func (a *api) audit() {
	pages(a, operation{http.MethodGet, "/audit", "List what was done, or refused, by whom", domain.AreaRun, domain.AccessSee},
		orders{"-id"},
		func(ctx context.Context, in AuditFilter, p domain.Page) ([]Entry, int64, error) {
			found, err := a.Audit.Find(ctx, caller(ctx), domain.EntryFilter{
				Search:    in.Search,
				Kind:      in.Kind,
				ThingID:   in.ThingID,
				ActorKind: in.Actor,
				ActorID:   in.ActorID,
				Act:       in.Act,
				Refused:   in.Refused,
				From:      in.From,
				Until:     in.Until,
				Page:      &p,
			})
			return every(found.Rows, entryOf), found.Total, err
		})
	add(a, operation{http.MethodGet, "/audit/{id}", "Read an entry of the audit", domain.AreaRun, domain.AccessSee},
		func(ctx context.Context, in *ByID) (*Body[Entry], error) {
			r, err := a.Audit.One(ctx, caller(ctx), in.ID)
			return one(entryOf(r), err)
		})
	add(a, operation{http.MethodGet, "/audit/{id}/undo", "What undoing it would do, and what is against it", domain.AreaRun,
		domain.AccessSee},
		func(ctx context.Context, in *ByID) (*Body[Undone], error) {
			u, err := a.Audit.RehearseUndo(ctx, caller(ctx), in.ID)
			return one(Undone{u.Possible, u.Why, differences(u.Changes)}, err)
		})
	add(a, operation{http.MethodPost, "/audit/{id}/undo", "Undo it", domain.AreaRun, domain.AccessSee},
		func(ctx context.Context, in *ByID) (*none, error) { return nil, a.Audit.Undo(ctx, caller(ctx), in.ID) })
}
