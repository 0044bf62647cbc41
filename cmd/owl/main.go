// Command owl is Tireless Owl: it watches devices and servers.
package main

import (
	"bufio"
	"context"
	"errors"
	"flag"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"strings"
	"syscall"
	"time"

	"tirelessowl/internal/app"
	"tirelessowl/internal/config"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/sim"
)

const usage = `owl watches devices and servers.

  owl serve [settings]      run the application
  owl demo [settings]       run it with a simulated estate and two weeks of history
  owl demo-large [settings]  run it with 2,000 simulated switches and 90 days of made-up history
  owl sim [settings] --origin TIME
                            run the simulated estate alone
  owl user add --name N --level L [--display D] [settings]
                            store a person; the password is read from standard input
  owl token create --name N --level L [settings]
                            make a key for the API and print it
  owl samples export [--format ndjson|csv|openmetrics] [--device D] [--part P] [--kit K]
              [--reading R] [--from TIME] [--to TIME] [--out FILE] [settings]
                            write samples; the last day by default, to standard output
  owl samples import --file FILE [--format F] [--check yes] [settings]
                            bring samples in, after checking the whole file; or only check
  owl help                  show this

Levels: see, operate, configure, administer.

Settings, by environment or flag:
`

// The demo's secrets belong to stand-ins on loopback.
const (
	demoCommunity = "kittiwake-read"
	demoDeskToken = "desk-of-kittiwake"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, os.Args[1:]); err != nil && !errors.Is(err, context.Canceled) {
		fmt.Fprintln(os.Stderr, "owl:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context, args []string) error {
	command := "help"
	if len(args) > 0 {
		command, args = args[0], args[1:]
	}
	switch command {
	case "serve", "demo":
		c, _, err := config.Load(args, os.Getenv)
		if err != nil {
			return err
		}
		if command == "serve" {
			return app.Serve(ctx, c, logger(c))
		}
		return app.RunDemo(ctx, c, standIns(c), func(origin time.Time) []string { return simArgs(c, origin) }, logger(c))
	case "demo-large":
		return largeDemo(ctx, args)
	case "fleet":
		return serveFleet(ctx, args)
	case "sim":
		return simulate(ctx, args)
	case "user", "token":
		return accounts(ctx, command, args)
	case "samples":
		return exchangeSamples(ctx, args)
	case "help", "--help", "-h":
		fmt.Print(usage)
		config.Help(os.Stdout)
		return nil
	}
	return fmt.Errorf("there is no command %q; see owl help", command)
}

func logger(c config.Config) *slog.Logger {
	var level slog.Level
	if level.UnmarshalText([]byte(c.LogLevel)) != nil {
		level = slog.LevelInfo
	}
	return slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level}))
}

func standIns(c config.Config) app.StandIns {
	host, port := sim.MailHost(c.DemoBase)
	return app.StandIns{Control: sim.ControlURL(c.DemoBase), DeskURL: sim.DeskURL(c.DemoBase), MailURL: sim.MailURL(c.DemoBase),
		MailHost: host, MailPort: port, Community: demoCommunity, DeskToken: demoDeskToken}
}

func simArgs(c config.Config, origin time.Time) []string {
	return []string{"sim", "--origin", origin.Format(time.RFC3339), "--demo-base", c.DemoBase.String(), "--demo-port", fmt.Sprint(c.DemoPort), "--data-dir", c.DataDir}
}

// take cuts one flag of a command's own out of the arguments.
func take(args []string, names ...string) (map[string]string, []string) {
	values := map[string]string{}
	var rest []string
	for i := 0; i < len(args); i++ {
		name, value, inline := strings.Cut(strings.TrimLeft(args[i], "-"), "=")
		own := false
		for _, n := range names {
			own = own || n == name && strings.HasPrefix(args[i], "-")
		}
		switch {
		case own && inline:
			values[name] = value
		case own && i+1 < len(args):
			i++
			values[name] = args[i]
		default:
			rest = append(rest, args[i])
		}
	}
	return values, rest
}

func simulate(ctx context.Context, args []string) error {
	own, rest := take(args, "origin")
	c, _, err := config.Load(rest, os.Getenv)
	if err != nil {
		return err
	}
	origin := time.Now().UTC()
	if own["origin"] != "" {
		if origin, err = time.Parse(time.RFC3339, own["origin"]); err != nil {
			return fmt.Errorf("--origin: %w", err)
		}
	}
	s := sim.Settings{Base: c.DemoBase, Port: c.DemoPort, Origin: origin, Community: demoCommunity, DeskToken: demoDeskToken, DataDir: c.DataDir}
	return sim.Run(ctx, s, func() {})
}

func accounts(ctx context.Context, command string, args []string) error {
	verb := ""
	if len(args) > 0 {
		verb, args = args[0], args[1:]
	}
	own, rest := take(args, "name", "level", "display")
	c, _, err := config.Load(rest, os.Getenv)
	if err != nil {
		return err
	}
	switch command + " " + verb {
	case "token create":
		return app.CreateToken(ctx, c, own["name"], own["level"])
	case "user add":
		fmt.Fprint(os.Stderr, "Password: ")
		line, err := bufio.NewReader(os.Stdin).ReadString('\n')
		if err != nil && line == "" {
			return errors.New("no password was given")
		}
		if own["display"] == "" {
			own["display"] = own["name"]
		}
		return app.AddUser(ctx, c, own["name"], own["display"], own["level"], domain.Secret(strings.TrimRight(line, "\r\n")))
	}
	return fmt.Errorf("%w; see owl help", flag.ErrHelp)
}
