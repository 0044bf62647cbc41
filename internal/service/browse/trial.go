package browse

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
)

// trial is a draft among what is picked at its device already, with what was seen of it.
type trial struct {
	kit     *kit.Kit
	reading kit.Reading
	src     kit.Source
	looks   []derive.Fetched
	rows    []map[string]derive.Row // of each look, by index
	others  map[string]float64      // newest stored values of the device that a formula names
}

// trial makes the kit that a device would have with a draft, and, for what the draft costs, the
// one that has nothing else.
func (s *Service) trial(ctx context.Context, who access.Actor, device domain.Device, d own.Draft) (t *trial, alone *kit.Kit, err error) {
	picked, err := s.kits.Own(ctx, who, device.ID)
	if err != nil {
		return nil, nil, err
	}
	set, errs := picked.With(d)
	if len(errs) > 0 {
		return nil, nil, errs
	}
	k, err := s.kits.OwnKit(set, device.ID)
	if err != nil {
		return nil, nil, domain.FieldErrors{"steps": err.Error()}
	}
	t = &trial{kit: k, reading: k.Readings[len(k.Readings)-1]}
	if d.Key != "" {
		t.reading, _ = k.Reading(d.Key)
	} else {
		t.reading, _ = k.Reading(set.Readings[len(set.Readings)-1].Key)
	}
	t.src, _ = k.Source(t.reading.Source)
	alone = k.Only(t.reading.Key)
	t.others, err = s.newest(ctx, who, device.ID, k, t.formula().Steps.Readings())
	return t, alone, err
}

func (t *trial) formula() *derive.Formula { return t.kit.Formula(t.reading, t.src) }

// newest are the newest stored values of a device itself, by key, that are not out of date.
func (s *Service) newest(ctx context.Context, who access.Actor, id domain.ID, k *kit.Kit, keys []string) (map[string]float64, error) {
	out := map[string]float64{}
	if len(keys) == 0 {
		return out, nil
	}
	seen, err := s.desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, err
	}
	have, err := seen.Series.Of(ctx, id)
	if err != nil {
		return nil, err
	}
	for _, x := range have {
		key := x.Kit + "/" + x.Reading
		if x.Kit == k.Name {
			key = x.Reading
		}
		if x.PartID != 0 || !slices.Contains(keys, key) {
			continue
		}
		if v, ok := seen.Values.LatestIn([]domain.ID{x.ID})[x.ID]; ok && !cadence.Stale(time.Since(v.At), x.Interval) {
			out[key] = v.Value
		}
	}
	return out, nil
}

// into tells each row of the last look, with the values that the looks gave, and returns the
// newest of those that would be stored.
func (t *trial) into(r *Rehearsal, sample string) (stored []float64) {
	if len(t.looks) == 0 {
		return nil
	}
	t.index()
	last := t.looks[len(t.looks)-1]
	def, rows := t.kit.PartsOf(t.reading.Of)
	found := false
	for _, row := range last.Rows {
		seen := RowSeen{Index: row.Index, Keeps: true}
		if rows {
			seen.Keeps, seen.Why = def.Filter.Decide(t.src, row)
			seen.Name = collect.RowName(t.src, def, row)
		}
		if seen.Keeps {
			r.Kept++
		} else {
			r.Left++
		}
		if len(r.Rows) == mostSeen {
			continue
		}
		path := t.follow(row.Index)
		seen.Raw, seen.Values = path.raw, path.values
		if seen.Keeps && path.newest.number {
			stored = append(stored, path.newest.n)
		}
		if !found && seen.Keeps && (r.Sample == "" || row.Index == sample) || row.Index == sample && sample != "" {
			r.Sample, r.Steps = seen.Name, path.steps
			found = row.Index == sample
		}
		r.Rows = append(r.Rows, seen)
	}
	return stored
}

func (t *trial) index() {
	for _, got := range t.looks {
		rows := make(map[string]derive.Row, len(got.Rows))
		for _, row := range got.Rows {
			rows[row.Index] = row
		}
		t.rows = append(t.rows, rows)
	}
}

