// Package web serves the screens.
package web

import (
	"context"
	"log/slog"
	"net/http"

	"tirelessowl/internal/demo"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/engine"
	"tirelessowl/internal/service/access"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/service/judge"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/store"
)

// Parts are what the screens need.
type Parts struct {
	Store       *store.Store
	Access      *access.Service
	Kits        *collect.Service
	Find        *find.Service
	Judge       *judge.Service
	Respond     *respond.Service
	Watch       *watch.Service
	Engine      *engine.Collector
	Hub         *engine.Hub
	Drill       Drill
	Log         *slog.Logger
	URL         string
	TestChannel func(ctx context.Context, id domain.ID, to string) (string, error)
}

// Drill breaks and mends things in a simulated estate.
type Drill interface {
	Devices(ctx context.Context) ([]demo.Device, error)
	Faults(ctx context.Context) ([]demo.Fault, error)
	Break(ctx context.Context, f demo.Fault) (demo.Fault, error)
	Mend(ctx context.Context, id int) (demo.Fault, error)
	Sites() (desk, mail string)
}

// New builds the handler.
func New(p Parts) (http.Handler, error) { return http.NotFoundHandler(), nil }
