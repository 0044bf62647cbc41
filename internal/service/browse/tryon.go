package browse

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
)

// TriedOn is what a kit, or a draft of one, would collect from a device, as seen just now.
type TriedOn struct {
	Kit     string        `json:"kit"`
	Device  string        `json:"device"`
	Sources []TriedSource `json:"sources"`
	// Cost is what the kit costs on this device, as far as its rows were seen; Before is what the one in force does.
	Cost   kit.Cost `json:"cost"`
	Before kit.Cost `json:"before"`
	// Judged is what its rules would say of the values, were they to last.
	Judged []TriedRule `json:"judged"`
}

// TriedRule is a rule with what it would say of the values that came.
type TriedRule struct {
	Key  string `json:"key"`
	Name string `json:"name"`
	rule.Foretold
}

// TriedSource is one fetch, with what came back.
type TriedSource struct {
	Key     string        `json:"key"`
	Way     string        `json:"way"`
	Took    time.Duration `json:"-"`
	Problem string        `json:"problem,omitempty"`
	Rows    int           `json:"rows"`
	// Parts are the rows that become parts, or do not.
	Parts    []TriedParts   `json:"parts"`
	Readings []TriedReading `json:"readings"`
}

// TriedParts is a row discovery with what it makes of the rows.
type TriedParts struct {
	Kind  string     `json:"kind"`
	Title string     `json:"title"`
	Kept  int        `json:"kept"`
	Left  int        `json:"left"`
	Rows  []TriedRow `json:"rows"` // the first of them, those that are left out first
}

// TriedRow is a row with whether it becomes a part, and why.
type TriedRow struct {
	Name  string `json:"name"`
	Keeps bool   `json:"keeps"`
	Why   string `json:"why"`
}

// TriedReading is a reading with what would be stored of it.
type TriedReading struct {
	Key  string `json:"key"`
	Name string `json:"name"`
	// Value is that of the device itself, or of the first row that is kept, which Row names.
	Value string     `json:"value"`
	Row   string     `json:"row"`
	Raw   string     `json:"raw"`
	Steps []StepSeen `json:"steps"`
	// Of how many rows there would be a value, and of how many there would not.
	Stored int `json:"stored"`
	Failed int `json:"failed"`
	// Caution is what does not fit the values that came; empty for nothing.
	Caution string `json:"caution,omitempty"`
	// numbers are the values that would be stored, one for each row.
	numbers []float64
}

// Bounds of a try.
const (
	mostSources = 30
	mostTried   = 100
	tryPatience = 40 * time.Second
)

// TryOn asks a device what a kit file would have it asked, one source or all of them, and tells what would be
// stored; nothing is. What is wrong with the file is told by the field document.
func (s *Service) TryOn(ctx context.Context, who access.Actor, deviceID domain.ID, document, source string) (out TriedOn, err error) {
	seen, err := s.desk.Reach(ctx, who, look)
	if err != nil {
		return out, err
	}
	d, err := seen.Devices.One(ctx, deviceID)
	if err != nil {
		return out, err
	}
	k, err := s.kits.Parsed(ctx, document)
	if err != nil {
		return out, err
	}
	values, err := s.kits.ValuesOn(ctx, d, k.Name)
	if err != nil {
		return out, err
	}
	ctx, cancel := context.WithTimeout(ctx, tryPatience)
	defer cancel()
	out = TriedOn{Kit: k.Name, Device: d.Name, Sources: []TriedSource{}, Judged: []TriedRule{}}
	rows := map[string]int{}
	for _, src := range k.SourcesFor(values) {
		if source != "" && src.Key != source || len(out.Sources) == mostSources {
			continue
		}
		tried, err := s.trySource(ctx, who, d, k, src, values)
		if err != nil {
			return out, err
		}
		for _, p := range tried.Parts {
			rows[p.Kind] = p.Kept
		}
		out.Sources = append(out.Sources, tried)
	}
	if source != "" && len(out.Sources) == 0 {
		return out, domain.FieldErrors{"source": "The kit has no such source."}
	}
	perSample := s.kits.BytesPerSample(ctx)
	count := func(p kit.Parts) int { return rows[p.Kind] }
	out.Cost = k.Estimate(count, perSample)
	if before, err := s.kits.Kit(k.Name); err == nil {
		out.Before = before.Estimate(count, perSample)
	}
	out.judge(k)
	return out, nil
}

