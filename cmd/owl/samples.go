package main

import (
	"bufio"
	"context"
	"errors"
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

// format is the one flag that export and import share.
type format struct {
	Format string `help:"ndjson, csv or openmetrics; default that of the file's name, else ndjson."`
}

// of is the format asked for, else that of the file's name, else NDJSON.
func (f format) of(file string) (exchange.Format, error) {
	if f.Format != "" {
		return exchange.ParseFormat(f.Format)
	}
	for _, x := range exchange.Formats {
		if strings.HasSuffix(file, x.Extension()) {
			return x, nil
		}
	}
	return exchange.NDJSON, nil
}

type samplesExport struct {
	format
	Device  string    `help:"Only of this device."`
	Part    string    `help:"Only of parts of this name."`
	Kit     string    `help:"Only of this kit."`
	Reading string    `help:"Only of this reading."`
	From    time.Time `help:"First time (RFC 3339); default a day before the last."`
	To      time.Time `help:"Last time (RFC 3339); default now."`
	Out     string    `help:"File to write; default standard output."               placeholder:"FILE"`
}

// Run is "owl samples export".
func (e samplesExport) Run(ctx context.Context, c config.Config) (err error) {
	f, err := e.of(e.Out)
	if err != nil {
		return err
	}
	var out io.Writer = os.Stdout
	if e.Out != "" {
		file, err := os.OpenFile(e.Out, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
		if err != nil {
			return err
		}
		defer func() { err = errors.Join(err, file.Close()) }()
		out = file
	}
	buffered := bufio.NewWriterSize(out, 1<<20)
	n, err := app.ExportSamples(ctx, c, f, e.selection(time.Now().UTC()), buffered)
	if err = errors.Join(err, buffered.Flush()); err != nil {
		return err
	}
	fmt.Fprintf(os.Stderr, "%d samples\n", n)
	return nil
}

func (e samplesExport) selection(now time.Time) transfer.Selection {
	sel := transfer.Selection{Device: e.Device, Part: e.Part, Kit: e.Kit, Reading: e.Reading, From: e.From, To: e.To}
	if sel.To.IsZero() {
		sel.To = now
	}
	if sel.From.IsZero() {
		sel.From = sel.To.AddDate(0, 0, -1)
	}
	return sel
}

type samplesImport struct {
	format
	File  string `required:"" help:"File to read."`
	Check bool   `            help:"Only check the file."`
}

// Run is "owl samples import".
func (i samplesImport) Run(ctx context.Context, c config.Config) error {
	f, err := i.of(i.File)
	if err != nil {
		return err
	}
	file, err := os.Open(i.File)
	if err != nil {
		return err
	}
	defer file.Close()
	got, err := app.ImportSamples(ctx, c, f, file, i.Check)
	if err != nil {
		return err
	}
	done := "imported"
	if i.Check {
		done = "would be imported"
	}
	fmt.Fprintf(
		os.Stderr,
		"%d samples of %d series from %s to %s %s\n",
		got.Samples,
		got.Series,
		got.From.Format(time.RFC3339),
		got.To.Format(time.RFC3339),
		done,
	)
	return nil
}
