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
	samples []domain.SeriesSample
	texts   []domain.SeriesText
	states  []domain.Series // whose collecting began, failed or recovered
}

// take turns one fetch into samples. Rows of parts must be bound already; rows
// has those of each kind.
func (sb *sourceBinding) take(got derive.Fetched, rows [][]collect.Row) outcome {
	var out outcome
	for _, bs := range sb.own {
		sb.takeOwn(bs, got, &out)
	}
	for i, kb := range sb.kinds {
		if got.Error != "" {
			kb.fail(got.Error, &out)
			continue
		}
		for _, row := range rows[i] {
			bp, ok := kb.rows[row.Index]
			if !ok {
				continue
			}
			for _, bs := range bp.series {
				ceiling := 0.0 // the line's speed bounds bytes, not packets
				if bs.reading.Purpose == kit.Traffic {
					ceiling = bp.ceiling
				}
				if bs.reading.Text {
					bs.keepText(row.Row, got, &out)
					continue
				}
				value, ok, problem := bs.formula.Apply(got, row.Row, &bs.state, ceiling)
				bs.keep(value, ok, string(problem), got.When(row.Row), &out)
			}
		}
	}
	return out
}

// takeOwn computes a reading of the device itself, over all rows that its
// filter keeps.
func (sb *sourceBinding) takeOwn(bs *boundSeries, got derive.Fetched, out *outcome) {
	if got.Error != "" && !bs.reading.Always {
		bs.keep(0, false, got.Error, got.At, out)
		return
	}
	var values []float64
	problem := "no row of the device fits this reading"
	for _, row := range got.Rows {
		if !bs.reading.Filter.Keeps(sb.src, row) {
			continue
		}
		if bs.reading.Text {
			bs.keepText(row, got, out)
			return
		}
		value, ok, why := bs.formula.Apply(got, row, &bs.state, 0)
		if ok {
			values = append(values, value)
		}
		problem = string(why)
		if bs.reading.Over == derive.OverFirst || bs.reading.Over == "" {
			break
		}
	}
	value, ok := bs.reading.Over.Combine(values)
	bs.keep(value, ok, problem, got.At, out)
}

func (kb *kindBinding) fail(problem string, out *outcome) {
	for _, bp := range kb.rows {
		for _, bs := range bp.series {
			bs.keep(0, false, problem, time.Time{}, out)
		}
	}
}

// keep stores a value, and notes when the way that collecting goes changed.
func (bs *boundSeries) keep(value float64, ok bool, problem string, at time.Time, out *outcome) {
	if ok {
		out.samples = append(out.samples, domain.SeriesSample{SeriesID: bs.id, Sample: domain.Sample{At: at, Value: value}})
	}
	bs.note(ok, problem, out)
}

// keepText stores the text of a row.
func (bs *boundSeries) keepText(row derive.Row, got derive.Fetched, out *outcome) {
	text, ok, problem := bs.formula.Text(row)
	if ok {
		out.texts = append(out.texts, domain.SeriesText{SeriesID: bs.id, At: got.When(row), Text: text})
	}
	bs.note(ok, string(problem), out)
}

// note tells when the way that collecting goes changed.
func (bs *boundSeries) note(ok bool, problem string, out *outcome) {
	status := bs.status
	switch {
	case ok && bs.full:
		return // it was refused, and is until the application starts again
	case ok:
		status, problem = domain.SeriesOK, ""
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
