// Package recognition is the use cases of telling what devices are: rules that people write beside
// those that ship, and the public registry of enterprises.
package recognition

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/netip"
	"slices"
	"sync/atomic"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/recognise"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// Service is the use cases.
type Service struct {
	desk    *act.Desk
	store   *store.Store
	shipped recognise.Rules
	text    string // of those
	own     atomic.Pointer[recognise.Rules]
}

// New returns the service with the rules that ship; it knows no others before Load.
func New(s *store.Store, desk *act.Desk, shipped []byte) (*Service, error) {
	rules, err := recognise.Parse(shipped)
	if err != nil {
		return nil, fmt.Errorf("shipped rules of recognition: %w", err)
	}
	out := &Service{desk: desk, store: s, shipped: rules, text: string(shipped)}
	out.own.Store(&recognise.Rules{})
	return out, nil
}

// Load takes up what people wrote before.
func (s *Service) Load(ctx context.Context) error {
	text, err := s.store.Settings.Get(ctx, recognise.Setting)
	if err != nil {
		return err
	}
	rules, err := recognise.Parse([]byte(text))
	if err != nil {
		return err
	}
	s.own.Store(&rules)
	return nil
}

// Rules are those that people wrote, and behind them those that ship.
func (s *Service) Rules() recognise.Rules { return slices.Concat(*s.own.Load(), s.shipped) }

// Makers are what the registry calls the enterprises of some object ids.
func (s *Service) Makers(ctx context.Context, objectIDs []string) (map[string]string, error) {
	return makers(ctx, s.store.Enterprises, objectIDs)
}

func makers(ctx context.Context, from store.Enterprises, objectIDs []string) (map[string]string, error) {
	numbers, out := map[int64]bool{}, map[string]string{}
	for _, id := range objectIDs {
		if n, ok := recognise.Enterprise(id); ok {
			numbers[n] = true
		}
	}
	if len(numbers) == 0 {
		return out, nil
	}
	names, err := from.Names(ctx, slices.Collect(maps.Keys(numbers)))
	for _, id := range objectIDs {
		if n, ok := recognise.Enterprise(id); ok {
			out[id] = names[n]
		}
	}
	return out, err
}

// Written is what people wrote, with its mark, and what there is beside.
type Written struct {
	Text       string
	Mark       string
	Shipped    string
	Registered int64 // enterprises
}

// Written returns what people wrote.
func (s *Service) Written(ctx context.Context, who access.Actor) (w Written, err error) {
	seen, err := s.desk.See(ctx, who, domain.AreaFind)
	if err != nil {
		return w, err
	}
	if w.Text, err = seen.Settings.Get(ctx, recognise.Setting); err != nil {
		return w, err
	}
	w.Mark, w.Shipped = act.Mark(w.Text), s.text
	w.Registered, err = seen.Enterprises.Count(ctx)
	return w, err
}

var (
	setRules     = act.Deed{Name: "change how devices are recognised", Area: domain.AreaFind, Needs: domain.AccessConfigure}
	loadRegistry = act.Deed{Name: "load the registry of enterprises", Area: domain.AreaFind, Needs: domain.AccessConfigure}
)

// Write sets what people wrote; it is ErrChanged where that is no more what was seen, by its mark.
func (s *Service) Write(ctx context.Context, who access.Actor, written, mark string) error {
	if _, err := parsed(written); err != nil {
		return err
	}
	return s.desk.Do(ctx, who, setRules, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		before, err := w.Settings.Get(ctx, recognise.Setting)
		if err != nil {
			return err
		}
		if err := act.Since(before, mark); err != nil {
			return err
		}
		w.Note(act.Thing{Kind: "recognition", Name: "rules"}, notedRules{before}, notedRules{written})
		w.Then(s.Load)
		return w.Settings.Set(ctx, recognise.Setting, written)
	})
}

// notedRules is how what people wrote is noted.
type notedRules struct {
	Rules string `json:"rules"`
}

// Undoing is how what was done to the rules is undone, by deed.
func (s *Service) Undoing() map[string]act.Undoing {
	return map[string]act.Undoing{setRules.Name: {
		Present: func(ctx context.Context, who access.Actor, _ domain.ID) (any, error) {
			w, err := s.Written(ctx, who)
			return notedRules{w.Text}, err
		},
		Put: func(ctx context.Context, who access.Actor, _ domain.ID, document json.RawMessage) error {
			shall, err := act.Read[notedRules](document)
			if err != nil {
				return err
			}
			return s.Write(ctx, who, shall.Rules, "")
		},
	}}
}

