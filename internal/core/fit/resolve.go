package fit

import (
	"cmp"
	"fmt"
	"maps"
	"slices"

	"tirelessowl/internal/core/condition"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Rule is a fitting rule that can be asked.
type Rule struct {
	domain.FittingRule
	when *condition.Condition
}

// Read compiles a rule; what is wrong with its condition is a condition.Wrong.
func Read(r domain.FittingRule) (Rule, error) {
	c, err := Compile(r.When)
	return Rule{r, c}, err
}

// Readable are the rules that can be read, and what is wrong with the others, by their ids: an older or newer
// release may have written them.
func Readable(rules []domain.FittingRule) (out Rules, problems map[domain.ID]string) {
	problems = map[domain.ID]string{}
	for _, r := range rules {
		read, err := Read(r)
		if err != nil {
			problems[r.ID] = err.Error()
			continue
		}
		out = append(out, read)
	}
	return out, problems
}

// Holds tells whether the rule's condition holds for a subject, and why; an error says what kept it from
// deciding.
func (r Rule) Holds(x *Subject) (holds bool, because string, err error) {
	return r.when.Holds(x.values)
}

// Rules are fitting rules in the order in which they are asked.
type Rules []Rule

// With are the rules with one in the place of the one of its id, or at the end.
func (rules Rules) With(r Rule) Rules {
	out := slices.Clone(rules)
	if i := slices.IndexFunc(out, func(x Rule) bool { return x.ID == r.ID && r.ID != 0 }); i >= 0 {
		out[i] = r
		return out
	}
	return append(out, r)
}

// Kits are the kits by name.
type Kits interface {
	Kit(name string) (*kit.Kit, error)
}

// Decision is what becomes of one kit on one device.
type Decision struct {
	Kit string
	// On tells whether the device gets it.
	On bool
	By domain.FittedBy // what decided; empty where nothing speaks of the kit
	// Rule is the rule that decided, Inside the kit that brings it along.
	Rule   domain.ID
	Inside string
	// Presets are the values of its parameters that kits set which bring it along.
	Presets map[string]string
	Why     why.Trace
}

// Resolve decides of every kit that anything speaks of whether a device gets it, by the names of the
// kits. said are its fittings, of which those count that people made. A hand decides before any rule, the
// first rule that speaks of a kit and holds before the later ones, and rules before what other kits bring
// along. Neither the order of said nor that of the kits within one another matters. What is fitted of a kit
// that cannot be read now stays.
func (rules Rules) Resolve(x Subject, said []domain.Fitting, kits Kits) []Decision {
	r := resolving{subject: x, kits: kits, decided: map[string]*Decision{}}
	for _, f := range said {
		r.said(f)
	}
	for _, rule := range rules {
		r.byRule(rule)
	}
	r.inside()
	out := make([]Decision, 0, len(r.decided))
	for _, name := range slices.Sorted(maps.Keys(r.decided)) {
		d := r.decided[name]
		d.Why.Answer = "no"
		if d.On {
			d.Why.Answer = "yes"
		}
		out = append(out, *d)
	}
	return out
}

// resolving is what is decided so far.
type resolving struct {
	subject Subject
	kits    Kits
	decided map[string]*Decision
}

// about is the decision on a kit as it is made; nil where the kit is not known.
func (r *resolving) about(name string) (*Decision, *kit.Kit) {
	k, err := r.kits.Kit(name)
	if err != nil {
		return nil, nil
	}
	d := r.decided[name]
	if d == nil {
		d = &Decision{Kit: name, Why: why.Trace{Question: "Does " + r.subject.Device.Name + " get “" + k.Title + "”?"}}
		r.decided[name] = d
	}
	return d, k
}

// said takes up what is said of a kit on the device so far.
func (r *resolving) said(f domain.Fitting) {
	if _, err := r.kits.Kit(f.Kit); err != nil {
		r.unread(f)
	} else if f.By == domain.ByHand {
		r.byHand(f)
	}
}

// unread lets a kit stay as it is that cannot be read now.
func (r *resolving) unread(f domain.Fitting) {
	d := &Decision{Kit: f.Kit, On: !f.Off, By: f.By, Rule: f.RuleID, Inside: f.Inside, Presets: f.Presets}
	d.Why.Question = "Does " + r.subject.Device.Name + " get “" + f.Kit + "”?"
	d.Why.Because("The kit cannot be read now: what was said of it stays", "", nil)
	r.decided[f.Kit] = d
}

func (r *resolving) byHand(f domain.Fitting) {
	d, _ := r.about(f.Kit)
	d.By, d.On = domain.ByHand, !f.Off
	text := "It was fitted"
	if f.Off {
		text = "It is kept off"
	}
	if f.Who != "" {
		text += " by " + f.Who
	}
	d.Why.Because(text, when(f), nil)
}

func when(f domain.Fitting) string {
	if f.Since.IsZero() {
		return ""
	}
	return f.Since.UTC().Format("2006-01-02 15:04 UTC")
}

// byRule asks one rule about all kits that it speaks of.
func (r *resolving) byRule(rule Rule) {
	if rule.Off {
		return
	}
	holds, because, err := rule.Holds(&r.subject)
	if err != nil {
		because = err.Error()
	}
	for _, say := range []struct {
		kits []string
		on   bool
	}{{rule.Fits, true}, {rule.KeepsOff, false}} {
		for _, name := range say.kits {
			d, k := r.about(name)
			if d == nil {
				continue
			}
			r.say(d, k, rule, holds && err == nil, say.on, because)
		}
	}
}

func (r *resolving) say(d *Decision, k *kit.Kit, rule Rule, holds, on bool, because string) {
	does := "fits it"
	if !on {
		does = "keeps it off"
	}
	ref := why.To("fitting-rule", rule.ID)
	switch {
	case !holds:
		d.Why.Because(fmt.Sprintf("The rule “%s” does not hold", rule.Name), because, ref)
	case d.By != "":
		d.Why.Because(fmt.Sprintf("The rule “%s” would say that it %s, and comes later", rule.Name, does), because, ref)
	case on && !r.shows(d, k):
		// What the kit needs is not there: a later rule, or another kit, cannot change that.
	default:
		d.By, d.On, d.Rule = domain.ByRule, on, rule.ID
		d.Why.Because(fmt.Sprintf("The rule “%s” %s", rule.Name, does), because, ref)
	}
}

// shows tells whether the device shows what a kit needs, and says so where it does not.
func (r *resolving) shows(d *Decision, k *kit.Kit) bool {
	fits, trace := k.Fits(r.subject.Facts)
	if !fits {
		d.Why.Include("It needs what the device does not show", trace)
	}
	return fits
}

// inside decides on what fitted kits bring along, and these in turn. A kit that several bring is that
// of the first by name, and its parameters are set by each in that order.
func (r *resolving) inside() {
	outer := slices.DeleteFunc(slices.Sorted(maps.Keys(r.decided)), func(name string) bool { return !r.decided[name].On })
	for len(outer) > 0 {
		var next []string
		for _, name := range outer {
			k, err := r.kits.Kit(name)
			if err != nil {
				continue
			}
			for _, in := range k.Inside {
				if r.bring(k, in) {
					next = append(next, in.Kit)
				}
			}
		}
		slices.Sort(next)
		outer = next
	}
}

// bring lets a kit bring along another one, and tells whether that is on since.
func (r *resolving) bring(outer *kit.Kit, in kit.Inside) (newly bool) {
	d, k := r.about(in.Kit)
	switch {
	case d == nil:
		return false
	case d.By != "" && !d.On:
		d.Why.Because("“"+outer.Title+"” would bring it along", "what is said above goes before", nil)
		return false
	case d.By == "":
		if !r.shows(d, k) {
			return false
		}
		d.By, d.On, d.Inside, newly = domain.ByKit, true, outer.Name, true
	}
	d.Why.Because("“"+outer.Title+"” brings it along", "", nil)
	for _, name := range slices.Sorted(maps.Keys(in.Set)) {
		if _, set := d.Presets[name]; set {
			continue
		}
		if d.Presets == nil {
			d.Presets = map[string]string{}
		}
		d.Presets[name] = in.Set[name]
		value := in.Set[name]
		if p, joined := outer.Joined(value); joined {
			value = "what its own “" + p.Label + "” is"
		}
		d.Why.Because(fmt.Sprintf("“%s” sets %s to %s", outer.Title, name, value), "", nil)
	}
	return newly
}

// Circle names a circle of kits that bring along one another, beginning at one of them; empty for none.
func Circle(k *kit.Kit, kits Kits) []string {
	var walk func(path []string, at *kit.Kit) []string
	done := map[string]bool{}
	walk = func(path []string, at *kit.Kit) []string {
		if i := slices.Index(path, at.Name); i >= 0 {
			return append(slices.Clone(path[i:]), at.Name)
		}
		if done[at.Name] {
			return nil
		}
		path = append(path, at.Name)
		for _, in := range at.Inside {
			next, err := kits.Kit(in.Kit)
			if in.Kit == k.Name {
				next, err = k, nil
			}
			if err != nil {
				continue
			}
			if found := walk(path, next); found != nil {
				return found
			}
		}
		done[at.Name] = true
		return nil
	}
	return walk(nil, k)
}

// Change is how what is fitted to a device becomes another.
type Change struct {
	Gains, Loses, Keeps []Decision
}

// Changes compares what is said of kits on a device with what is decided. Among what it loses are kits
// that nothing speaks of any more.
func Changes(said []domain.Fitting, decided []Decision) (c Change) {
	on, spoken := map[string]bool{}, map[string]bool{}
	for _, f := range said {
		on[f.Kit] = !f.Off
	}
	for _, d := range decided {
		spoken[d.Kit] = true
		switch {
		case d.On && !on[d.Kit]:
			c.Gains = append(c.Gains, d)
		case d.On:
			c.Keeps = append(c.Keeps, d)
		case on[d.Kit]:
			c.Loses = append(c.Loses, d)
		}
	}
	for _, f := range said {
		if f.Off || spoken[f.Kit] {
			continue
		}
		t := why.Trace{Question: "Does it get “" + f.Kit + "”?", Answer: "no"}
		t.Because("No rule and no kit speaks of it any more", "", nil)
		c.Loses = append(c.Loses, Decision{Kit: f.Kit, Why: t})
	}
	slices.SortFunc(c.Loses, func(a, b Decision) int { return cmp.Compare(a.Kit, b.Kit) })
	return c
}

// Any tells whether anything is gained or lost.
func (c Change) Any() bool { return len(c.Gains)+len(c.Loses) > 0 }
