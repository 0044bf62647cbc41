package api

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/exchange"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/transfer"
)

// MaxImport is the largest text that one request may bring; larger ones go
// through "owl samples import" or in parts.
const MaxImport = 64 << 20

// ImportPath is where samples are brought in.
const ImportPath = "/api/v1/samples/import"

func (a *api) samples() {
	type selection struct {
		Format  string    `query:"format" enum:"ndjson,csv,openmetrics" default:"ndjson"`
		Device  string    `query:"device" doc:"Name of a device; all when left out"`
		Part    string    `query:"part"`
		Kit     string    `query:"kit"`
		Reading string    `query:"reading"`
		From    time.Time `query:"from" doc:"Begin; default is a day before the end"`
		To      time.Time `query:"to" doc:"End, left out; default is now"`
	}
	add(a, operation{http.MethodGet, "/samples/export", "Samples of a selection, streamed", domain.AreaWatch, domain.AccessSee},
		func(ctx context.Context, in *selection) (*huma.StreamResponse, error) {
			f, err := exchange.ParseFormat(in.Format)
			if err != nil {
				return nil, domain.FieldErrors{"format": err.Error()}
			}
			if in.To.IsZero() {
				in.To = time.Now()
			}
			if in.From.IsZero() {
				in.From = in.To.AddDate(0, 0, -1)
			}
			sel := transfer.Selection{Device: in.Device, Part: in.Part, Kit: in.Kit, Reading: in.Reading, From: in.From, To: in.To}
			return &huma.StreamResponse{Body: func(hc huma.Context) { a.stream(hc, caller(ctx), f, sel) }}, nil
		})
	add(a, operation{http.MethodPost, "/samples/import", "Bring in samples; the same ones again do no harm", domain.AreaCollect,
		domain.AccessConfigure}, a.bring)
	a.find(http.MethodPost, "/v1/samples/import").RequestBody = &huma.RequestBody{Required: true, Content: tables()}
	a.find(http.MethodGet, "/v1/samples/export").Responses["200"] = &huma.Response{Description: "The samples", Content: tables()}
}

// Upload is a text of samples.
type Upload struct {
	Format string `query:"format" enum:"ndjson,csv,openmetrics" default:"ndjson"`
	DryRun bool   `query:"dry_run" doc:"Check only: change nothing"`
	body   io.Reader
}

// Resolve takes the body as it comes.
func (u *Upload) Resolve(ctx huma.Context) []error {
	u.body = ctx.BodyReader()
	return nil
}

// bring stores all samples of a text, or none. It is read twice, and so put into a file
// meanwhile: it may be long.
func (a *api) bring(ctx context.Context, in *Upload) (*Body[Imported], error) {
	f, err := exchange.ParseFormat(in.Format)
	if err != nil {
		return nil, domain.FieldErrors{"format": err.Error()}
	}
	file, err := spooled(in.body)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	out, err := a.Transfer.Check(ctx, caller(ctx), f, file)
	if err == nil && !in.DryRun {
		if _, err = file.Seek(0, io.SeekStart); err == nil {
			out, err = a.Transfer.Import(ctx, caller(ctx), f, file)
		}
	}
	var line *exchange.LineError
	if errors.As(err, &line) {
		return nil, domain.FieldErrors{fmt.Sprintf("line %d", line.Line): line.Err.Error()}
	}
	return one(Imported{out.Samples, out.Series, Moment{out.From}, Moment{out.To}}, err)
}

// spooled is a file of what comes in, at its begin, that is gone when it is closed.
func spooled(from io.Reader) (*os.File, error) {
	file, err := os.CreateTemp("", "owl-samples-")
	if err != nil {
		return nil, err
	}
	if err := os.Remove(file.Name()); err != nil {
		return nil, errors.Join(err, file.Close())
	}
	n, err := io.Copy(file, io.LimitReader(from, MaxImport+1))
	if err == nil && n <= MaxImport {
		_, err = file.Seek(0, io.SeekStart)
		return file, err
	}
	if err = file.Close(); n > MaxImport {
		return nil, huma.NewError(http.StatusRequestEntityTooLarge, tooLarge(MaxImport))
	}
	return nil, errors.Join(huma.NewError(http.StatusRequestTimeout, brokenOff), err)
}

// tables are the kinds of text that samples come and go as, each with an example.
func tables() map[string]*huma.MediaType {
	out := map[string]*huma.MediaType{}
	for f, example := range map[exchange.Format]string{
		exchange.NDJSON:      `{"device":"gr-sw-1","kit":"reachability","reading":"loss","at":"2026-03-14T03:40:00Z","value":0}`,
		exchange.CSV:         "device,part,kit,reading,at,value\ngr-sw-1,eth0,interfaces,in,2026-03-14T03:40:00Z,0.25\n",
		exchange.OpenMetrics: "in{device=\"gr-sw-1\",part=\"eth0\",kit=\"interfaces\"} 0.25 1773459600\n# EOF\n",
	} {
		out[f.MediaType()] = &huma.MediaType{Schema: &huma.Schema{Type: huma.TypeString}, Example: example}
	}
	return out
}

// Imported is what was brought in.
type Imported struct {
	Samples int64  `json:"samples" example:"1440"`
	Series  int    `json:"series" example:"1"`
	From    Moment `json:"from" doc:"Of the first sample"`
	To      Moment `json:"to" doc:"Of the last sample"`
}

// stream sends samples; an error once they flow can only cut the text off,
// which every format but OpenMetrics leaves unseen, so it is logged.
func (a *api) stream(hc huma.Context, who access.Actor, f exchange.Format, sel transfer.Selection) {
	hc.SetHeader("Content-Type", f.MediaType())
	w, err := exchange.NewWriter(f, hc.BodyWriter())
	if err == nil {
		_, err = a.Transfer.Export(hc.Context(), who, sel, w)
	}
	if errors.Is(err, domain.ErrSlowDown) { // nothing was written yet
		a.later(hc, "so many exports run at once")
		return
	}
	if err != nil && !errors.Is(err, domain.ErrNotFound) && hc.Context().Err() == nil {
		a.Log.Error("an export broke off", "error", err)
	}
}
