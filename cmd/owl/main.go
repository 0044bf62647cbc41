// Command owl is Tireless Owl: it watches devices and servers.
package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/signal"
	"syscall"
	_ "time/tzdata" // zones, also where the machine has none

	"github.com/alecthomas/kong"

	"tirelessowl/internal/app"
	"tirelessowl/internal/config"
)

// cli is the command line: the settings, and one field for each command.
type cli struct {
	config.Config

	Serve     serve     `cmd:"" help:"Run the application."`
	Demo      smallDemo `cmd:"" help:"Run it with a simulated estate and two weeks of history."`
	DemoLarge largeDemo `cmd:"" help:"Run it with simulated switches and a made-up history."`
	Sim       simulate  `cmd:"" help:"Run the simulated estate alone."`
	Fleet     fleet     `cmd:"" help:"Run the simulated switches of the large demo."            hidden:""`
	User      struct {
		Add      userAdd      `cmd:"" help:"Store a person; the password is read from standard input."`
		List     userList     `cmd:"" help:"Tell who may sign in."`
		Password userPassword `cmd:"" help:"Set the password of a person, read from standard input; all sign-ins end."`
	} `cmd:"" help:"People who may sign in."`
	Token struct {
		Create tokenCreate `cmd:"" help:"Make a key for the API and print it."`
		List   tokenList   `cmd:"" help:"Tell which keys there are."`
		Remove tokenRemove `cmd:"" help:"Take a key back: it opens nothing any more."`
	} `cmd:"" help:"Keys for the API."`
	Key struct {
		Rotate keyRotate `cmd:"" help:"Seal all secrets with a new key; the application must be stopped."`
	} `cmd:"" help:"The key of the secrets."`
	Samples struct {
		Export samplesExport `cmd:"" help:"Write samples; the last day by default, to standard output."`
		Import samplesImport `cmd:"" help:"Bring samples in after checking the whole file, or only check it."`
	} `cmd:"" help:"Samples out and in."`
}

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	// The first signal lets us end in order; a second one ends at once.
	context.AfterFunc(ctx, stop)
	config.ForgetEmpty()
	if err := run(ctx, os.Args[1:], os.Stdout); err != nil && !errors.Is(err, context.Canceled) {
		fmt.Fprintln(os.Stderr, "owl:", err)
		os.Exit(1)
	}
}

// run does what the arguments say; help goes to out.
func run(ctx context.Context, args []string, out io.Writer) error {
	if len(args) == 0 {
		args = []string{"help"}
	}
	if args[0] == "help" {
		args = append(args[1:], "--help")
	}
	var c cli
	helped := false
	parser, err := kong.New(&c, kong.Name("owl"), kong.Description("Tireless Owl watches devices and servers."),
		kong.Writers(out, os.Stderr), kong.Exit(func(int) { helped = true }), kong.BindTo(ctx, (*context.Context)(nil)))
	if err != nil {
		return err
	}
	command, err := parser.Parse(args)
	if helped {
		return nil
	}
	if err != nil {
		return fmt.Errorf("%w; see owl help", err)
	}
	return command.Run(c.Config)
}

func logger(c config.Config) *slog.Logger {
	var level slog.Level
	_ = level.UnmarshalText([]byte(c.LogLevel)) // it is one of the four
	return slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level}))
}

type serve struct{}

// Run is "owl serve".
func (serve) Run(ctx context.Context, c config.Config) error { return app.Serve(ctx, c, logger(c)) }
