package kit

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/tag"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
)

// The file's own shape; see docs/kits.md.
type file struct {
	Format     int
	Kit        string
	Title      string
	About      string
	Folder     string
	Version    int
	Needs      []string
	OnRequest  bool `yaml:"on_request"`
	Prepare    string
	ByHand     *ByHand `yaml:"by_hand"`
	Parameters []fileParameter
	Sources    []fileSource
	Parts      []struct {
		Kind       string
		Title      string
		Purpose    Purpose
		Source     string
		Key        []string
		Name       []string
		Note       string
		Tags       []string
		Attributes map[string]string
		Speed      string
		SpeedScale float64             `yaml:"speed_scale"`
		Only       map[string][]string `yaml:"only"`
		LeaveOut   map[string][]string `yaml:"leave_out"`
		Where      string
		Since      string
		Marks      []string
		Apart      []string
		Living     map[string][]string
		Parked     bool
	}
	Readings []struct {
		Key       string
		Name      string
		About     string
		Unit      string
		Of        string
		Source    string
		Value     []string
		fileSteps `yaml:",inline"`
		Heartbeat string
		Only      map[string][]string
		LeaveOut  map[string][]string `yaml:"leave_out"`
		Over      derive.Over
		Instead   []Instead
		FirstOf   []Balance `yaml:"first_of"`
		Because   string
		Caution   string
		Optional  bool
		Low       *float64
		High      *float64
		Codes     map[int]string
		Text      bool
		Purpose   Purpose
		Always    bool
		Tags      []string
		Parked    bool
	}
	Rules  []fileRule
	Charts []Chart
	Kits   []Inside
}

type fileParameter struct {
	Name    string
	Label   string
	About   string
	Kind    field.Kind
	Default string
	Choices []string
	Low     float64
	High    float64
	// Required and Hidden: it must be set somewhere; it is not asked for where the kit is fitted.
	Required bool
	Hidden   bool
}

type fileSource struct {
	Key      string
	Way      string
	Every    string
	Optional bool
	When     map[string]string
	Ask      map[string]string
	Columns  []way.Column
	Parked   bool
}

// fileRule is a rule with the document of its condition under the name of its kind.
type fileRule struct {
	Key     string
	Name    string
	Title   string
	Reading string
	Cause   string
	Runbook string
	Enabled *bool
	Tags    []string
	Parked  bool
	Kinds   map[string]any `yaml:",inline"`
}

// Parse reads a kit file that may use the given ways to collect and kinds of
// rules. Every problem found is told, with the place.
func Parse(data []byte, ways way.List, kinds rule.Kinds) (*Kit, error) {
	if err := known(data); err != nil {
		return nil, err
	}
	dec := yaml.NewDecoder(bytes.NewReader(data))
	dec.KnownFields(true)
	var f file
	if err := dec.Decode(&f); err != nil {
		return nil, fmt.Errorf("kit file: %w", err)
	}
	parked := f.park()
	k := &Kit{
		Name:    f.Kit,
		Title:   f.Title,
		About:   strings.TrimSpace(f.About),
		Folder:  folderOf(f.Folder),
		Version: f.Version,
		Needs:   f.Needs,

		OnRequest: f.OnRequest,
		Prepare:   strings.TrimSpace(f.Prepare),
		ByHand:    f.ByHand,
		Charts:    f.Charts,
		Inside:    f.Kits,
		Parked:    parked,
		ways:      ways,
	}
	problems := f.into(k, kinds)
	k.lengthen()
	problems = append(problems, k.check()...)
	if len(problems) > 0 {
		return nil, fmt.Errorf("kit %q: %w", f.Kit, errors.Join(problems...))
	}
	return k, nil
}

// known refuses a file of a newer format, before what it may say there is taken for a mistake.
func known(data []byte) error {
	var of struct {
		Kit    string
		Format int
	}
	if err := yaml.Unmarshal(data, &of); err != nil || of.Format == 0 {
		return nil // what is wrong with it is told when it is read as a whole
	}
	if of.Format < 1 || of.Format > Format {
		const says = "kit %q is of the format %d, and this release reads up to %d: a newer release knows it"
		return fmt.Errorf(says, of.Kit, of.Format, Format)
	}
	return nil
}

