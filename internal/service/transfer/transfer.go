// Package transfer takes samples out and brings them in.
package transfer

import (
	"context"
	"fmt"
	"io"
	"slices"
	"time"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/core/exchange"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
)

// Service is the use cases of taking samples out and in.
type Service struct{ store *store.Store }

// New returns the service.
func New(s *store.Store) *Service { return &Service{s} }

// Selection picks series; empty fields pick all.
type Selection struct {
	Device, Part, Kit, Reading string
	SeriesID                   domain.ID
	From, To                   time.Time
}

// batch is how many series are read at once.
const batch = 50

// Export writes all samples of a selection. It returns how many.
func (s *Service) Export(ctx context.Context, sel Selection, w exchange.Writer) (count int64, err error) {
	named, err := s.store.NamedSeries(ctx, store.NamedFilter{Device: sel.Device, Part: sel.Part, Kit: sel.Kit, Reading: sel.Reading, ID: sel.SeriesID})
	if err != nil {
		return 0, err
	}
	if len(named) == 0 {
		return 0, domain.ErrNotFound
	}
	for part := range slices.Chunk(named, batch) {
		byID, ids := map[domain.ID]store.NamedSeries{}, []domain.ID{}
		for _, x := range part {
			byID[x.ID] = x
			ids = append(ids, x.ID)
		}
		// Points come in the order of ids; readings must stay together.
		got := map[domain.ID][]codec.Point{}
		err := s.store.Samples.Points(ctx, ids, sel.From, sel.To, func(id domain.ID, points []codec.Point) error {
			got[id] = slices.Clone(points)
			return nil
		})
		if err != nil {
			return count, err
		}
		for _, id := range ids {
			n, err := write(w, byID[id], got[id])
			count += n
			if err != nil {
				return count, err
			}
		}
	}
	return count, w.Close()
}

func write(w exchange.Writer, x store.NamedSeries, points []codec.Point) (n int64, err error) {
	r := exchange.Record{Device: x.Device, Part: x.Part, Kit: x.Kit, Reading: x.Reading, Unit: x.Unit}
	for _, p := range points {
		r.At, r.Value = time.UnixMilli(p.T).UTC(), p.V
		if err := w.Write(r); err != nil {
			return n, err
		}
		n++
	}
	return n, nil
}

// Result tells what an import brought, or would bring.
type Result struct {
	Samples  int64     `json:"samples"`
	Series   int       `json:"series"`
	From, To time.Time // of the samples
}

// maxHeld bounds the samples that are held before they are stored.
const maxHeld = 1_000_000

// Check reads a text as Import would, and changes nothing.
func (s *Service) Check(ctx context.Context, f exchange.Format, from io.Reader) (Result, error) {
	return s.read(ctx, f, from, func([]samples.History) error { return nil })
}

// Import brings in all samples of a text. The series must be there: adopt the
// device and fit its kits first. What was stored before a wrong line stays; the
// same text can be imported again.
func (s *Service) Import(ctx context.Context, f exchange.Format, from io.Reader) (Result, error) {
	return s.read(ctx, f, from, func(past []samples.History) error { return s.store.Samples.Import(ctx, past) })
}

type name struct{ device, part, kit, reading string }

func (s *Service) read(ctx context.Context, f exchange.Format, from io.Reader, keep func([]samples.History) error) (out Result, err error) {
	named, err := s.store.NamedSeries(ctx, store.NamedFilter{})
	if err != nil {
		return out, err
	}
	known, devices := map[name]domain.ID{}, map[string]bool{}
	for _, x := range named {
		known[name{x.Device, x.Part, x.Kit, x.Reading}] = x.ID
		devices[x.Device] = true
	}
	held, seen := map[domain.ID][]codec.Point{}, map[domain.ID]bool{}
	count := 0
	flush := func() error {
		var past []samples.History
		for id, points := range held {
			past = append(past, samples.History{Series: id, Points: points})
		}
		held, count = map[domain.ID][]codec.Point{}, 0
		return keep(past)
	}
	err = exchange.Read(f, from, func(r exchange.Record) error {
		id, ok := known[name{r.Device, r.Part, r.Kit, r.Reading}]
		switch {
		case !devices[r.Device]:
			return fmt.Errorf("there is no device %q", r.Device)
		case !ok:
			return fmt.Errorf("%q has no reading %s of the kit %s for the part %q", r.Device, r.Reading, r.Kit, r.Part)
		}
		held[id] = append(held[id], codec.Point{T: r.At.UnixMilli(), V: r.Value + 0})
		seen[id] = true
		out.note(r.At)
		if count++; count >= maxHeld {
			return flush()
		}
		return ctx.Err()
	})
	out.Series = len(seen)
	if err != nil {
		return out, err
	}
	return out, flush()
}

func (r *Result) note(at time.Time) {
	if r.Samples == 0 || at.Before(r.From) {
		r.From = at
	}
	if r.Samples == 0 || at.After(r.To) {
		r.To = at
	}
	r.Samples++
}
