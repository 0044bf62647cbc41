package engine

import (
	"cmp"
	"context"
	"slices"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/estate"
	"tirelessowl/internal/domain"
)

// strikes is how many rounds in a row must fail until what hangs on a source
// counts as not known.
const strikes = 2

// nothingThere is told where a device answers without having what it is asked for.
const nothingThere = "it answers, but has nothing of what is asked for here"

// problemOf is how a fetch went, in words and by its kind; empty when it went well.
func (sb *sourceBinding) problemOf(got derive.Fetched) (string, derive.Failure) {
	if got.Error != "" {
		return got.Error, got.Kind()
	}
	empty := !slices.ContainsFunc(got.Rows, func(r derive.Row) bool {
		return slices.ContainsFunc(r.Values, func(v derive.Value) bool { return v.Kind != derive.Missing })
	})
	if empty {
		return nothingThere, derive.Nothing
	}
	return "", ""
}

// noteSource notes how asking for a source goes, and tells whether the faults of
// the device are others now.
func (b *binding) noteSource(key string, sb *sourceBinding, got derive.Fetched, out *outcome) (faults bool) {
	problem, failure := sb.problemOf(got)
	if by := b.answersBy(sb); failure == derive.Silent && by != "" {
		problem, failure = "no answer here, while it answers by "+by+": its credential may be refused", derive.Denied
	}
	if key == b.reach {
		b.away = problem != ""
	}
	next := domain.Source{
		DeviceID: b.device.ID,
		Kit:      sb.kit.Name,
		Source:   sb.src.Key,
		State:    domain.SourceOK,
		Failure:  string(failure),
		Since:    got.At,
	}
	switch {
	case problem == "":
		sb.failed = 0
	case sb.src.Optional && (failure == derive.Wrong || failure == derive.Nothing):
		sb.failed = 0
		next.State, next.Error = domain.SourceAbsent, problem
	default:
		next.State, next.Error = domain.SourceFailing, problem
		// While the device is away, that is what is wrong, and nothing else is held
		// against it.
		if !b.away {
			sb.failed++
		}
		next.Faulty = sb.faulty() && key != b.reach
	}
	was := sb.status
	if next.State == was.State {
		next.Since = was.Since
	}
	if next == was {
		return false
	}
	sb.status = next
	out.sources = append(out.sources, next)
	return next.Faulty != was.Faulty || next.Faulty && next.Error != was.Error
}

// answersBy names another way by which the device has answered since this source
// fails; empty for none.
func (b *binding) answersBy(sb *sourceBinding) string {
	if sb.status.State != domain.SourceFailing {
		return ""
	}
	for _, other := range b.sources {
		if other.src.Way != sb.src.Way && other.status.State == domain.SourceOK && other.asked.After(sb.status.Since) {
			return other.src.Way
		}
	}
	return ""
}

func (sb *sourceBinding) faulty() bool {
	return sb.failed >= strikes || sb.status.Faulty && sb.status.State == domain.SourceFailing
}

// faults are what the device should tell and does not, the oldest first.
func (b *binding) faults() (out []estate.Fault) {
	for _, sb := range b.sources {
		if sb.status.Faulty {
			out = append(out, estate.Fault{Source: sb.kit.SourceTitle(sb.src), Reason: sb.status.Error, Since: sb.status.Since})
		}
	}
	slices.SortFunc(out, func(x, y estate.Fault) int { return cmp.Or(x.Since.Compare(y.Since), cmp.Compare(x.Source, y.Source)) })
	return out
}

// restoreSources takes up how asking went before.
func (b *binding) restoreSources(stored []domain.Source) {
	for _, x := range stored {
		if sb := b.sources[x.Kit+"/"+x.Source]; sb != nil {
			sb.status = x
		}
	}
}

// setFaults tells the judge what a device does not tell.
func (j *Judge) setFaults(id domain.ID, faults []estate.Fault, now time.Time) {
	j.tell(context.Background(), func() { j.found(j.estate.SetFaults(id, faults, now)) })
}
