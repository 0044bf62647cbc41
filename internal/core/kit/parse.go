package kit

import (
	"bytes"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
)

// The file's own shape; see docs/kits.md.
type file struct {
	Kit        string
	Title      string
	About      string
	Version    int
	Needs      []string
	Parameters []Parameter
	Sources    []struct {
		Key   string
		Every string
		Probe *struct {
			Count   int
			Timeout string
		}
		Get  []Column
		Walk []Column
	}
	Parts []struct {
		Kind       string
		Title      string
		Source     string
		Key        []string
		Name       []string
		Note       string
		Speed      string
		SpeedScale float64             `yaml:"speed_scale"`
		Only       map[string][]string `yaml:"only"`
		LeaveOut   map[string][]string `yaml:"leave_out"`
	}
	Readings []struct {
		Key       string
		Name      string
		About     string
		Unit      string
		Of        string
		Source    string
		Value     []string
		Rate      bool
		Times     string
		PercentOf string `yaml:"percent_of"`
		Scale     float64
		Only      map[string][]string
		LeaveOut  map[string][]string `yaml:"leave_out"`
		Over      derive.Over
		Codes     map[int]string
		Text      bool
		Reach     bool
		Always    bool
	}
	Rules []struct {
		Key      string
		Name     string
		Title    string
		Reading  string
		Above    map[string]limit
		Below    map[string]limit
		InARow   int `yaml:"in_a_row"`
		Recovery int `yaml:"recover_in_a_row"`
		Cause    string
		Runbook  string
	}
	Charts []Chart
}

type limit struct {
	At      float64
	Recover *float64
}

var oidPattern = regexp.MustCompile(`^[0-2](\.(0|[1-9][0-9]*))+$`)

// Parse reads a kit file. Every problem found is told, with the place.
func Parse(data []byte) (*Kit, error) {
	dec := yaml.NewDecoder(bytes.NewReader(data))
	dec.KnownFields(true)
	var f file
	if err := dec.Decode(&f); err != nil {
		return nil, fmt.Errorf("kit file: %w", err)
	}
	k := &Kit{Name: f.Kit, Title: f.Title, About: strings.TrimSpace(f.About), Version: f.Version, Needs: f.Needs, Parameters: f.Parameters, Charts: f.Charts}
	problems := f.into(k)
	problems = append(problems, k.check()...)
	if len(problems) > 0 {
		return nil, fmt.Errorf("kit %q: %w", f.Kit, errors.Join(problems...))
	}
	return k, nil
}

func (f file) into(k *Kit) (problems []error) {
	for _, s := range f.Sources {
		every, err := time.ParseDuration(s.Every)
		if err != nil || every < time.Second {
			problems = append(problems, fmt.Errorf("source %q: every %q is not a duration of a second or more", s.Key, s.Every))
		}
		src := Source{Key: s.Key, Every: every, Get: s.Get, Walk: s.Walk}
		if s.Probe != nil {
			timeout, err := time.ParseDuration(s.Probe.Timeout)
			if err != nil || s.Probe.Count < 1 || s.Probe.Count > 10 {
				problems = append(problems, fmt.Errorf("source %q: the probe needs a timeout and a count from 1 to 10", s.Key))
			}
			src.Probe = &Probe{Count: s.Probe.Count, Timeout: timeout}
		}
		k.Sources = append(k.Sources, src)
	}
	for _, p := range f.Parts {
		k.Parts = append(k.Parts, Parts{Kind: p.Kind, Title: p.Title, Source: p.Source, Key: p.Key, Name: p.Name, Note: p.Note,
			Speed: p.Speed, SpeedScale: p.SpeedScale, Filter: Filter{p.Only, p.LeaveOut}})
	}
	for _, r := range f.Readings {
		if r.Scale == 0 {
			r.Scale = 1
		}
		if p, ok := k.PartsOf(r.Of); ok && r.Source == "" {
			r.Source = p.Source
		}
		k.Readings = append(k.Readings, Reading{Key: r.Key, Name: r.Name, About: r.About, Unit: r.Unit, Of: r.Of, Source: r.Source,
			Value: r.Value, Rate: r.Rate, Times: r.Times, Percent: r.PercentOf, Scale: r.Scale,
			Filter: Filter{r.Only, r.LeaveOut}, Over: r.Over, Codes: r.Codes, Text: r.Text, Reach: r.Reach, Always: r.Always})
	}
	return append(problems, f.rulesInto(k)...)
}

