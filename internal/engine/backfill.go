package engine

import (
	"cmp"
	"context"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/estate"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
)

// History gives what a device would have answered in the past: for each
// moment, in order, the answer to each of the questions.
type History interface {
	Each(
		ctx context.Context,
		d domain.Device,
		questions []way.Question,
		from, to time.Time,
		step time.Duration,
		f func(answers []derive.Fetched),
	) error
}

// Backfill brings recorded history in through the same derivation and
// judging as live values.
type Backfill struct {
	Store    *store.Store
	Kits     *collect.Service
	History  History
	Recorder Recorder
	Log      *slog.Logger
	// From is the begin; judging begins at JudgeFrom; To is the end.
	From, FineFrom, JudgeFrom, To time.Time
	Coarse, Fine                  time.Duration // pauses between samples before and after FineFrom
	// Progress is told the devices done, and their number; may be nil.
	Progress func(done, of int)
}

// backfillWorkers is how many devices are brought in at once.
const backfillWorkers = 3

type judgedSample struct {
	series domain.ID
	domain.Sample
}

// Run does it for all devices.
func (b *Backfill) Run(ctx context.Context) error {
	devices, err := b.Store.Devices.All(ctx)
	if err != nil {
		return err
	}
	fittings, err := b.Store.Fittings.Of(ctx, 0)
	if err != nil {
		return err
	}
	rules, err := b.Store.Rules.All(ctx)
	if err != nil {
		return err
	}
	watched := map[string]bool{}
	for _, r := range rules {
		watched[r.Kit+"/"+r.Reading] = true
	}
	tree, err := b.Store.Tree(ctx)
	if err != nil {
		return err
	}
	e := estate.New()
	e.SetRules(rules)
	of := group(fittings, func(f domain.Fitting) domain.ID { return f.DeviceID })
	var mu sync.Mutex
	var past []judgedSample
	var failed error
	queue, done := make(chan domain.Device), 0
	var workers sync.WaitGroup
	for range backfillWorkers {
		workers.Go(func() {
			for d := range queue {
				bound, samples, err := b.device(ctx, d, of[d.ID], watched)
				mu.Lock()
				if err != nil {
					failed = fmt.Errorf("history of %s: %w", d.Name, err)
				} else {
					via, _ := tree.Gateway(d)
					e.Set(estate.Device{ID: d.ID, Name: d.Name, PlaceID: d.PlaceID, ViaID: via}, bound.watched(), domain.Unknown, b.From)
					past = append(past, samples...)
				}
				done++
				if b.Progress != nil {
					b.Progress(done, len(devices))
				}
				mu.Unlock()
			}
		})
	}
	for _, d := range devices {
		queue <- d
	}
	close(queue)
	workers.Wait()
	if failed != nil {
		return failed
	}
	return b.judge(ctx, e, past)
}

// device brings in one device and returns the samples that rules watch.
func (b *Backfill) device(
	ctx context.Context,
	d domain.Device,
	fittings []domain.Fitting,
	watched map[string]bool,
) (*binding, []judgedSample, error) {
	tree := inherit.NewTree(nil, nil) // nothing is set yet
	held := collect.Held{Tree: tree, Kits: b.Kits.Effective(tree, d, fittings)}
	var err error
	if held.Series, err = b.Kits.DeviceSeries(ctx, d.ID, held); err != nil {
		return nil, nil, err
	}
	bound, questions := bind(d, held), b.Kits.Questions(d, held.Kits, nil)
	in := &intake{Backfill: b, bound: bound, questions: questions, old: map[domain.ID][]domain.Sample{}}
	if err := b.History.Each(ctx, d, questions, b.From, b.FineFrom, b.Coarse, in.take); err != nil {
		return nil, nil, err
	}
	if err := b.History.Each(ctx, d, questions, b.FineFrom, b.To, b.Fine, in.take); err != nil {
		return nil, nil, err
	}
	if in.err != nil {
		return nil, nil, in.err
	}
	return bound, in.judged(watched), in.store(ctx)
}

// intake collects one device's history.
type intake struct {
	*Backfill
	bound     *binding
	questions []way.Question
	old       map[domain.ID][]domain.Sample // all samples, by series
	err       error
}

func (in *intake) take(answers []derive.Fetched) {
	for i, got := range answers {
		sb := in.bound.sources[in.questions[i].Key]
		rows := make([][]collect.Row, len(sb.kinds))
		if got.Error == "" {
			for n, kb := range sb.kinds {
				rows[n] = kb.reader.Rows(got.Rows, kb.known.Left)
				if in.err == nil && kb.needsSync(rows[n]) {
					in.err = in.sync(sb, kb, rows[n], got.At)
				}
			}
		}
		o := sb.take(got, rows)
		texts, _, err := in.Store.Words.Code(context.Background(), o.texts)
		if in.err == nil {
			in.err = err
		}
		for _, s := range append(o.samples, texts...) {
			in.old[s.SeriesID] = append(in.old[s.SeriesID], s.Sample)
		}
	}
}

func (in *intake) sync(sb *sourceBinding, kb *kindBinding, rows []collect.Row, at time.Time) error {
	known, made, err := in.Kits.SyncParts(context.Background(), in.bound.device.ID, sb.kit, sb.src, kb.def, kb.known, rows, at)
	if err == nil {
		in.bound.takeUp(sb, kb, known, made)
	}
	return err
}

// store brings all samples into the store.
func (in *intake) store(ctx context.Context) error {
	var past []samples.History
	for _, id := range sortedKeys(in.old) {
		h := samples.History{Series: id}
		for _, s := range in.old[id] {
			h.Points = append(h.Points, codec.Point{T: s.At.UnixMilli(), V: s.Value})
		}
		past = append(past, h)
	}
	return in.Store.Samples.Import(ctx, past)
}

func (in *intake) judged(watched map[string]bool) []judgedSample {
	var out []judgedSample
	for _, s := range in.bound.series {
		if !watched[s.Kit+"/"+s.Reading] {
			continue
		}
		for _, x := range in.old[s.ID] {
			if !x.At.Before(in.JudgeFrom) {
				out = append(out, judgedSample{s.ID, x})
			}
		}
	}
	return out
}

// judge replays watched samples in the order of time and records what that
// would have changed.
func (b *Backfill) judge(ctx context.Context, e *estate.Estate, past []judgedSample) error {
	order := make([]moment, len(past))
	for i, s := range past {
		order[i] = moment{s.At.UnixNano(), s.series, i}
	}
	slices.SortFunc(order, func(a, b moment) int { return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.series, b.series)) })
	var found estate.Result
	flush := func() error {
		if found.Empty() {
			return nil
		}
		err := b.Recorder.Record(ctx, 0, found)
		found = estate.Result{}
		return err
	}
	for _, x := range order {
		found.Add(e.Sample(x.series, past[x.of].Sample))
		if len(found.Judged)+len(found.Health) > 200 {
			if err := flush(); err != nil {
				return err
			}
		}
	}
	return flush()
}

// moment is where in time a sample belongs: small, since there are millions to sort.
type moment struct {
	at     int64 // nanoseconds of 1970
	series domain.ID
	of     int
}

func sortedKeys[V any](m map[domain.ID]V) []domain.ID {
	out := make([]domain.ID, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}
