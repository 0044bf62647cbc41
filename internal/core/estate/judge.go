package estate

import (
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/core/dependency"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// judge applies all rules of a series to its window.
func (e *Estate) judge(d *device, s *series, now time.Time) Result {
	var out Result
	rules := e.watching(s).rules
	for _, r := range rules {
		st := s.states[r.ID]
		if st == nil {
			st = &ruleState{}
			s.states[r.ID] = st
		}
		st.rule = r
		if !d.Paused {
			out.Add(e.judgeRule(d, s, st, now))
		}
	}
	if len(s.states) == len(rules) {
		return out
	}
	for id, st := range s.states {
		if !slices.ContainsFunc(rules, func(r rule.Rule) bool { return r.ID == id }) {
			fact := "The rule “" + st.rule.Name + "” no longer watches this series"
			out.Add(e.drop(d, s, st, now, "the rule was switched off or removed", fact))
			delete(s.states, id)
		}
	}
	return out
}

func (e *Estate) judgeRule(d *device, s *series, st *ruleState, now time.Time) Result {
	if st.level == domain.LevelNone && st.rule.AtRest(s.window) {
		st.badSince = time.Time{}
		return Result{}
	}
	found := st.rule.Find(st.level, s.window)
	// The window is short; the beginning of a longer run is kept here.
	if found.FirstBadAt.IsZero() || st.badSince.IsZero() {
		st.badSince = found.FirstBadAt
	}
	found.FirstBadAt = st.badSince
	if found.Level == domain.LevelNone && st.level == domain.LevelNone {
		return Result{} // bad, as a port that was never in use, and no trouble
	}
	v := st.rule.Explain(found, s.window)
	switch {
	case s.Reach && v.Level > st.level:
		return e.silent(d, s, st, v, now)
	case s.Reach && st.held && v.Level > domain.LevelNone:
		return e.release(d, s, st, v, now)
	case v.Level != st.level:
		return Result{Judged: []Judged{e.change(d, s, st, v, now, st.held)}}
	}
	if v.Level > domain.LevelNone {
		st.why = v.Why
	}
	return Result{}
}

// silent decides whether a device that stopped answering is down or out of reach.
func (e *Estate) silent(d *device, s *series, st *ruleState, v rule.Verdict, now time.Time) Result {
	verdict, by, trace := dependency.Judge(v.FirstBadAt, e.hops(d))
	if verdict == dependency.Wait && now.Sub(v.FirstBadAt) < cadence.Wait(s.Every) {
		return Result{Ask: []domain.ID{by.ID}}
	}
	v.Why.Include("Down, or only out of reach?", trace)
	return Result{Judged: []Judged{e.change(d, s, st, v, now, verdict == dependency.Unreachable)}}
}

// release turns held trouble into an alert once the way is clear again and
// the device has been asked often enough since.
func (e *Estate) release(d *device, s *series, st *ruleState, v rule.Verdict, now time.Time) Result {
	verdict, _, trace := dependency.Judge(v.FirstBadAt, e.hops(d))
	if verdict != dependency.Down {
		return Result{}
	}
	var clear time.Time
	for _, id := range e.chain(d.ID) {
		if hop := e.devices[id]; hop != nil && hop.answersFrom.After(clear) {
			clear = hop.answersFrom
		}
	}
	first := slices.IndexFunc(s.window, func(x domain.Sample) bool { return x.At.After(clear) })
	if first < 0 || st.rule.Condition.Level(domain.LevelNone, s.window[first:]) == domain.LevelNone {
		return Result{} // what was seen since then is not yet trouble by itself
	}
	v.Why.Include("Down, or only out of reach?", trace)
	j := e.change(d, s, st, v, now, false)
	j.From = domain.LevelNone // the held trouble never was an alert
	return Result{Judged: []Judged{j}}
}

// reconsider looks again at a device behind one that was just asked.
func (e *Estate) reconsider(d *device, now time.Time) Result {
	if d == nil || d.reach == nil || e.answers(d.reach) {
		return Result{}
	}
	out := e.judge(d, d.reach, now)
	out.Add(e.settleHealth(d, now))
	return out
}

func (e *Estate) change(d *device, s *series, st *ruleState, v rule.Verdict, now time.Time, held bool) Judged {
	j := Judged{Rule: st.rule, Series: s.Series, Device: d.Device, From: st.level, To: v.Level, At: now,
		FirstBadAt: v.FirstBadAt, Limit: v.Limit, Says: v.Says, Held: held, Why: v.Why}
	if n := len(s.window); n > 0 {
		j.Value = s.window[n-1].Value
	}
	if j.FirstBadAt.IsZero() {
		j.FirstBadAt = now
	}
	st.level, st.held, st.why = v.Level, held && v.Level > domain.LevelNone, v.Why
	st.title = Title(st.rule, d.Device, s.Series)
	d.note(st)
	return j
}

// drop ends the trouble of a rule on a series that it no longer watches.
func (e *Estate) drop(d *device, s *series, st *ruleState, now time.Time, answer, fact string) Result {
	if st.level == domain.LevelNone {
		return Result{}
	}
	t := why.Trace{Question: "Why fine?", Answer: answer}
	t.Because(fact, "", why.To("rule", st.rule.ID))
	ended := rule.Verdict{Finding: rule.Finding{Says: "is over: " + answer}, Why: t}
	return Result{Judged: []Judged{e.change(d, s, st, ended, now, st.held)}}
}

// Title fills the rule's title: {device} and {part} stand for the names.
func Title(r rule.Rule, d Device, s Series) string {
	title := r.Title
	if title == "" {
		title = r.Name + ": {part} {device}"
	}
	title = strings.NewReplacer("{device}", d.Name, "{part}", s.Part).Replace(title)
	return text.Brief(title, mostTitle)
}

// mostTitle is the longest title, in bytes: names of parts come from devices.
const mostTitle = 500

// Reason says a judged change in one sentence with value and limit.
func (j Judged) Reason() string {
	return strings.TrimSpace(j.Series.Part+" "+strings.ToLower(j.Series.Name)) + " " + j.Says
}
