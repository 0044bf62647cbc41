package engine

import (
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
)

// outcome is what one fetch gave.
type outcome struct {
	// samples are for the judge, stored what of them is stored, with what was left out before.
	samples []domain.SeriesSample
	stored  []domain.SeriesSample
	texts   []domain.SeriesText
	states  []domain.Series // whose collecting began, failed or recovered
	// implausible are values that cannot be.
	implausible []domain.ImplausibleValue
	sources     []domain.Source // for which asking goes otherwise now
	uptimes     []uptimes
	// faulty are devices that no longer tell the same as before.
	faulty []domain.ID
}

// size is how much the outcome holds.
func (o *outcome) size() int {
	return len(o.samples) + len(o.stored) +
		len(o.texts) + len(o.states) + len(o.implausible) + len(o.sources) + len(o.uptimes) + len(o.faulty)
}

// add puts another outcome behind.
func (o *outcome) add(more outcome) {
	o.samples = append(o.samples, more.samples...)
	o.stored = append(o.stored, more.stored...)
	o.texts = append(o.texts, more.texts...)
	o.states = append(o.states, more.states...)
	o.implausible = append(o.implausible, more.implausible...)
	o.sources = append(o.sources, more.sources...)
	o.uptimes = append(o.uptimes, more.uptimes...)
	o.faulty = append(o.faulty, more.faulty...)
}

// take turns one fetch into samples. Rows of parts must be bound already; rows
// has those of each kind.
func (sb *sourceBinding) take(got derive.Fetched, rows [][]collect.Row) outcome {
	var out outcome
	look := derive.Look{Got: got}
	for _, bs := range sb.own {
		sb.takeOwn(bs, &look, &out)
	}
	for i, kb := range sb.kinds {
		if got.Error != "" {
			kb.fail(got.Error, &out)
			continue
		}
		sb.takeParts(kb, &look, rows[i], &out)
	}
	return out
}

// takeParts turns rows of parts into samples.
func (sb *sourceBinding) takeParts(kb *kindBinding, look *derive.Look, rows []collect.Row, out *outcome) {
	for _, row := range rows {
		bp, ok := kb.rows[row.Index]
		if !ok {
			continue
		}
		for _, bs := range bp.series {
			look.Row, look.State, look.Ceiling = row.Row, &bs.state, 0 // the line's speed bounds bytes, not packets
			if bs.reading.Purpose == kit.Traffic {
				look.Ceiling = bp.ceiling
			}
			look.Reading = sb.others(bs, bp, look.Got.When(row.Row))
			if bs.reading.Text {
				bs.keepText(look, out)
				continue
			}
			bs.keep(bs.formula.Apply(look), look.Got.When(row.Row), out)
		}
	}
}

// takeOwn computes a reading of the device itself, over all rows that its
// filter keeps.
func (sb *sourceBinding) takeOwn(bs *boundSeries, look *derive.Look, out *outcome) {
	got := look.Got
	look.State, look.Ceiling, look.Reading = &bs.state, 0, sb.others(bs, nil, got.At)
	if got.Error != "" && !bs.reading.Always {
		bs.note(derive.Taken{Problem: got.Error}, out)
		return
	}
	if len(bs.reading.FirstOf) > 0 {
		var taken derive.Taken
		taken, bs.says = bs.reading.Balanced(sb.src, got.Rows)
		bs.keep(taken, got.At, out)
		return
	}
	var values []float64
	taken := derive.Taken{Problem: "no row of the device fits this reading"}
	for _, row := range got.Rows {
		if !bs.reading.Filter.Keeps(sb.src, row) {
			continue
		}
		look.Row = row
		if bs.reading.Text {
			bs.keepText(look, out)
			return
		}
		if taken = bs.formula.Apply(look); taken.Implausible {
			bs.keep(taken, got.At, out) // it would spoil the whole
			return
		}
		if taken.OK {
			values = append(values, taken.Value)
		}
		if bs.reading.Over == derive.OverFirst || bs.reading.Over == "" {
			break
		}
	}
	taken.Value, taken.OK = bs.reading.Over.Combine(values)
	bs.keep(taken, got.At, out)
}

func (kb *kindBinding) fail(problem string, out *outcome) {
	for _, bp := range kb.rows {
		for _, bs := range bp.series {
			bs.note(derive.Taken{Problem: problem}, out)
		}
	}
}

// keep stores a value, or puts it aside where it cannot be, and notes when the
// way that collecting goes changed.
func (bs *boundSeries) keep(taken derive.Taken, at time.Time, out *outcome) {
	x := domain.SeriesSample{SeriesID: bs.id, Sample: domain.Sample{At: at, Value: taken.Value}}
	switch {
	case taken.OK:
		out.samples = append(out.samples, x)
		bs.store(x, out)
		bs.newest = x.Sample
	case taken.Implausible:
		out.implausible = append(out.implausible, domain.ImplausibleValue{SeriesSample: x, Reason: taken.Problem})
	}
	bs.note(taken, out)
}

// keepText stores the text of a row.
func (bs *boundSeries) keepText(look *derive.Look, out *outcome) {
	text, ok, problem := bs.formula.Text(look)
	if ok {
		out.texts = append(out.texts, domain.SeriesText{SeriesID: bs.id, At: look.Got.When(look.Row), Text: text})
	}
	bs.note(derive.Taken{OK: ok, Problem: problem, Absent: problem != "" && !ok && text == ""}, out)
}

// note tells when the way that collecting goes changed.
func (bs *boundSeries) note(taken derive.Taken, out *outcome) {
	var status domain.SeriesState
	problem := taken.Problem
	switch {
	case taken.OK && bs.full:
		return // it was refused, and is until the application starts again
	case taken.OK:
		status, problem = domain.SeriesOK, ""
	case taken.Absent && bs.reading.Optional:
		status = domain.SeriesAbsent
	case problem != "":
		status = domain.SeriesFailing
	default:
		return // nothing to say yet, such as the first look at a counter
	}
	if status != bs.status || problem != bs.problem {
		bs.status, bs.problem = status, problem
		out.states = append(out.states, domain.Series{ID: bs.id, State: status, Error: problem})
	}
}
