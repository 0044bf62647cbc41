package engine

import (
	"time"

	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/estate"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
)

// binding joins what a device answers to the series that store it.
type binding struct {
	device    domain.Device
	via       domain.ID
	stretched inherit.Resolved          // where its stretch comes from
	hours     cadence.Hours             // when it is asked
	open      bool                      // it is now
	sources   map[string]*sourceBinding // by Question.Key
	reach     string                    // key of the source that tells whether the device answers
	parts     []domain.Part
	off       map[domain.ID]bool // parts that are not collected
	series    map[seriesKey]domain.Series
	booted    time.Time // the machine
	agent     time.Time // what answers for it
	away      bool      // it did not answer when it was asked last whether it does
}

// seriesKey names a series within its device.
type seriesKey struct {
	kit.Ref
	part domain.ID
}

type sourceBinding struct {
	kit    *kit.Kit
	src    kit.Source
	status domain.Source
	failed int       // rounds in a row
	asked  time.Time // when the last round began
	ran    domain.SourceRun
	own    []*boundSeries // readings of the device itself
	kinds  []*kindBinding
	all    map[string]*sourceBinding // of the device
	// formulas are those of its readings, by key.
	formulas map[string]*derive.Formula
}

func (sb *sourceBinding) formula(r kit.Reading) *derive.Formula {
	f := sb.formulas[r.Key]
	if f == nil {
		f = sb.kit.Formula(r, sb.src)
		sb.formulas[r.Key] = f
	}
	return f
}

// kindBinding is one kind of part that the source's rows make.
type kindBinding struct {
	def    kit.Parts
	reader *collect.Reader
	known  collect.Known
	rows   map[string]*boundPart // by index
	unsure []unsure
}

type boundPart struct {
	part    domain.Part
	series  []*boundSeries
	ceiling float64 // highest possible rate in bytes a second, 0 when not known
}

type boundSeries struct {
	id      domain.ID
	reading kit.Reading
	formula *derive.Formula // of the reading, shared by all its series
	state   derive.State
	status  domain.SeriesState
	problem string
	says    string // which way of several made the newest value
	full    bool   // a text series that takes no more different texts
	newest  domain.Sample
	kept    domain.Sample // the last that was stored, where some are left out
}

// bind builds the binding of a device from what is stored.
func bind(d domain.Device, h collect.Held) *binding {
	b := &binding{
		device:  d,
		sources: map[string]*sourceBinding{},
		parts:   h.Parts,
		off:     map[domain.ID]bool{},
		series:  make(map[seriesKey]domain.Series, len(h.Series)),
		booted:  d.BootedAt,
		agent:   d.AgentSince,
	}
	for _, p := range h.Parts {
		if h.Tree.PartOff(p.ID) {
			b.off[p.ID] = true
		}
	}
	b.add(h.Series)
	for _, e := range h.Kits {
		for _, src := range e.Kit.SourcesFor(e.Values) {
			b.bindSource(e.Kit, src)
		}
	}
	return b
}

func (b *binding) add(series []domain.Series) {
	for _, s := range series {
		b.series[seriesKey{kit.Ref{Kit: s.Kit, Reading: s.Reading}, s.PartID}] = s
	}
}

// inherit carries over from the binding before what was seen since it was made: the last looks at counters, how asking
// goes.
func (b *binding) inherit(old *binding) {
	if old == nil {
		return
	}
	b.away, b.booted, b.agent = old.away, old.booted, old.agent
	before := map[domain.ID]*boundSeries{}
	old.each(func(bs *boundSeries) { before[bs.id] = bs })
	b.each(func(bs *boundSeries) {
		if was := before[bs.id]; was != nil {
			bs.state, bs.full, bs.newest, bs.kept = was.state, was.full, was.newest, was.kept
			bs.status, bs.problem, bs.says = was.status, was.problem, was.says
		}
	})
	for key, sb := range b.sources {
		if was := old.sources[key]; was != nil {
			sb.inherit(was)
		}
	}
}

// inherit carries over how asking goes, and which rows were left by their parts.
func (sb *sourceBinding) inherit(old *sourceBinding) {
	sb.status, sb.failed, sb.asked, sb.ran = old.status, old.failed, old.asked, old.ran
	for _, kb := range sb.kinds {
		for _, was := range old.kinds {
			if was.def.Kind == kb.def.Kind {
				kb.known.Left, kb.unsure = was.known.Left, was.unsure
			}
		}
	}
}

