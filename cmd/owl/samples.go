package main

import (
	"bufio"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"tirelessowl/internal/app"
	"tirelessowl/internal/config"
	"tirelessowl/internal/core/exchange"
	"tirelessowl/internal/service/transfer"
)

// exchangeSamples is "owl samples export" and "owl samples import".
func exchangeSamples(ctx context.Context, args []string) error {
	verb := ""
	if len(args) > 0 {
		verb, args = args[0], args[1:]
	}
	own, rest := take(args, "format", "device", "part", "kit", "reading", "from", "to", "out", "file", "check")
	c, _, err := config.Load(rest, os.Getenv)
	if err != nil {
		return err
	}
	f, err := formatOf(own)
	if err != nil {
		return err
	}
	switch verb {
	case "export":
		return exportSamples(ctx, c, f, own)
	case "import":
		return importSamples(ctx, c, f, own)
	}
	return fmt.Errorf("%w; see owl help", flag.ErrHelp)
}

// formatOf is the format asked for, else that of the file's name, else NDJSON.
func formatOf(own map[string]string) (exchange.Format, error) {
	if own["format"] != "" {
		return exchange.ParseFormat(own["format"])
	}
	for _, f := range exchange.Formats {
		if strings.HasSuffix(own["file"]+own["out"], f.Extension()) {
			return f, nil
		}
	}
	return exchange.NDJSON, nil
}

func exportSamples(ctx context.Context, c config.Config, f exchange.Format, own map[string]string) (err error) {
	sel := transfer.Selection{Device: own["device"], Part: own["part"], Kit: own["kit"], Reading: own["reading"], To: time.Now().UTC()}
	if own["to"] != "" {
		if sel.To, err = time.Parse(time.RFC3339, own["to"]); err != nil {
			return fmt.Errorf("--to: %w", err)
		}
	}
	sel.From = sel.To.AddDate(0, 0, -1)
	if own["from"] != "" {
		if sel.From, err = time.Parse(time.RFC3339, own["from"]); err != nil {
			return fmt.Errorf("--from: %w", err)
		}
	}
	var out io.Writer = os.Stdout
	if own["out"] != "" {
		file, err := os.OpenFile(own["out"], os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
		if err != nil {
			return err
		}
		defer func() { err = errors.Join(err, file.Close()) }()
		out = file
	}
	buffered := bufio.NewWriterSize(out, 1<<20)
	n, err := app.ExportSamples(ctx, c, f, sel, buffered)
	if err = errors.Join(err, buffered.Flush()); err != nil {
		return err
	}
	fmt.Fprintf(os.Stderr, "%d samples\n", n)
	return nil
}

func importSamples(ctx context.Context, c config.Config, f exchange.Format, own map[string]string) error {
	if own["file"] == "" {
		return errors.New("--file is needed")
	}
	file, err := os.Open(own["file"])
	if err != nil {
		return err
	}
	defer file.Close()
	got, err := app.ImportSamples(ctx, c, f, file, own["check"] != "")
	if err != nil {
		return err
	}
	done := "imported"
	if own["check"] != "" {
		done = "would be imported"
	}
	fmt.Fprintf(os.Stderr, "%d samples of %d series from %s to %s %s\n", got.Samples, got.Series, got.From.Format(time.RFC3339), got.To.Format(time.RFC3339), done)
	return nil
}
