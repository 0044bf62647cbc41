// Package transfer takes samples out and brings them in.
package transfer

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/exchange"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
)

// Service is the use cases of taking samples out and in.
type Service struct {
	store *store.Store
	desk  *act.Desk
	most  int // samples that are held before they are stored
	// turns are those of exports: each holds what its reader has not taken yet.
	turns chan struct{}
}

// New returns the service.
func New(s *store.Store, desk *act.Desk) *Service {
	return &Service{s, desk, maxHeld, make(chan struct{}, mostExports)}
}

// Selection picks series; empty fields pick all.
type Selection struct {
	Device, Part, Kit, Reading string
	SeriesID                   domain.ID
	From, To                   time.Time
}

// batch is how many series are read at once.
const batch = 20

// So many exports run at once; another one waits a little for its turn.
const (
	mostExports = 2
	exportWait  = 2 * time.Second
)

// Export writes all samples of a selection. It returns how many. It is ErrSlowDown, before
// anything is written, where many exports run already.
func (s *Service) Export(ctx context.Context, who access.Actor, sel Selection, w exchange.Writer) (count int64, err error) {
	seen, err := s.desk.See(ctx, who, domain.AreaWatch)
	if err != nil {
		return 0, err
	}
	waited, cancel := context.WithTimeout(ctx, exportWait)
	defer cancel()
	select {
	case s.turns <- struct{}{}:
		defer func() { <-s.turns }()
	case <-waited.Done():
		return 0, domain.ErrSlowDown
	}
	named, err := seen.Series.Named(
		ctx,
		store.NamedFilter{Device: sel.Device, Part: sel.Part, Kit: sel.Kit, Reading: sel.Reading, ID: sel.SeriesID},
	)
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
			words, err := s.words(ctx, byID[id], got[id])
			if err != nil {
				return count, err
			}
			n, err := write(w, byID[id], got[id], words)
			count += n
			if err != nil {
				return count, err
			}
		}
	}
	return count, w.Close()
}

// words looks up the texts of a text series; nil for others.
func (s *Service) words(ctx context.Context, x store.NamedSeries, points []codec.Point) (map[store.WordKey]string, error) {
	if x.Kind != domain.KindText {
		return nil, nil
	}
	needed := map[store.WordKey]bool{}
	for _, p := range points {
		needed[store.WordKey{SeriesID: x.ID, Code: int(p.V)}] = true
	}
	return s.store.Words.Of(ctx, needed)
}