// judge tells what the rules of a kit would say of what came.
func (t *TriedOn) judge(k *kit.Kit) {
	values := map[string][]float64{}
	for _, s := range t.Sources {
		for _, r := range s.Readings {
			values[r.Key] = r.numbers
		}
	}
	for _, r := range k.Rules {
		if f, ok := rule.Foretell(r, values[r.Reading]); ok && r.Enabled {
			t.Judged = append(t.Judged, TriedRule{r.Key, r.Name, f})
		}
	}
}

func (s *Service) trySource(
	ctx context.Context,
	who access.Actor,
	d domain.Device,
	k *kit.Kit,
	src kit.Source,
	values map[string]string,
) (out TriedSource, err error) {
	out = TriedSource{Key: src.Key, Way: src.Way, Parts: []TriedParts{}, Readings: []TriedReading{}}
	talk, err := s.kits.Talk(ctx, d, src.Way, values)
	if err != nil {
		return out, err
	}
	q, ok := k.Question(src, d, values, talk)
	if !ok {
		out.Problem = "the way " + src.Way + " is not known here"
		return out, nil
	}
	var readings []kit.Reading
	counts := false
	for _, r := range k.Readings {
		if r.Source == src.Key {
			readings, counts = append(readings, r), counts || r.Counts()
		}
	}
	looks, problem, err := s.looksAt(ctx, q, counts)
	if err != nil || problem != "" {
		out.Problem = problem
		return out, err
	}
	last := looks[len(looks)-1]
	out.Took, out.Rows = last.Took, len(last.Rows)
	for _, def := range k.Parts {
		if def.Source == src.Key {
			out.Parts = append(out.Parts, partsSeen(src, def, last.Rows))
		}
	}
	for _, r := range readings {
		tried, err := s.tryReading(ctx, who, d, &trial{kit: k, reading: r, src: src, looks: looks})
		if err != nil {
			return out, err
		}
		out.Readings = append(out.Readings, tried)
	}
	return out, nil
}

// looksAt asks once, or twice where a counter needs it.
func (s *Service) looksAt(ctx context.Context, q way.Question, counts bool) (looks []derive.Fetched, problem string, err error) {
	for i := range 2 {
		if i > 0 {
			if !counts {
				break
			}
			select {
			case <-ctx.Done():
				return nil, "", ctx.Err()
			case <-time.After(s.apart):
			}
		}
		got := s.device.Ask(ctx, q)
		if got.Error != "" {
			return nil, got.Error, nil
		}
		looks = append(looks, got)
	}
	return looks, "", nil
}

func partsSeen(src kit.Source, def kit.Parts, rows []derive.Row) TriedParts {
	out := TriedParts{Kind: def.Kind, Title: def.Title, Rows: []TriedRow{}}
	for _, row := range rows {
		seen := TriedRow{Name: collect.RowName(src, def, row)}
		if seen.Keeps, seen.Why = def.Filter.Decide(src, row); seen.Keeps {
			out.Kept++
		} else {
			out.Left++
		}
		out.Rows = append(out.Rows, seen)
	}
	slices.SortStableFunc(out.Rows, func(a, b TriedRow) int { return kept(a) - kept(b) })
	out.Rows = out.Rows[:min(len(out.Rows), mostTried)]
	return out
}

func kept(r TriedRow) int {
	if r.Keeps {
		return 1
	}
	return 0
}