func parsed(written string) (recognise.Rules, error) {
	rules, err := recognise.Parse([]byte(written))
	if err != nil {
		return nil, domain.FieldErrors{"rules": text.UpperFirst(err.Error()) + "."}
	}
	return rules, nil
}

// LoadRegistry puts a registry, in the form in which it is published, in the place of the one
// before, and returns how many enterprises it has.
func (s *Service) LoadRegistry(ctx context.Context, who access.Actor, from io.Reader) (n int, err error) {
	if _, err := s.desk.Reach(ctx, who, loadRegistry); err != nil {
		return 0, err
	}
	data, err := io.ReadAll(io.LimitReader(from, recognise.MostRegistry+1))
	if err != nil {
		return 0, err
	}
	if len(data) > recognise.MostRegistry {
		return 0, domain.FieldErrors{"file": fmt.Sprintf("At most %d MiB.", recognise.MostRegistry>>20)}
	}
	all, err := recognise.ReadRegistry(bytes.NewReader(data))
	if err != nil {
		return 0, domain.FieldErrors{"file": text.UpperFirst(err.Error())}
	}
	return len(all), s.replace(ctx, who, all)
}

// DropRegistry takes the registry away: makers are shown by their numbers again.
func (s *Service) DropRegistry(ctx context.Context, who access.Actor) error {
	return s.replace(ctx, who, nil)
}

func (s *Service) replace(ctx context.Context, who access.Actor, all map[int64]string) error {
	type noted struct {
		Enterprises int64 `json:"enterprises"`
	}
	return s.desk.Do(ctx, who, loadRegistry, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		before, err := w.Enterprises.Count(ctx)
		if err != nil {
			return err
		}
		w.Note(act.Thing{Kind: "recognition", Name: "enterprises"}, noted{before}, noted{int64(len(all))})
		return w.Enterprises.Replace(ctx, all)
	})
}

// Change is a find that would be recognised otherwise.
type Change struct {
	Address string          `json:"address"`
	Name    string          `json:"name"`
	Before  recognise.Known `json:"before"`
	After   recognise.Known `json:"after"`
	Why     why.Trace       `json:"why"`
}

// Rehearsal is what rules would make of all that answered sweeps the last time.
type Rehearsal struct {
	Answers int      `json:"answers"`
	Changes []Change `json:"changes"`
	More    int      `json:"more"` // changes that are not told one by one
}

// mostTold is how many changes are told one by one.
const mostTold = 200

// Rehearse tells what would be recognised otherwise if people wrote something else.
func (s *Service) Rehearse(ctx context.Context, who access.Actor, written string) (r Rehearsal, err error) {
	seen, err := s.desk.See(ctx, who, domain.AreaFind)
	if err != nil {
		return r, err
	}
	rules, err := parsed(written)
	if err != nil {
		return r, err
	}
	answers, err := answersOf(ctx, seen)
	if err != nil {
		return r, err
	}
	ids := make([]string, len(answers))
	for i, a := range answers {
		ids[i] = a.ObjectID
	}
	known, err := makers(ctx, seen.Enterprises, ids)
	if err != nil {
		return r, err
	}
	r.Answers = len(answers)
	was, shall := s.Rules(), slices.Concat(rules, s.shipped)
	for _, a := range answers {
		before, _ := was.Of(a, known[a.ObjectID])
		after, trace := shall.Of(a, known[a.ObjectID])
		switch {
		case before == after:
		case len(r.Changes) == mostTold:
			r.More++
		default:
			r.Changes = append(r.Changes, Change{a.Address.String(), a.Name, before, after, trace})
		}
	}
	return r, nil
}

// answersOf are what answered the sweeps that may be seen, each address once.
func answersOf(ctx context.Context, seen *store.Seen) (out []identity.Answer, err error) {
	sweeps, err := seen.Sweeps.All(ctx)
	if err != nil {
		return nil, err
	}
	told := map[netip.Addr]bool{}
	for _, w := range sweeps {
		all, err := seen.SweepAnswers.Of(ctx, w.ID)
		if err != nil {
			return nil, err
		}
		for _, x := range all {
			var a identity.Answer
			if err := json.Unmarshal(x.Said, &a); err != nil {
				return nil, fmt.Errorf("what %s said: %w", x.Address, err)
			}
			if !told[x.Address] {
				told[x.Address] = true
				out = append(out, a)
			}
		}
	}
	return out, nil
}
