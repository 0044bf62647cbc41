package main

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"path/filepath"

	"tirelessowl/internal/app"
	"tirelessowl/internal/config"
	"tirelessowl/internal/demo"
	"tirelessowl/internal/sim"
)

// The large demo's agents stand above those of the demo, and its data beside.
const (
	fleetOffset = 128 // in the third byte
	fleetPorts  = 4
)

func fleetAddress(c config.Config, i int) netip.Addr {
	return sim.Offset(c.DemoBase, fleetOffset+i/250, i%250+1)
}

// fleet is the simulated switches of the large demo, a process of its own.
type fleet struct {
	Devices int `default:"2000" help:"How many (${default})."`
}

// Validate keeps the fleet in bounds.
func (f fleet) Validate() error {
	if f.Devices < 1 || f.Devices > 20_000 {
		return errors.New("--devices: must be from 1 to 20000")
	}
	return nil
}

// Run is "owl fleet".
func (f fleet) Run(ctx context.Context, c config.Config) error {
	return sim.NewFleet(sim.Offset(c.DemoBase, fleetOffset, 0), f.Devices, fleetPorts).Serve(ctx, c.DemoPort, demoCommunity)
}

type largeDemo struct {
	fleet
	Days int `default:"90" help:"Days of history (${default})."`
}

// Validate keeps the demo in bounds.
func (d largeDemo) Validate() error {
	if d.Days < 1 || d.Days > 400 {
		return errors.New("--days: must be from 1 to 400")
	}
	return d.fleet.Validate()
}

// Run is "owl demo-large".
func (d largeDemo) Run(ctx context.Context, c config.Config) error {
	arguments := []string{
		"fleet",
		"--devices",
		fmt.Sprint(d.Devices),
		"--demo-base",
		c.DemoBase.String(),
		"--demo-port",
		fmt.Sprint(c.DemoPort),
	}
	c.DataDir = filepath.Join(c.DataDir, "large")
	at := func(i int) netip.Addr { return fleetAddress(c, i) }
	world := demo.Large{World: demo.World{Community: demoCommunity, Port: c.DemoPort}, At: at}
	return app.RunLargeDemo(ctx, c, app.LargeSize{Devices: d.Devices, Days: d.Days}, world, arguments, logger(c))
}