func (f file) rulesInto(k *Kit) (problems []error) {
	for _, r := range f.Rules {
		side, limits := rule.Above, r.Above
		if len(r.Below) > 0 {
			side, limits = rule.Below, r.Below
		}
		reading, ok := k.Reading(r.Reading)
		if !ok {
			problems = append(problems, fmt.Errorf("rule %q: there is no reading %q", r.Key, r.Reading))
		}
		if reading.Text {
			problems = append(problems, fmt.Errorf("rule %q: the values of %q are texts; a limit needs numbers", r.Key, r.Reading))
		}
		made := rule.Rule{Name: r.Name, Kit: k.Name, Reading: r.Reading, Unit: reading.Unit, Side: side,
			InARow: max(r.InARow, 1), RecoverInARow: max(r.Recovery, 1), Title: r.Title, Runbook: r.Runbook,
			Cause: r.Cause, Enabled: true, Limits: map[domain.Level]rule.Limit{}}
		if made.Cause == "" {
			made.Cause = r.Key
		}
		for word, l := range limits {
			level, err := domain.ParseLevel(word)
			if err != nil || level == domain.LevelNone {
				problems = append(problems, fmt.Errorf("rule %q: %q is not a level", r.Key, word))
			}
			made.Limits[level] = rule.Limit{Raise: l.At, Recover: l.At}
			if l.Recover != nil {
				made.Limits[level] = rule.Limit{Raise: l.At, Recover: *l.Recover}
			}
		}
		if errs := made.Validate(); len(errs) > 0 {
			problems = append(problems, fmt.Errorf("rule %q: %w", r.Key, errs))
		}
		k.Rules = append(k.Rules, made)
	}
	return problems
}

// check finds names that lead nowhere.
func (k *Kit) check() (problems []error) {
	bad := func(format string, args ...any) { problems = append(problems, fmt.Errorf(format, args...)) }
	if k.Name == "" || k.Title == "" || k.Version < 1 {
		bad("kit, title and version must be set")
	}
	for _, s := range k.Sources {
		if s.Probe == nil && len(s.Columns()) == 0 || s.Key == "" {
			bad("source %q fetches nothing", s.Key)
		}
		for _, c := range append(append([]Column{}, s.Get...), s.Walk...) {
			if !oidPattern.MatchString(c.OID) || c.As == "" {
				bad("source %q: column %q has no valid object identifier: %q", s.Key, c.As, c.OID)
			}
		}
	}
	for _, p := range k.Parts {
		src, ok := k.Source(p.Source)
		if !ok || len(p.Key) == 0 || len(p.Name) == 0 {
			bad("parts %q: source, key and name must be set", p.Kind)
			continue
		}
		bad := k.missing(src, append(append(append([]string{}, p.Key...), p.Name...), p.Note, p.Speed))
		problems = append(problems, bad...)
	}
	for _, r := range k.Readings {
		src, ok := k.Source(r.Source)
		if _, known := k.PartsOf(r.Of); !ok || len(r.Value) == 0 || r.Of != "" && !known {
			bad("reading %q: its source, part or value is not there", r.Key)
			continue
		}
		problems = append(problems, k.missing(src, append(append([]string{}, r.Value...), r.Times, r.Percent))...)
		if r.Text && (r.Rate || r.Times != "" || r.Percent != "" || r.Scale != 1 || r.Unit != "" || len(r.Codes) > 0 || r.Over != "" && r.Over != derive.OverFirst) {
			bad("reading %q: a text has no unit and cannot be computed with", r.Key)
		}
	}
	for _, c := range k.Charts {
		for _, key := range c.Readings {
			if r, ok := k.Reading(key); !ok || r.Text {
				bad("chart %q: there is no reading %q that has numbers", c.Title, key)
			}
		}
	}
	return problems
}

func (k *Kit) missing(src Source, names []string) (problems []error) {
	for _, n := range names {
		if n != "" && src.Column(n) < 0 {
			problems = append(problems, fmt.Errorf("source %q has no column %q", src.Key, n))
		}
	}
	return problems
}
