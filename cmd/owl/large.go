package main

import (
	"context"
	"fmt"
	"net/netip"
	"os"
	"path/filepath"
	"strconv"

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

func largeSize(own map[string]string) app.LargeSize {
	size := app.LargeSize{Devices: 2000, Days: 90}
	if n, err := strconv.Atoi(own["devices"]); err == nil && n > 0 && n <= 20_000 {
		size.Devices = n
	}
	if n, err := strconv.Atoi(own["days"]); err == nil && n > 0 && n <= 400 {
		size.Days = n
	}
	return size
}

func fleetAddress(c config.Config, i int) netip.Addr {
	return sim.Offset(c.DemoBase, fleetOffset+i/250, i%250+1)
}

func largeDemo(ctx context.Context, args []string) error {
	own, rest := take(args, "devices", "days")
	c, _, err := config.Load(rest, os.Getenv)
	if err != nil {
		return err
	}
	size := largeSize(own)
	fleet := []string{"fleet", "--devices", fmt.Sprint(size.Devices), "--demo-base", c.DemoBase.String(), "--demo-port", fmt.Sprint(c.DemoPort)}
	c.DataDir = filepath.Join(c.DataDir, "large")
	world := demo.Large{World: demo.World{Community: demoCommunity, Port: c.DemoPort}, At: func(i int) netip.Addr { return fleetAddress(c, i) }}
	return app.RunLargeDemo(ctx, c, size, world, fleet, logger(c))
}

// serveFleet is what the large demo runs as its agents.
func serveFleet(ctx context.Context, args []string) error {
	own, rest := take(args, "devices")
	c, _, err := config.Load(rest, os.Getenv)
	if err != nil {
		return err
	}
	return sim.NewFleet(sim.Offset(c.DemoBase, fleetOffset, 0), largeSize(own).Devices, fleetPorts).Serve(ctx, c.DemoPort, demoCommunity)
}