// caution says what people forget, by the values that came.
func (t *trial) caution() string {
	counters, others := 0, 0
	for _, v := range t.newest() {
		switch v.Kind {
		case derive.Counter32, derive.Counter64:
			counters++
		case derive.Gauge:
			others++
		}
	}
	computes := slices.ContainsFunc(t.reading.Steps, func(w derive.Written) bool { return w.Do == "compute" })
	switch {
	case counters > 0 && !t.reading.Counts() && !computes && !t.reading.Text:
		return "It is a counter: kept as it is, it only grows. A step “rate” makes it a rate."
	case counters == 0 && others > 0 && slices.ContainsFunc(t.reading.Steps, func(w derive.Written) bool { return w.Do == "rate" }):
		return "It is no counter: there is no rate of a value that goes up and down."
	}
	return ""
}

// tryReading follows a reading through what came back.
func (s *Service) tryReading(ctx context.Context, who access.Actor, d domain.Device, t *trial) (out TriedReading, err error) {
	out = TriedReading{Key: t.reading.Key, Name: t.reading.Name, Steps: []StepSeen{}}
	last := t.looks[len(t.looks)-1]
	if len(t.reading.FirstOf) > 0 {
		taken, says := t.reading.Balanced(t.src, last.Rows)
		if out.Value, out.Failed = taken.Problem, 1; taken.OK {
			out.Value, out.Stored, out.Failed = units.Format(taken.Value, t.reading.Unit), 1, 0
			out.numbers = []float64{taken.Value}
		}
		out.Row = says
		return out, nil
	}
	if t.others, err = s.newest(ctx, who, d.ID, t.kit, t.formula().Steps.Readings()); err != nil {
		return out, err
	}
	t.index()
	def, rows := t.kit.PartsOf(t.reading.Of)
	var numbers []float64
	for _, row := range last.Rows {
		keeps := t.reading.Filter.Keeps(t.src, row)
		if rows {
			keeps = def.Filter.Keeps(t.src, row)
		}
		if !keeps {
			continue
		}
		p := t.follow(row.Index)
		if p.newest.stores {
			out.Stored++
			if !t.reading.Text {
				numbers = append(numbers, p.newest.n)
			}
		} else {
			out.Failed++
		}
		if out.Stored+out.Failed == 1 || out.Stored == 1 && p.newest.stores {
			out.Raw, out.Steps, out.Value = p.raw, p.steps, p.newest.said
			if rows {
				out.Row = collect.RowName(t.src, def, row)
			}
		}
		if !rows && (t.reading.Over == "" || t.reading.Over == derive.OverFirst) {
			break
		}
	}
	out.numbers = numbers
	if value, ok := t.reading.Over.Combine(numbers); !rows && ok && len(numbers) > 1 {
		out.numbers = []float64{value}
		out.Value, out.Row = units.Format(value, t.reading.Unit), fmt.Sprintf("%s of %d rows", t.reading.Over, len(numbers))
		if word, ok := t.reading.Codes[int(value)]; ok {
			out.Value = word
		}
	}
	if out.Stored+out.Failed == 0 {
		out.Value = "no row fits"
	}
	if out.Caution = t.caution(); out.Caution == "" {
		out.Caution = s.wordless(t.reading, t.src)
	}
	return out, nil
}

// mostWords is how many words of an enumeration are told.
const mostWords = 8

// wordless points out a state without words: its object is an enumeration, and its values are kept as numbers.
func (s *Service) wordless(r kit.Reading, src kit.Source) string {
	if r.Text || len(r.Codes) > 0 || len(r.Steps) > 0 || len(r.Value) == 0 {
		return ""
	}
	i := src.Column(r.Value[0])
	if i < 0 {
		return ""
	}
	at, err := mib.ParseOID(src.Columns()[i].Of)
	if err != nil {
		return "" // an index
	}
	o, _, _ := s.objects().Over(at)
	if o.Syntax != mib.Integer || len(o.Words) == 0 {
		return ""
	}
	var words []string
	for _, n := range slices.Sorted(maps.Keys(o.Words)) {
		words = append(words, fmt.Sprintf("%d %s", n, o.Words[n]))
	}
	return "It is a state without words: of " + o.Name + ", " + text.Some(words, mostWords) + "."
}
