package own

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"tirelessowl/internal/core/condition"
	"tirelessowl/internal/domain"
)

// Prefix begins the names of all kits that are a device's own; no other kit may be called so.
const Prefix = "own-"

// Name is what the own kit of a device is called.
func Name(device domain.ID) string { return fmt.Sprint(Prefix, device) }

// DeviceOf is the device that a kit belongs to; ok is false for one that no device has by itself.
func DeviceOf(kit string) (device domain.ID, ok bool) {
	number, ok := strings.CutPrefix(kit, Prefix)
	if !ok {
		return 0, false
	}
	device, err := strconv.ParseInt(number, 10, 64)
	return device, err == nil
}

// document is the part of a kit file that an own kit needs; docs/kits.md tells what it means.
type document struct {
	Kit      string
	Title    string
	About    string
	Version  int
	Sources  []source
	Parts    []parts   `yaml:",omitempty"`
	Readings []reading `yaml:",omitempty"`
}

type source struct {
	Key      string
	Way      string
	Every    string
	Optional bool
	Ask      map[string]string
	Columns  []column `yaml:",flow"`
}

type column struct {
	As string
	Of string
	Is condition.Kind `yaml:",omitempty"`
}

type parts struct {
	Kind       string
	Title      string
	Source     string
	Key        []string          `yaml:",flow"`
	Name       []string          `yaml:",flow"`
	Tags       []string          `yaml:",omitempty,flow"`
	Attributes map[string]string `yaml:",omitempty,flow"`
	Where      string            `yaml:",omitempty"`
}

type reading struct {
	Key       string
	Name      string
	About     string
	Unit      string `yaml:",omitempty"`
	Of        string `yaml:",omitempty"`
	Source    string
	Value     []string            `yaml:",flow"`
	Text      bool                `yaml:",omitempty"`
	Steps     []map[string]string `yaml:",omitempty"`
	Codes     map[int]string      `yaml:",omitempty,flow"`
	Heartbeat string              `yaml:",omitempty"`
}

// Document writes the kit of a set as a kit file.
func (s Set) Document(device domain.ID, version int) ([]byte, error) {
	d := document{
		Kit:     Name(device),
		Title:   "Its own readings",
		About:   "What was picked at this device alone.",
		Version: max(1, version),
	}
	d.single(s)
	for _, t := range s.Tables {
		d.table(s, t)
	}
	return yaml.Marshal(d)
}

// single adds the single values, a source for each interval.
func (d *document) single(s Set) {
	at := map[time.Duration]int{}
	for _, r := range s.Readings {
		if r.Table != "" {
			continue
		}
		i, ok := at[r.Every]
		if !ok {
			i = len(d.Sources)
			at[r.Every] = i
			d.Sources = append(d.Sources, source{Key: "values-" + r.Every.String(), Way: "snmp", Every: r.Every.String(),
				Optional: true, Ask: map[string]string{"form": "get"}})
		}
		src := &d.Sources[i]
		src.Columns = append(src.Columns, column{As: r.Key, Of: r.OID})
		d.Readings = append(d.Readings, r.written(src.Key, r.Key))
	}
}

// table adds a table with its source: no column that nothing needs.
func (d *document) table(s Set, t Table) {
	src := source{Key: t.Key, Way: "snmp", Every: t.Every.String(), Optional: true, Ask: map[string]string{"form": "walk"}}
	if t.Index != "" {
		src.Ask["index"] = t.Index
	}
	needed := slices.Concat(t.Name, t.Same, t.Tags, t.Attributes, t.asks())
	for _, r := range s.Readings {
		if r.Table == t.Key {
			needed = append(needed, Draft{r, t}.columns()...)
		}
	}
	for _, c := range t.Columns {
		if slices.Contains(needed, c.As) {
			src.Columns = append(src.Columns, column{c.As, c.OID, c.Is})
		}
	}
	for _, r := range s.Readings {
		if r.Table != t.Key {
			continue
		}
		as := "reading " + r.Key
		src.Columns = append(src.Columns, column{As: as, Of: r.OID})
		d.Readings = append(d.Readings, r.written(t.Key, as))
	}
	d.Sources = append(d.Sources, src)
	made := parts{Kind: t.Key, Title: t.Title, Source: t.Key, Key: t.Same, Name: t.Name, Tags: t.Tags, Where: t.Where}
	for _, name := range t.Attributes {
		if made.Attributes == nil {
			made.Attributes = map[string]string{}
		}
		made.Attributes[name] = name
	}
	d.Parts = append(d.Parts, made)
}

// asks are the columns that the condition asks for.
func (t Table) asks() (out []string) {
	if c, err := condition.Compile(t.Where, t.Asked()); t.Where != "" && err == nil {
		for _, x := range c.Columns() {
			out = append(out, x.Name)
		}
	}
	return out
}

// columns are those that its steps look at.
func (d Draft) columns() []string {
	steps, err := d.compiled()
	if err != nil {
		return nil // such a draft is not kept
	}
	return steps.Columns()
}

func (r Reading) written(source, as string) reading {
	out := reading{Key: r.Key, Name: r.Name, About: r.Object + " (" + r.OID + ")", Unit: r.Unit, Of: r.Table, Source: source,
		Value: []string{as}, Text: r.Treat == Words}
	for _, w := range r.Steps {
		out.Steps = append(out.Steps, map[string]string{w.Do: w.With})
	}
	if r.Heartbeat > 0 {
		out.Heartbeat = r.Heartbeat.String()
	}
	if r.Treat == State {
		out.Codes = map[int]string{}
		for n, word := range r.Codes {
			out.Codes[int(n)] = word
		}
	}
	return out
}
