package app

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"path/filepath"

	"tirelessowl/internal/config"
	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/exchange"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/transfer"
	"tirelessowl/internal/store/samples"
)

// ExportSamples writes a selection of samples, beside a running application
// or without one. It returns how many.
func ExportSamples(ctx context.Context, c config.Config, f exchange.Format, sel transfer.Selection, out io.Writer) (int64, error) {
	s, closeStore, err := Database(ctx, c, false, func(string) {})
	if err != nil {
		return 0, err
	}
	defer closeStore()
	if err := s.Samples.Load(ctx); err != nil {
		return 0, err
	}
	w, err := exchange.NewWriter(f, out)
	if err != nil {
		return 0, err
	}
	return transfer.New(s, act.NewDesk(s, func(domain.News) {}, slog.Default())).Export(ctx, access.Itself("owl samples export"), sel, w)
}

// ImportSamples brings in a file after it was checked as a whole, or only
// checks it. The application must not run on the same database.
func ImportSamples(ctx context.Context, c config.Config, f exchange.Format, file io.ReadSeeker, checkOnly bool) (transfer.Result, error) {
	s, closeStore, err := Database(ctx, c, false, func(string) {})
	if err != nil {
		return transfer.Result{}, err
	}
	defer closeStore()
	svc := transfer.New(s, act.NewDesk(s, func(domain.News) {}, slog.Default()))
	who := access.Itself("owl samples import")
	checked, err := svc.Check(ctx, who, f, file)
	if err != nil || checkOnly {
		return checked, err
	}
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return checked, err
	}
	err = s.Samples.Start(ctx, samples.Options{SpillFile: filepath.Join(c.DataDir, "samples.spill")})
	if errors.Is(err, samples.ErrOtherWriter) {
		return checked, fmt.Errorf("%w: stop it first, or import through its API: POST %s/api/v1/samples/import", err, c.URL)
	}
	if err != nil {
		return checked, err
	}
	defer s.Samples.Stop()
	return svc.Import(ctx, who, f, file)
}
