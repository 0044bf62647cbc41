package engine

import (
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
)

// binding joins what a device answers to the series that store it.
type binding struct {
	device  domain.Device
	sources map[string]*sourceBinding // by Request.Key
	parts   []domain.Part
	series  []domain.Series
	booted  time.Time
}

type sourceBinding struct {
	kit   *kit.Kit
	src   kit.Source
	own   []*boundSeries // readings of the device itself
	kinds []*kindBinding
}

// kindBinding is one kind of part that the source's rows make.
type kindBinding struct {
	def   kit.Parts
	parts []domain.Part
	rows  map[string]*boundPart // by index
}

type boundPart struct {
	part    domain.Part
	series  []*boundSeries
	ceiling float64 // highest possible rate in bytes a second, 0 when not known
}

type boundSeries struct {
	id      domain.ID
	reading kit.Reading
	formula derive.Formula
	state   derive.State
	status  domain.SeriesState
	problem string
	full    bool // a text series that takes no more different texts
}

// bind builds the binding of a device from what is stored.
func bind(kits *collect.Service, d domain.Device, fittings []domain.Fitting, parts []domain.Part, series []domain.Series) *binding {
	b := &binding{device: d, sources: map[string]*sourceBinding{}, parts: parts, series: series, booted: d.BootedAt}
	byReading := map[string][]domain.Series{}
	for _, s := range series {
		byReading[s.Kit+"/"+s.Reading] = append(byReading[s.Kit+"/"+s.Reading], s)
	}
	for _, f := range fittings {
		k, err := kits.Kit(f.Kit)
		if err != nil {
			continue
		}
		for _, src := range k.Sources {
			b.sources[k.Name+"/"+src.Key] = bindSource(k, src, byReading, parts)
		}
	}
	return b
}

// inherit carries the last looks at counters over from the binding before.
func (b *binding) inherit(old *binding) {
	if old == nil {
		return
	}
	states := map[domain.ID]derive.State{}
	old.each(func(bs *boundSeries) { states[bs.id] = bs.state })
	b.each(func(bs *boundSeries) { bs.state = states[bs.id] })
}

func bindSource(k *kit.Kit, src kit.Source, byReading map[string][]domain.Series, parts []domain.Part) *sourceBinding {
	sb := &sourceBinding{kit: k, src: src}
	for _, r := range k.Readings {
		if r.Source == src.Key && r.Of == "" {
			for _, s := range byReading[k.Name+"/"+r.Key] {
				sb.own = append(sb.own, boundTo(k, r, s))
			}
		}
	}
	for _, def := range k.Parts {
		if def.Source != src.Key {
			continue
		}
		kb := &kindBinding{def: def, rows: map[string]*boundPart{}}
		for _, p := range parts {
			if p.Kit == k.Name && p.Kind == def.Kind {
				kb.parts = append(kb.parts, p)
				kb.bindPart(k, p, byReading)
			}
		}
		sb.kinds = append(sb.kinds, kb)
	}
	return sb
}

func (kb *kindBinding) bindPart(k *kit.Kit, p domain.Part, byReading map[string][]domain.Series) {
	if !p.GoneAt.IsZero() {
		return
	}
	bp := &boundPart{part: p, ceiling: p.Speed / 8}
	for _, r := range k.Readings {
		if r.Of != kb.def.Kind {
			continue
		}
		for _, s := range byReading[k.Name+"/"+r.Key] {
			if s.PartID == p.ID {
				bp.series = append(bp.series, boundTo(k, r, s))
			}
		}
	}
	kb.rows[p.Index] = bp
}

func boundTo(k *kit.Kit, r kit.Reading, s domain.Series) *boundSeries {
	return &boundSeries{id: s.ID, reading: r, formula: k.Formula(r), status: s.State, problem: s.Error}
}

// needsSync tells whether the rows seen now are others than those bound.
func (kb *kindBinding) needsSync(src kit.Source, rows []derive.Row) bool {
	seen := 0
	for _, row := range rows {
		if !kb.def.Filter.Keeps(src, row) {
			continue
		}
		seen++
		bp, ok := kb.rows[row.Index]
		if !ok || bp.part.Key != collect.PartKey(src, kb.def, row) {
			return true
		}
	}
	return seen != len(kb.rows)
}