// path is the way of a row through all looks.
type path struct {
	raw    string
	values []string // as they would be stored, of all looks but the first
	newest valued
	steps  []StepSeen // of the last look
}

func (t *trial) follow(index string) (p path) {
	formula := t.formula()
	states := map[string]*derive.State{}
	state := func(key string) *derive.State {
		if states[key] == nil {
			states[key] = &derive.State{}
		}
		return states[key]
	}
	for i, got := range t.looks {
		row, ok := t.rows[i][index]
		if !ok {
			continue
		}
		look := derive.Look{Got: got, Row: row, Reading: t.reader(got, row, state)}
		for _, key := range formula.Steps.Readings() {
			look.Reading(key) // a counter needs its first look, whoever asks for it only later
		}
		look.State = state("traced " + t.reading.Key)
		raw, passed := formula.Trace(&look)
		p.raw, p.steps = derive.CleanText(raw.String()), nil
		for _, x := range passed {
			p.steps = append(p.steps, stepSeen(x))
		}
		look.State = state(t.reading.Key)
		p.newest = t.value(formula, &look)
		if i > 0 {
			p.values = append(p.values, p.newest.said)
		}
	}
	return p
}

// reader gives the values of other readings: those of the same source as they come of this look,
// all others as they are stored.
func (t *trial) reader(got derive.Fetched, row derive.Row, state func(string) *derive.State) func(string) (float64, bool) {
	var read func(key string) (float64, bool)
	read = func(key string) (float64, bool) {
		r, ok := t.kit.Reading(key)
		if !ok || r.Source != t.src.Key || r.Text || strings.Contains(key, "/") {
			n, ok := t.others[key]
			return n, ok
		}
		taken := t.kit.Formula(r, t.src).Apply(&derive.Look{Got: got, Row: row, State: state(key), Reading: read})
		return taken.Value, taken.OK
	}
	now := map[string]float64{} // each is read once in a look: a second one would find no time passed
	return func(key string) (float64, bool) {
		if n, ok := now[key]; ok {
			return n, true
		}
		n, ok := read(key)
		if ok {
			now[key] = n
		}
		return n, ok
	}
}

func stepSeen(x derive.Passed) StepSeen {
	if x.Problem != "" {
		return StepSeen{Problem: x.Problem}
	}
	if x.Value.Kind == derive.Gauge {
		return StepSeen{Value: units.Number(x.Value.Num)}
	}
	return StepSeen{Value: derive.CleanText(x.Value.String())}
}

// valued is what would be stored of a value, or why nothing would.
type valued struct {
	said   string
	n      float64 // what would be stored, but for texts
	number bool    // n stands for no word
	stores bool
}

func (t *trial) value(f *derive.Formula, look *derive.Look) valued {
	if t.reading.Text {
		text, ok, problem := f.Text(look)
		if !ok {
			return valued{said: problem}
		}
		return valued{said: text, stores: true}
	}
	taken := f.Apply(look)
	switch {
	case taken.OK && len(t.reading.Codes) > 0:
		word, ok := t.reading.Codes[int(taken.Value)]
		if !ok {
			word = fmt.Sprint(taken.Value)
		}
		return valued{said: word, n: taken.Value, stores: true}
	case taken.OK, taken.Implausible:
		said := units.Format(taken.Value, t.reading.Unit)
		if taken.Implausible {
			said += ", which is kept apart: " + taken.Problem
		}
		return valued{said, taken.Value, true, taken.OK}
	case taken.Problem != "":
		return valued{said: taken.Problem}
	}
	return valued{said: "waits for a second look"}
}

// newest are the raw values of the last look.
func (t *trial) newest() (out []derive.Value) {
	if len(t.looks) == 0 {
		return nil
	}
	at := t.src.Column(t.reading.Value[0])
	for _, row := range t.looks[len(t.looks)-1].Rows {
		if at < len(row.Values) {
			out = append(out, row.Values[at])
		}
	}
	return out
}