func (f file) into(k *Kit, kinds rule.Kinds) (problems []error) {
	for _, p := range f.Parameters {
		k.Parameters = append(k.Parameters, p.field())
	}
	for _, s := range f.Sources {
		src, errs := s.source(k)
		problems = append(problems, errs...)
		k.Sources = append(k.Sources, src)
	}
	for _, p := range f.Parts {
		where, err := k.where(p.Source, p.Where)
		if err != nil {
			problems = append(problems, fmt.Errorf("parts %q: where: %w", p.Kind, err))
		}
		k.Parts = append(
			k.Parts,
			Parts{Kind: p.Kind, Title: p.Title, Purpose: p.Purpose, Source: p.Source, Key: p.Key, Name: p.Name, Note: p.Note,
				Tags: p.Tags, Attributes: p.Attributes,
				Speed: p.Speed, SpeedScale: p.SpeedScale, Filter: Filter{p.Only, p.LeaveOut, where}, Since: p.Since, Marks: p.Marks,
				Apart:  p.Apart,
				Living: p.Living},
		)
	}
	for _, r := range f.Readings {
		steps, err := r.written()
		if err != nil {
			problems = append(problems, fmt.Errorf("reading %q: %w", r.Key, err))
		}
		beat, err := heartbeat(r.Heartbeat)
		if err != nil {
			problems = append(problems, fmt.Errorf("reading %q: %w", r.Key, err))
		}
		for i, b := range r.FirstOf {
			r.FirstOf[i].Scale = cmp.Or(b.Scale, 1)
		}
		if p, ok := k.PartsOf(r.Of); ok && r.Source == "" {
			r.Source = p.Source
		}
		k.Readings = append(k.Readings, Reading{Key: r.Key, Name: r.Name, About: r.About, Unit: r.Unit, Of: r.Of, Source: r.Source,
			Value: r.Value, Steps: steps, Heartbeat: beat,
			Filter: Filter{Only: r.Only, LeaveOut: r.LeaveOut}, Over: r.Over, Instead: r.Instead, FirstOf: r.FirstOf,
			Because: r.Because, Caution: r.Caution, Optional: r.Optional,
			Low: r.Low, High: r.High, Codes: r.Codes, Text: r.Text, Purpose: r.Purpose, Always: r.Always, Tags: tag.Union(r.Tags)})
	}
	return append(problems, f.rulesInto(k, kinds)...)
}

func (p fileParameter) field() field.Field {
	f := field.Field{
		Name:    p.Name,
		Label:   p.Label,
		Help:    p.About,
		Kind:    p.Kind,
		Default: p.Default,
		Choices: p.Choices,
		Low:     p.Low,
		High:    p.High,

		Required: p.Required,
		Hidden:   p.Hidden,
	}
	if f.Label == "" {
		f.Label = text.UpperFirst(p.Name)
	}
	if f.Kind == "" && len(p.Choices) > 0 {
		f.Kind = field.Choice
	}
	if f.Kind == field.Secret {
		f.Check = notKept
	}
	return f
}

