package kit

import (
	"slices"
	"strings"
)

// Parked is a part of a kit that is kept and not collected, so that it can be finished later: nothing of it is checked.
type Parked struct {
	What string `json:"what"` // source, rows, reading or rule
	Key  string `json:"key"`
	Name string `json:"name"`
	// Because is what it is parked with; empty where it says so itself.
	Because string `json:"because,omitempty"`
}

// Words say what is parked.
func (p Parked) Words() string {
	out := p.What + " " + p.Name
	if p.Because != "" {
		out += ", with " + p.Because
	}
	return out
}

// parkedWords lists what is parked, for a comparison.
func parkedWords(all []Parked) string {
	var out []string
	for _, p := range all {
		out = append(out, p.What+" "+p.Key)
	}
	return strings.Join(out, ", ")
}

// parking takes out of a file what is parked. What is made of something parked is parked with it.
type parking struct {
	sources, parts, readings map[string]string // what is parked, with what it is called
	all                      []Parked
}

func (f *file) park() []Parked {
	p := &parking{map[string]string{}, map[string]string{}, map[string]string{}, nil}
	f.parkSources(p)
	f.parkParts(p)
	f.parkReadings(p)
	f.Rules = slices.DeleteFunc(f.Rules, func(r fileRule) bool {
		return p.takes(r.Parked, "rule", r.Key, r.Name, p.readings[r.Reading])
	})
	if len(p.readings) == 0 {
		return p.all
	}
	for i, c := range f.Charts {
		f.Charts[i].Readings = slices.DeleteFunc(slices.Clone(c.Readings), func(key string) bool { return p.readings[key] != "" })
	}
	f.Charts = slices.DeleteFunc(f.Charts, func(c Chart) bool { return len(c.Readings) == 0 })
	return p.all
}

// takes notes a thing that is parked, by itself or with another.
func (p *parking) takes(itself bool, what, key, name, with string) bool {
	if !itself && with == "" {
		return false
	}
	if name == "" {
		name = key
	}
	if itself {
		with = ""
	}
	p.all = append(p.all, Parked{what, key, name, with})
	return true
}

func (f *file) parkSources(p *parking) {
	f.Sources = slices.DeleteFunc(f.Sources, func(s fileSource) bool {
		gone := p.takes(s.Parked, "source", s.Key, "", "")
		if gone {
			p.sources[s.Key] = "the source " + s.Key
		}
		return gone
	})
	for _, s := range f.Sources { // another variant of it is collected
		delete(p.sources, s.Key)
	}
}

func (f *file) parkParts(p *parking) {
	kept := f.Parts[:0]
	for _, x := range f.Parts {
		if p.takes(x.Parked, "rows", x.Kind, x.Title, p.sources[x.Source]) {
			p.parts[x.Kind] = "the rows " + x.Kind
		} else {
			kept = append(kept, x)
		}
	}
	f.Parts = kept
}

func (f *file) parkReadings(p *parking) {
	kept := f.Readings[:0]
	for _, r := range f.Readings {
		with := p.parts[r.Of]
		if with == "" {
			with = p.sources[r.Source]
		}
		if p.takes(r.Parked, "reading", r.Key, r.Name, with) {
			p.readings[r.Key] = "the reading " + r.Key
		} else {
			kept = append(kept, r)
		}
	}
	f.Readings = kept
}
