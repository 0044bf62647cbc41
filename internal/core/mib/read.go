package mib

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"regexp"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"
)

// The compact descriptions; see docs/objects.md.
type file struct {
	Module   string
	Standard string
	Nodes    []string
	Scalars  map[string][]string // by the name of what they are under
	Tables   []fileTable
}

type fileTable struct {
	Name    string
	At      string
	Row     string
	Index   []string
	Implied bool
	About   string
	Columns []string
}

// ReadAll reads the compact descriptions of a folder. What is wrong is told with its file.
func ReadAll(files fs.FS) ([]Object, error) {
	names, err := fs.Glob(files, "*.yaml")
	if err != nil {
		return nil, err
	}
	r := reading{at: map[string]OID{"iso": {1}}}
	for _, name := range names {
		data, err := fs.ReadFile(files, name)
		if err != nil {
			return nil, err
		}
		dec := yaml.NewDecoder(bytes.NewReader(data))
		dec.KnownFields(true)
		var f file
		if err := dec.Decode(&f); err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		if err := r.take(f); err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
	}
	if err := r.place(); err != nil {
		return nil, err
	}
	return r.objects, nil
}

// reading puts objects under those that they name, in whatever file these are.
type reading struct {
	at      map[string]OID
	objects []Object
	under   []string // for each object the name and the numbers of where it is
}

func (r *reading) add(o Object, at string) {
	r.objects = append(r.objects, o)
	r.under = append(r.under, at)
}

var (
	nodeLine  = regexp.MustCompile(`^([A-Za-z][\w-]*) ([\w.-]+)(?:; (.*))?$`)
	valueLine = regexp.MustCompile(`^(\d+) ([A-Za-z][\w-]*) (-)?([A-Za-z]\w*)` + // number, name, syntax
		`(?:\(([^)]*)\))?(?:\[(\d+)\])?(?: <([^>]*)>)?(?: \{([^}]*)\})?; (.+)$`) // words, size, hint, unit; sentence
	wordPair = regexp.MustCompile(`^(\d+) (\S.*)$`)
)

func (r *reading) take(f file) error {
	var wrong []error
	for _, line := range f.Nodes {
		m := nodeLine.FindStringSubmatch(line)
		if m == nil {
			wrong = append(wrong, fmt.Errorf("%q is no node", line))
			continue
		}
		r.add(Object{Name: m[1], Module: f.Module, Kind: Branch, About: m[3]}, m[2])
	}
	for under, lines := range f.Scalars {
		wrong = append(wrong, r.values(f.Module, Scalar, under, lines))
	}
	for _, t := range f.Tables {
		r.add(Object{Name: t.Name, Module: f.Module, Kind: Table, About: strings.TrimSpace(t.About)}, t.At)
		r.add(Object{Name: t.Row, Module: f.Module, Kind: Row, Index: t.Index, Implied: t.Implied}, t.Name+".1")
		wrong = append(wrong, r.values(f.Module, Column, t.Row, t.Columns))
	}
	return errors.Join(wrong...)
}

func (r *reading) values(module string, kind Kind, under string, lines []string) error {
	var wrong []error
	for _, line := range lines {
		o, number, err := valueOf(line)
		if err != nil {
			wrong = append(wrong, err)
			continue
		}
		o.Module, o.Kind = module, kind
		r.add(o, under+"."+number)
	}
	return errors.Join(wrong...)
}

// valueOf reads the line of a scalar or a column:
//
//	8 ifOperStatus Integer32(1 up, 2 down); Whether it works now.
//
// with a - before the syntax of what no agent tells, [size], <hint> and {unit}.
func valueOf(line string) (o Object, number string, err error) {
	m := valueLine.FindStringSubmatch(line)
	if m == nil {
		return o, "", fmt.Errorf("%q is no value", line)
	}
	o, ok := conventions[m[4]]
	if !ok {
		return o, "", fmt.Errorf("%q: there is no syntax %q", line, m[4])
	}
	if m[4] != string(o.Syntax) {
		o.Convention = m[4]
	}
	o.Name, o.Hidden, o.Unit, o.About = m[2], m[3] != "", m[8], m[9]
	if m[5] != "" {
		o.Words = map[int64]string{}
		for pair := range strings.SplitSeq(m[5], ", ") {
			w := wordPair.FindStringSubmatch(pair)
			if w == nil {
				return o, "", fmt.Errorf("%q: %q is no number with its word", line, pair)
			}
			n, _ := strconv.ParseInt(w[1], 10, 64)
			o.Words[n] = w[2]
		}
	}
	if m[6] != "" {
		o.Size, _ = strconv.Atoi(m[6])
	}
	if m[7] != "" {
		o.Hint = m[7]
	}
	return o, m[1], nil
}

// place gives each object its identifier: where it stands under another, that goes first.
func (r *reading) place() error {
	left := len(r.objects)
	for left > 0 {
		before := left
		left = 0
		for i, at := range r.under {
			if r.objects[i].OID != nil {
				continue
			}
			name, numbers, _ := strings.Cut(at, ".")
			parent, ok := r.at[name]
			rest, err := ParseOID(numbers)
			if !ok || err != nil {
				left++
				continue
			}
			r.objects[i].OID = append(append(OID{}, parent...), rest...)
			r.at[r.objects[i].Name] = r.objects[i].OID
		}
		if left == before {
			return fmt.Errorf("%d objects are under something that is not described, such as %q", left, r.unplaced())
		}
	}
	return nil
}

func (r *reading) unplaced() string {
	for i, o := range r.objects {
		if o.OID == nil {
			return o.Name + " " + r.under[i]
		}
	}
	return ""
}
