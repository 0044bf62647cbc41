package fitting

import (
	"cmp"
	"context"
	"maps"
	"slices"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/domain"
)

// Vocable is something that the condition of a rule may ask for, with the values that it has most often in
// the estate.
type Vocable struct {
	fit.Word
	Values []string
}

// mostValues is how many values are told of each.
const mostValues = 6

// Words are all that the condition of a rule may ask for.
func (s *Service) Words(ctx context.Context, who access.Actor) (out []Vocable, err error) {
	seen, err := s.Desk.SeeWhole(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, err
	}
	w, err := s.read(ctx, &seen.Areas)
	if err != nil {
		return nil, err
	}
	subjects := make([]fit.Subject, len(w.devices))
	for i, d := range w.devices {
		subjects[i] = w.subject(d)
	}
	for _, word := range fit.Words() {
		count := map[string]int{}
		for i := range subjects {
			for _, value := range subjects[i].Values(word.Name) {
				count[value]++
			}
		}
		if len(count) > mostValues {
			maps.DeleteFunc(count, func(_ string, n int) bool { return n == 1 }) // what each has for itself helps nobody
		}
		values := slices.SortedFunc(maps.Keys(count), func(a, b string) int {
			return cmp.Or(cmp.Compare(count[b], count[a]), cmp.Compare(a, b))
		})
		out = append(out, Vocable{word, values[:min(len(values), mostValues)]})
	}
	return out, nil
}
