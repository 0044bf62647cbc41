package kit

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/tag"
	"tirelessowl/internal/domain"
)

// check finds names that lead nowhere.
func (k *Kit) check() (problems []error) {
	bad := func(format string, args ...any) { problems = append(problems, fmt.Errorf(format, args...)) }
	if k.Name == "" || k.Title == "" || k.Version < 1 {
		bad("kit, title and version must be set")
	}
	problems = append(problems, k.checkFolder()...)
	problems = append(problems, k.checkSecrets()...)
	problems = append(problems, k.checkByHand()...)
	for _, s := range k.Sources {
		if len(s.columns) == 0 || s.Key == "" {
			bad("source %q fetches nothing", s.Key)
		}
	}
	for _, p := range k.Parts {
		src, ok := k.Source(p.Source)
		if !ok || len(p.Key) == 0 || len(p.Name) == 0 {
			bad("parts %q: source, key and name must be set", p.Kind)
			continue
		}
		columns := slices.Concat(
			p.Key,
			p.Name,
			p.Marks,
			p.Apart,
			p.Filter.Columns(),
			p.Tags,
			slices.Collect(maps.Values(p.Attributes)),
			slices.Collect(maps.Keys(p.Living)),
			[]string{p.Note, p.Speed, p.Since},
		)
		problems = append(problems, missing(src, columns)...)
	}
	for _, p := range k.Parts {
		for name := range p.Attributes {
			if !tag.Valid(name) {
				bad("parts %q: %q is no name of an attribute", p.Kind, name)
			}
		}
	}
	for _, r := range k.Readings {
		src, ok := k.Source(r.Source)
		if _, known := k.PartsOf(r.Of); !ok || (len(r.Value) == 0) == (len(r.FirstOf) == 0) || r.Of != "" && !known {
			bad("reading %q: its source, part or value is not there", r.Key)
			continue
		}
		problems = append(problems, r.checkBalances(src)...)
		if says, ok := k.Reading(r.Because); r.Because != "" && (!ok || !says.Text || says.Source != r.Source || says.Of != r.Of) {
			bad("reading %q: it is explained by %q, which is no text of the same source and rows", r.Key, r.Because)
		}
		for i, variant := range k.Sources {
			if variant.Key == src.Key {
				problems = append(problems, missing(variant, r.columnsOf())...)
				problems = append(problems, k.compile(&k.Sources[i], r)...)
			}
		}
		if can := r.Can(); !(can.Low < can.High) {
			bad("reading %q: low must be less than high", r.Key)
		}
		combined := r.Over != "" && r.Over != derive.OverFirst
		if r.Counts() && r.Of == "" && combined {
			bad("reading %q: each counter of several rows becomes a rate by itself; make parts of the rows", r.Key)
		}
		if r.Text && (r.Unit != "" || len(r.Codes) > 0 || r.Heartbeat > 0 || derive.Computes(r.Steps) || combined) {
			bad("reading %q: a text has no unit, no codes and no heartbeat, and cannot be computed with", r.Key)
		}
	}
	for _, r := range k.Readings {
		if r.Purpose != "" && !slices.Contains([]Purpose{Reach, Uptime, Traffic, Filling}, r.Purpose) {
			bad("reading %q: there is no purpose %q", r.Key, r.Purpose)
		}
	}
	for _, r := range k.Readings {
		if i := slices.IndexFunc(r.Tags, func(name string) bool { return !tag.Valid(name) }); i >= 0 {
			bad("reading %q: %q is no tag", r.Key, r.Tags[i])
		}
	}
	problems = append(problems, k.checkInside()...)
	for _, c := range k.Charts {
		for _, key := range c.Readings {
			if r, ok := k.Reading(key); !ok || r.Text {
				bad("chart %q: there is no reading %q that has numbers", c.Title, key)
			}
		}
	}
	return problems
}

// checkInside finds kits that cannot be brought along.
func (k *Kit) checkInside() (problems []error) {
	seen := map[string]bool{k.Name: true}
	for _, in := range k.Inside {
		switch {
		case in.Kit == "":
			problems = append(problems, errors.New("each of kits must say which kit"))
		case in.Kit == k.Name:
			problems = append(problems, fmt.Errorf("it cannot bring along itself: %s, %s", k.Name, k.Name))
		case seen[in.Kit]:
			problems = append(problems, fmt.Errorf("kits: %s stands there twice", in.Kit))
		}
		seen[in.Kit] = true
		for _, name := range slices.Sorted(maps.Keys(in.Set)) {
			if _, ok := k.Joined(in.Set[name]); !ok && joins(in.Set[name]) {
				problems = append(problems, fmt.Errorf("kits: %s sets %s to %s: there is no such parameter", in.Kit, name, in.Set[name]))
			}
		}
	}
	return problems
}

// joins tells whether a value stands for a parameter, as {NAME}.
func joins(value string) bool { return strings.HasPrefix(value, "{") && strings.HasSuffix(value, "}") }

// Joined is the parameter of the kit that a value stands for, which it sets for a kit inside; ok is false for a value that
// stands for itself.
func (k *Kit) Joined(value string) (p field.Field, ok bool) {
	for _, p := range k.Parameters {
		if value == "{"+p.Name+"}" {
			return p, true
		}
	}
	return p, false
}

// CheckInside validates what the kit sets for one inside. A secret is never among it, but may be that of its own parameter.
func (k *Kit) CheckInside(inner *Kit, set map[string]string) domain.FieldErrors {
	fixed, joined := map[string]string{}, map[string]field.Field{}
	for name, value := range set {
		if fixed[name] = value; joins(value) {
			joined[name], _ = k.Joined(value)
			fixed[name] = ""
		}
	}
	_, errs := inner.Check(fixed)
	for _, p := range inner.Parameters {
		from, is := joined[p.Name]
		switch {
		case is && (from.Kind == field.Secret) != (p.Kind == field.Secret):
			errs[p.Name] = "A secret is fed by a secret, and anything else by what is none."
		case p.Kind == field.Secret && fixed[p.Name] != "":
			errs[p.Name] = "A secret is never in a kit: it is set where the kit is fitted, or on places."
		}
	}
	return errs
}

// columnsOf are those that the reading looks at.
func (r Reading) columnsOf() []string {
	out := slices.Concat(r.Value, r.Filter.Columns())
	for _, i := range r.Instead {
		out = append(out, i.Column)
	}
	return out
}

// checkBalances finds balances that cannot be made.
func (r Reading) checkBalances(src Source) (problems []error) {
	if len(r.FirstOf) > 0 &&
		(r.Of != "" || r.Text || len(r.Steps) > 0 || len(r.Codes) > 0) {
		problems = append(problems, fmt.Errorf("reading %q: first_of makes a number of the device by itself, without other steps", r.Key))
	}
	for _, b := range r.FirstOf {
		if b.Says == "" || len(b.Add) == 0 {
			problems = append(problems, fmt.Errorf("reading %q: each of first_of must say what it counts, and add something", r.Key))
		}
		problems = append(problems, missing(src, b.columns())...)
	}
	return problems
}

func missing(src Source, names []string) (problems []error) {
	for _, n := range names {
		if n != "" && src.Column(n) < 0 {
			problems = append(problems, fmt.Errorf("source %q has no column %q", src.Key, n))
		}
	}
	return problems
}
