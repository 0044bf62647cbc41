package addition

import (
	"context"
	"errors"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/collect"
)

// errRehearsed takes back what was stored to see whether it could be.
var errRehearsed = errors.New("it was only tried")

// mostTried is how many questions a trial asks.
const mostTried = 3

// Try asks a thing what it would be asked if it were added, and stores nothing. What is wrong with the draft is told as
// where it is added.
func (s *Service) Try(ctx context.Context, who access.Actor, d Draft) (out []collect.Trial, err error) {
	at, err := s.located(ctx, who, d)
	if err != nil {
		return nil, err
	}
	questions, err := s.rehearsed(ctx, who, d, at)
	if err != nil {
		return nil, err
	}
	for _, q := range questions[:min(len(questions), mostTried)] {
		t := s.Kits.Ask(ctx, q)
		t.Kit, t.Source = d.Kit, strings.TrimPrefix(q.Key, d.Kit+"/")
		out = append(out, t)
	}
	return out, nil
}

// rehearsed are the questions that a thing would be asked; nothing is stored.
func (s *Service) rehearsed(ctx context.Context, who access.Actor, d Draft, at target) (questions []way.Question, err error) {
	err = s.Desk.Together(ctx, who, trying, func(ctx context.Context, w *act.Work) error {
		out, err := s.put(ctx, w, who, d, at, nil)
		if err != nil {
			return err
		}
		if questions, err = s.Kits.QuestionsOf(ctx, w.Areas, out.Device, d.Kit); err != nil {
			return err
		}
		return errRehearsed
	})
	if errors.Is(err, errRehearsed) {
		err = nil
	}
	return questions, err
}