func write(w exchange.Writer, x store.NamedSeries, points []codec.Point, words map[store.WordKey]string) (n int64, err error) {
	r := exchange.Record{Device: x.Device, Part: x.Part, Kit: x.Kit, Reading: x.Reading, Unit: x.Unit}
	for _, p := range points {
		r.At, r.Value = time.UnixMilli(p.T).UTC(), p.V
		if words != nil {
			text := words[store.WordKey{SeriesID: x.ID, Code: int(p.V)}]
			r.Value, r.Text = 0, &text
		}
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

// mostAhead is how far ahead of our clock samples may be.
const mostAhead = time.Minute

var bringSamples = act.Deed{Name: "bring in samples", Area: domain.AreaCollect, Needs: domain.AccessConfigure}

// Check reads a text as Import would, and changes nothing.
func (s *Service) Check(ctx context.Context, who access.Actor, f exchange.Format, from io.Reader) (Result, error) {
	return s.read(ctx, who, f, from, func([]samples.History, []domain.SeriesText) error { return nil })
}

// Import brings in all samples of a text. The series must be there: adopt the
// device and fit its kits first. What was stored before a wrong line stays; the
// same text can be imported again.
func (s *Service) Import(ctx context.Context, who access.Actor, f exchange.Format, from io.Reader) (Result, error) {
	out, err := s.read(ctx, who, f, from, func(past []samples.History, texts []domain.SeriesText) error {
		coded, err := s.code(ctx, texts)
		if err != nil {
			return err
		}
		return s.store.Samples.Import(ctx, append(past, coded...))
	})
	if out.Samples > 0 {
		after, _ := json.Marshal(out) // plain values
		s.desk.Record(ctx, who, domain.Entry{Act: bringSamples.Name, Kind: "samples", After: after})
	}
	return out, err
}

// code makes histories of texts.
func (s *Service) code(ctx context.Context, texts []domain.SeriesText) ([]samples.History, error) {
	coded, full, err := s.store.Words.Code(ctx, texts)
	if err != nil {
		return nil, err
	}
	if len(full) > 0 {
		return nil, fmt.Errorf("%w: series %d has too many different texts", domain.ErrConflict, full[0])
	}
	points := map[domain.ID][]codec.Point{}
	for _, x := range coded {
		points[x.SeriesID] = append(points[x.SeriesID], codec.Point{T: x.At.UnixMilli(), V: x.Value})
	}
	return histories(points), nil
}

func histories(points map[domain.ID][]codec.Point) (out []samples.History) {
	for id, p := range points {
		out = append(out, samples.History{Series: id, Points: p})
	}
	return out
}

type name struct{ device, part, kit, reading string }

// catalogue finds series by their names.
type catalogue struct {
	series  map[name]store.NamedSeries
	devices map[string]bool
}

func (s *Service) catalogue(ctx context.Context, who access.Actor) (c catalogue, err error) {
	within, err := s.desk.Reach(ctx, who, bringSamples)
	if err != nil {
		return c, err
	}
	named, err := within.Series.Named(ctx, store.NamedFilter{})
	c = catalogue{map[name]store.NamedSeries{}, map[string]bool{}}
	for _, x := range named {
		c.series[name{x.Device, x.Part, x.Kit, x.Reading}] = x
		c.devices[x.Device] = true
	}
	return c, err
}

// find returns the series of a record, or says in words why there is none.
func (c catalogue) find(r exchange.Record) (domain.ID, error) {
	x, ok := c.series[name{r.Device, r.Part, r.Kit, r.Reading}]
	switch {
	case !c.devices[r.Device]:
		return 0, fmt.Errorf("there is no device %q", r.Device)
	case !ok:
		return 0, fmt.Errorf("%q has no reading %s of the kit %s for the part %q", r.Device, r.Reading, r.Kit, r.Part)
	case r.Text != nil && x.Kind != domain.KindText:
		return 0, fmt.Errorf("the values of %s of the kit %s are numbers, not texts", r.Reading, r.Kit)
	case r.Text == nil && x.Kind == domain.KindText:
		return 0, fmt.Errorf("the values of %s of the kit %s are texts, not numbers", r.Reading, r.Kit)
	}
	return x.ID, nil
}

func (s *Service) read(
	ctx context.Context,
	who access.Actor,
	f exchange.Format,
	from io.Reader,
	keep func([]samples.History, []domain.SeriesText) error,
) (out Result, err error) {
	known, err := s.catalogue(ctx, who)
	if err != nil {
		return out, err
	}
	latest := time.Now().Add(mostAhead)
	held, texts, seen, count := map[domain.ID][]codec.Point{}, []domain.SeriesText(nil), map[domain.ID]bool{}, 0
	flush := func() error {
		err := keep(histories(held), texts)
		held, texts, count = map[domain.ID][]codec.Point{}, nil, 0
		return err
	}
	err = exchange.Read(f, from, func(r exchange.Record) error {
		id, err := known.find(r)
		if err != nil {
			return err
		}
		if r.At.After(latest) {
			return fmt.Errorf("the time %s is in the future", r.At.UTC().Format(time.RFC3339))
		}
		if r.Text != nil {
			texts = append(texts, domain.SeriesText{SeriesID: id, At: r.At, Text: derive.CleanText(*r.Text)})
		} else {
			held[id] = append(held[id], codec.Point{T: r.At.UnixMilli(), V: r.Value + 0})
		}
		seen[id] = true
		out.note(r.At)
		if count++; count >= s.most {
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
	if at.After(r.To) {
		r.To = at
	}
	r.Samples++
}