func (s fileSource) source(k *Kit) (src Source, problems []error) {
	bad := func(format string, args ...any) {
		problems = append(problems, fmt.Errorf("source %q: "+format, append([]any{s.Key}, args...)...))
	}
	every, err := time.ParseDuration(s.Every)
	if err != nil || every < time.Second {
		bad("every %q is not a duration of a second or more", s.Every)
	}
	src = Source{Key: s.Key, Way: s.Way, Every: every, Optional: s.Optional, When: s.When, Ask: way.Settings{}, columns: s.Columns}
	w, ok := k.ways.Of(s.Way)
	if !ok {
		bad("there is no way %q to collect", s.Way)
		return src, problems
	}
	for name, value := range s.Ask {
		src.Ask[name] = value
	}
	for name, problem := range checkAsk(k, w, src.Ask) {
		bad("%s: %s", name, problem)
	}
	if w.Columns != nil {
		if fixed := w.Columns(k.filled(w, src, k.shown(nil))); fixed != nil {
			src.columns = fixed
		}
	}
	if w.CheckColumn != nil {
		for _, c := range src.columns {
			if err := w.CheckColumn(c.Of); c.Of != "" && err != nil || c.As == "" {
				bad("column %q: %v", c.As, err)
			}
		}
	}
	for name := range s.When {
		if !slices.ContainsFunc(k.Parameters, func(p field.Field) bool { return p.Name == name }) {
			bad("there is no parameter %q", name)
		}
	}
	return src, problems
}

// checkAsk checks what a source asks; what a parameter fills in is checked
// when it is known.
func checkAsk(k *Kit, w way.Way, ask way.Settings) domain.FieldErrors {
	fixed := map[string]string{}
	errs := domain.FieldErrors{}
	for name, value := range ask {
		parameter, rest, found := strings.Cut(strings.TrimPrefix(value, "{"), "}")
		switch {
		case !strings.HasPrefix(value, "{") || !found || rest != "":
			fixed[name] = value
		case !slices.ContainsFunc(k.Parameters, func(p field.Field) bool { return p.Name == parameter }):
			errs[name] = "there is no parameter " + parameter
		}
	}
	_, wrong := field.Check(w.Ask, fixed)
	for name, problem := range wrong {
		if ask[name] == fixed[name] {
			errs[name] = problem
		}
	}
	return errs
}

func (f file) rulesInto(k *Kit, kinds rule.Kinds) (problems []error) {
	for _, r := range f.Rules {
		made, err := r.rule(k, kinds)
		if err != nil {
			problems = append(problems, fmt.Errorf("rule %q: %w", r.Key, err))
			continue
		}
		if slices.ContainsFunc(k.Rules, func(x rule.Rule) bool { return x.Key == r.Key }) || r.Key == "" {
			problems = append(problems, fmt.Errorf("rule %q: each rule needs a key of its own", r.Key))
		}
		k.Rules = append(k.Rules, made)
	}
	return problems
}

// Bound is a condition that needs the words that numbers of its reading stand for.
type Bound interface{ Bind(codes map[int]string) }

func (r fileRule) rule(k *Kit, kinds rule.Kinds) (out rule.Rule, err error) {
	reading, ok := k.Reading(r.Reading)
	if !ok {
		return out, fmt.Errorf("there is no reading %q", r.Reading)
	}
	if len(r.Kinds) != 1 {
		return out, fmt.Errorf("it needs exactly one condition, under the name of its kind; it has %d", len(r.Kinds))
	}
	out = rule.Rule{Key: r.Key, Name: r.Name, Kit: k.Name, Reading: r.Reading, Unit: reading.Unit, Title: r.Title, Runbook: r.Runbook,
		Cause: cmp.Or(r.Cause, r.Key), Enabled: r.Enabled == nil || *r.Enabled, Tags: tag.Union(r.Tags)}
	for name, doc := range r.Kinds {
		if out.Condition, err = conditionOf(kinds, name, doc, reading); err != nil {
			return out, err
		}
	}
	return out, out.Validate().OrNil()
}

func conditionOf(kinds rule.Kinds, name string, doc any, r Reading) (rule.Condition, error) {
	data, err := json.Marshal(doc)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	c, err := kinds.Decode(name, data)
	if err != nil {
		return nil, err
	}
	if kind, _ := kinds.Of(name); !kind.Fits(r.Subject()) {
		return nil, fmt.Errorf("a rule of the kind %s cannot judge the values of %q, which are of the kind %s", name, r.Key, r.Kind())
	}
	if b, ok := c.(Bound); ok {
		b.Bind(r.Codes)
	}
	return c, nil
}