func (b *binding) bindSource(k *kit.Kit, src kit.Source) {
	sb := &sourceBinding{kit: k, src: src, all: b.sources, formulas: map[string]*derive.Formula{}}
	key := k.Name + "/" + src.Key
	b.sources[key] = sb
	for _, r := range k.Readings {
		if r.Source != src.Key || r.Of != "" {
			continue
		}
		if bs := b.bound(sb, r, 0); bs != nil {
			sb.own = append(sb.own, bs)
			if r.Purpose == kit.Reach {
				b.reach = key
			}
		}
	}
	for _, def := range k.Parts {
		if def.Source != src.Key {
			continue
		}
		kb := &kindBinding{def: def, reader: collect.NewReader(sb.src, def)}
		for _, p := range b.parts {
			if p.Kit == k.Name && p.Kind == def.Kind {
				kb.known.Parts = append(kb.known.Parts, p)
			}
		}
		b.bindParts(sb, kb)
		sb.kinds = append(sb.kinds, kb)
	}
}

// bindParts joins the rows of a kind to their series.
func (b *binding) bindParts(sb *sourceBinding, kb *kindBinding) {
	kb.rows = make(map[string]*boundPart, len(kb.known.Parts))
	for _, p := range kb.known.Parts {
		if !p.GoneAt.IsZero() {
			continue
		}
		bp := &boundPart{part: p, ceiling: p.Speed / 8}
		for _, r := range sb.kit.Readings {
			if r.Of != kb.def.Kind || b.off[p.ID] {
				continue
			}
			if bs := b.bound(sb, r, p.ID); bs != nil {
				bp.series = append(bp.series, bs)
			}
		}
		kb.rows[p.Index] = bp
	}
}

// bound returns a reading joined to its series, or nil where there is none.
func (b *binding) bound(sb *sourceBinding, r kit.Reading, part domain.ID) *boundSeries {
	s, ok := b.series[seriesKey{kit.Ref{Kit: sb.kit.Name, Reading: r.Key}, part}]
	if !ok {
		return nil
	}
	return &boundSeries{id: s.ID, reading: r, formula: sb.formula(r), status: s.State, problem: s.Error}
}

// watched is what the judge watches of the device: the series that are collected.
func (b *binding) watched() (out []estate.Series) {
	names := make(map[domain.ID]string, len(b.parts))
	for _, p := range b.parts {
		names[p.ID] = p.Name
	}
	collected := map[domain.ID]bool{}
	b.each(func(bs *boundSeries) { collected[bs.id] = true })
	for _, s := range b.series {
		if collected[s.ID] {
			out = append(out, b.asWatched(s, names[s.PartID]))
		}
	}
	return out
}

// asWatched is a series as the judge sees it.
func (b *binding) asWatched(s domain.Series, part string) estate.Series {
	out := estate.Series{
		ID:       s.ID,
		DeviceID: s.DeviceID,
		PartID:   s.PartID,
		Part:     part,
		Name:     s.Name,
		Kit:      s.Kit,
		Reading:  s.Reading,
		Unit:     s.Unit,
		Every:    s.Interval,
	}
	for _, sb := range b.sources {
		if sb.kit.Name == s.Kit {
			r, _ := sb.kit.Reading(s.Reading)
			out.Reach, out.Tags = r.Purpose == kit.Reach, r.Tags
		}
	}
	return out
}

// needsSync tells whether the rows seen now are others than those bound.
func (kb *kindBinding) needsSync(rows []collect.Row) bool {
	present := 0
	for _, row := range rows {
		var p *domain.Part
		if bp := kb.rows[row.Index]; bp != nil {
			p = &bp.part
			present++
		}
		if !kb.known.Fits(row, p) {
			return true
		}
	}
	return present != len(kb.rows)
}

// find returns a series of the binding with its source, or nil.
func (b *binding) find(id domain.ID) (found *boundSeries, source *sourceBinding) {
	if b == nil {
		return nil, nil
	}
	for _, sb := range b.sources {
		sb.each(func(bs *boundSeries) {
			if bs.id == id {
				found, source = bs, sb
			}
		})
	}
	return found, source
}

// part returns a part of the device by its id.
func (b *binding) part(id domain.ID) (domain.Part, bool) {
	for _, p := range b.parts {
		if p.ID == id {
			return p, true
		}
	}
	return domain.Part{}, false
}

// each gives all series of the binding that are collected.
func (b *binding) each(f func(*boundSeries)) {
	for _, sb := range b.sources {
		sb.each(f)
	}
}

func (sb *sourceBinding) each(f func(*boundSeries)) {
	for _, bs := range sb.own {
		f(bs)
	}
	for _, kb := range sb.kinds {
		for _, bp := range kb.rows {
			for _, bs := range bp.series {
				f(bs)
			}
		}
	}
}
