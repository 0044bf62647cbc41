package store

import (
	"context"
	"time"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/domain"
)

// Runs returns the values of series and how long each of them stood, for
// all runs that reach into a time, ordered; the texts of text series are filled in.
func (s Values) Runs(ctx context.Context, series []domain.Series, from, to time.Time) (map[domain.ID][]domain.Run, error) {
	out := map[domain.ID][]domain.Run{}
	err := s.samples.Runs(ctx, domain.IDsOf(series), from, to, func(id domain.ID, runs []codec.Run) error {
		out[id] = each(runs, runOf)
		return nil
	})
	if err != nil {
		return nil, err
	}
	return out, s.fillWords(ctx, series, out)
}

// Standing returns the run that is newest in each of the series that states
// or texts have, with its true begin.
func (s Values) Standing(ctx context.Context, series []domain.Series) (map[domain.ID]domain.Run, error) {
	var standing []domain.Series
	for _, x := range series {
		if x.Kind.Stands() {
			standing = append(standing, x)
		}
	}
	out := map[domain.ID]domain.Run{}
	if len(standing) == 0 {
		return out, nil
	}
	found, err := s.samples.Standing(ctx, domain.IDsOf(standing))
	if err != nil {
		return nil, err
	}
	runs := map[domain.ID][]domain.Run{}
	for id, r := range found {
		runs[id] = []domain.Run{runOf(r)}
	}
	err = s.fillWords(ctx, standing, runs)
	for id, r := range runs {
		out[id] = r[0]
	}
	return out, err
}

// fillWords puts in the texts of text series.
func (s Values) fillWords(ctx context.Context, series []domain.Series, runs map[domain.ID][]domain.Run) error {
	needed := map[WordKey]bool{}
	eachText := func(f func(k WordKey, r *domain.Run)) {
		for _, x := range series {
			if x.Kind != domain.KindText {
				continue
			}
			for i := range runs[x.ID] {
				r := &runs[x.ID][i]
				f(WordKey{x.ID, int(r.Value)}, r)
			}
		}
	}
	eachText(func(k WordKey, _ *domain.Run) { needed[k] = true })
	words, err := s.words.Of(ctx, needed)
	eachText(func(k WordKey, r *domain.Run) { r.Text = words[k] })
	return err
}

func runOf(r codec.Run) domain.Run {
	return domain.Run{From: time.UnixMilli(r.First).UTC(), Until: time.UnixMilli(r.Last).UTC(), Count: r.Count, Value: r.V}
}
