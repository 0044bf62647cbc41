package changes

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/change"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Preview is what the changes of a set would do together.
type Preview struct {
	Told []Told // each edit of the set, in words
	// Wrong counts the edits that cannot be done as they are.
	Wrong int
	change.Effect
	Alerts []Alerting
	// Ends are open alerts on what would not be collected any more.
	Ends  []string
	Judge why.Trace // what would be raised and ended
}

// Alerting is a rule that would be otherwise, with what it raises.
type Alerting struct {
	Rule rule.Rule
	How  string // new, changed or gone
	// Series are those that it looks at which have values, at most 600.
	Series int
	// Now is how many alerts of it are open, Then how many would be.
	Now, Then int
	Worst     domain.Level // of these
	Names     []string     // of some on which it would be
}

// lookedBack is over how much of the past a rule is tried to tell what it would raise now.
const lookedBack = 3 * time.Hour

// mostRaised is how many open alerts are looked at.
const mostRaised = 2000

// mostNamed is how many things are named of each rule.
const mostNamed = 4

// Rehearse tells what the changes of a set would do, and changes nothing.
func (s *Service) Rehearse(ctx context.Context, who access.Actor, id domain.ID) (Preview, error) {
	c, err := s.One(ctx, who, id)
	if err != nil {
		return Preview{}, err
	}
	return s.RehearseEdits(ctx, who, c.Edits)
}

// RehearseEdits tells what edits would do, and changes nothing. What is wrong with one is told with it, and the
// others are told without it.
func (s *Service) RehearseEdits(ctx context.Context, who access.Actor, edits []domain.Edit) (p Preview, err error) {
	if errs := tidy(&domain.ChangeSet{Name: "tried", Edits: edits}); len(errs) > 0 {
		return p, errs
	}
	before, rules, err := s.world(ctx, &s.Store.Areas)
	if err != nil {
		return p, err
	}
	t, err := s.try(ctx, who, edits)
	if err != nil {
		return p, err
	}
	p.Told, p.Wrong = s.told(ctx, who, edits, t.problems), len(t.problems)
	seen, err := s.Desk.Reach(ctx, who, seeOthers)
	if err != nil {
		return p, err
	}
	estate, err := s.Fitting.Estate(ctx, &seen.Areas)
	if err != nil {
		return p, err
	}
	p.Effect = change.Compare(estate, before, t.world)
	return p, s.raised(ctx, who, &p, situation{estate, before, t.world, rules, t.rules})
}

// situation is all that is compared.
type situation struct {
	estate        change.Estate
	before, after change.World
	rules, then   rulesBy
}

// rulesBy are rules by what names them.
type rulesBy map[string]rule.Rule

func rulesOf(all []rule.Rule) rulesBy {
	out := rulesBy{}
	for _, r := range all {
		out[named(r)] = r
	}
	return out
}

// named is what a rule is known by: those of kits by their keys there, the others by their ids.
func named(r rule.Rule) string {
	if r.Key != "" {
		return r.Kit + "/" + r.Key
	}
	return fmt.Sprint(r.ID)
}

// raised tells which alerts would be raised and ended.
func (s *Service) raised(ctx context.Context, who access.Actor, p *Preview, x situation) error {
	p.Judge.Question, p.Judge.Answer = "Which alerts would be raised and ended now?", "none"
	if who.Scope(domain.AreaJudge, domain.AccessSee).None() {
		p.Judge.Answer = "you do not see what is judged"
		return nil
	}
	seen, err := s.Desk.See(ctx, who, domain.AreaJudge)
	if err != nil {
		return err
	}
	open, err := seen.Alerts.Raised(ctx, mostRaised)
	if err != nil {
		return err
	}
	byRule := map[domain.ID]int{}
	devices := map[domain.ID]domain.Device{}
	for _, d := range x.estate.Devices {
		devices[d.ID] = d
	}
	for _, a := range open {
		byRule[a.RuleID]++
		d, known := devices[a.DeviceID]
		if _, collected := x.before.Kits.Kit(a.Kit); known && collected == nil &&
			change.Makes(x.estate, x.before, x.before, d, a.Kit, a.Reading) &&
			!change.Makes(x.estate, x.before, x.after, d, a.Kit, a.Reading) {
			p.Ends = append(p.Ends, a.Title)
		}
	}
	for _, name := range names(x.rules, x.then) {
		was, had := x.rules[name]
		now, has := x.then[name]
		if had && has && sameRule(was, now) {
			continue
		}
		a, err := s.alerting(ctx, who, was, now, had, has)
		if err != nil {
			return err
		}
		a.Now = byRule[was.ID]
		p.Alerts = append(p.Alerts, a)
	}
	slices.SortStableFunc(p.Alerts, func(a, b Alerting) int { return cmp.Or(b.Then-a.Then, cmp.Compare(a.Rule.Name, b.Rule.Name)) })
	p.say()
	return nil
}

func names(a, b rulesBy) (out []string) {
	for name := range a {
		out = append(out, name)
	}
	for name := range b {
		if _, both := a[name]; !both {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

func sameRule(a, b rule.Rule) bool {
	x, errX := EditOf(a)
	y, errY := EditOf(b)
	return errX == nil && errY == nil && alike(x, y)
}

// alerting tries a rule that would be otherwise on the last hours.
func (s *Service) alerting(ctx context.Context, who access.Actor, was, now rule.Rule, had, has bool) (a Alerting, err error) {
	switch {
	case !has:
		return Alerting{Rule: was, How: "gone"}, nil
	case !had:
		a = Alerting{Rule: now, How: "new"}
	default:
		a = Alerting{Rule: now, How: "changed"}
	}
	if !now.Enabled {
		return a, nil
	}
	r, err := s.Judge.Rehearse(ctx, who, now, lookedBack)
	if err != nil {
		return a, err
	}
	a.Series = r.Series
	for level, n := range r.Lasting {
		a.Then += n
		a.Worst = max(a.Worst, level)
	}
	for _, n := range r.Worst {
		if n.Lasts && len(a.Names) < mostNamed {
			a.Names = append(a.Names, strings.TrimSpace(n.Device+" "+n.Part))
		}
	}
	return a, nil
}

// say puts what would be raised and ended into words.
func (p *Preview) say() {
	raised, ended := 0, len(p.Ends)
	for _, a := range p.Alerts {
		raised += max(0, a.Then-a.Now)
		ended += max(0, a.Now-a.Then)
		detail := "nothing that it judges has values yet"
		if a.Series > 0 {
			detail = "tried on what was stored of " + text.Count(int64(a.Series), "series", "series")
		}
		if a.How == "gone" {
			detail = ""
		}
		p.Judge.Because(fmt.Sprintf("“%s” is %s: %d open, %d then", a.Rule.Name, a.How, a.Now, a.Then), detail, nil)
	}
	if n := len(p.Ends); n > 0 {
		says := text.Count(int64(n), "alert") + " would end, as what they judge is not collected any more"
		p.Judge.Because(says, text.Some(p.Ends, mostNamed), nil)
	}
	if raised+ended > 0 {
		p.Judge.Answer = text.Count(int64(raised), "alert") + " raised, " + fmt.Sprint(ended) + " ended"
	}
}
