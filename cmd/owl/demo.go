package main

import (
	"context"
	"fmt"
	"time"

	"tirelessowl/internal/app"
	"tirelessowl/internal/config"
	"tirelessowl/internal/demo"
	"tirelessowl/internal/sim"
)

// The demo's secrets belong to stand-ins on loopback.
const (
	demoCommunity = "kittiwake-read"
	demoUser      = "kittiwake-watch"
	demoAuth      = "lantern on the quay"
	demoPriv      = "rope around the pier"
	demoDeskToken = "desk-of-kittiwake"
	demoAccounts  = "accounts-of-kittiwake"
	demoWatcher   = "lookout"
	demoWatchword = "tide-table-of-the-quay"
)

type smallDemo struct{}

// Run is "owl demo".
func (smallDemo) Run(ctx context.Context, c config.Config) error {
	arguments := func(origin time.Time) []string { return simArguments(c, origin) }
	return app.RunDemo(ctx, c, standIns(c), arguments, logger(c))
}

func standIns(c config.Config) app.StandIns {
	host, port := sim.MailHost(c.DemoBase)
	return app.StandIns{
		Control:   sim.ControlURL(c.DemoBase),
		DeskURL:   sim.DeskURL(c.DemoBase),
		MailURL:   sim.MailURL(c.DemoBase),
		MailHost:  host,
		MailPort:  port,
		Community: demoCommunity,
		DeskToken: demoDeskToken,
		Accounts:  sim.ProviderURL(c.DemoBase),

		AccountsSecret: demoAccounts,
		Watcher:        demo.Watcher{Name: demoUser, AuthPassword: demoAuth, PrivPassword: demoPriv},
		SignIn:         demo.SignIn{User: demoWatcher, Password: demoWatchword},
	}
}

// simArguments are what the demo starts its simulated estate with.
func simArguments(c config.Config, origin time.Time) []string {
	return []string{
		"sim",
		"--origin",
		origin.Format(time.RFC3339),
		"--demo-base",
		c.DemoBase.String(),
		"--demo-port",
		fmt.Sprint(c.DemoPort),
		"--data-dir",
		c.DataDir,
	}
}

type simulate struct {
	Origin time.Time `help:"When the estate began to live (RFC 3339); default now."`
}

// Run is "owl sim".
func (s simulate) Run(ctx context.Context, c config.Config) error {
	origin := s.Origin
	if origin.IsZero() {
		origin = time.Now()
	}
	settings := sim.Settings{
		Base:      c.DemoBase,
		Port:      c.DemoPort,
		Origin:    origin.UTC(),
		Community: demoCommunity,
		DeskToken: demoDeskToken,
		DataDir:   c.DataDir,
		User:      sim.NewSNMPUser(demoUser, demoAuth, demoPriv),

		ClientID:     demo.ClientID,
		ClientSecret: demoAccounts,
		Watcher:      sim.SignIn{User: demoWatcher, Password: demoWatchword},
		Databases:    true,
	}
	return sim.Run(ctx, settings, func() {})
}
