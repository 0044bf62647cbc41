package kit

import (
	"bytes"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"tirelessowl/internal/domain"
)

// Queried is a statement that a person wrote, with what its columns are: a kit is made of it.
type Queried struct {
	Title     string
	Way       string
	Statement string
	Every     time.Duration
	Columns   []QueriedColumn
}

// QueriedColumn is a column of a statement.
type QueriedColumn struct {
	Of   string // as the statement names it
	Is   ColumnUse
	Name string // what people call its reading; empty for the name of the column
	Unit string
}

// ColumnUse is what a column is taken for.
type ColumnUse string

// What columns are taken for. The instances are the first column, or there are none.
const (
	LeftOut   ColumnUse = "left out"
	Instances ColumnUse = "instance"
	Numbers   ColumnUse = "number"
	Counts    ColumnUse = "counter"
	Texts     ColumnUse = "text"
)

// ColumnUses are all of them.
var ColumnUses = []ColumnUse{LeftOut, Instances, Numbers, Counts, Texts}

var notInKeys = regexp.MustCompile(`[^a-z0-9]+`)

// keyLike is a key of what people call something.
func keyLike(name, join string) string {
	key := strings.Trim(notInKeys.ReplaceAllString(strings.ToLower(name), join), join)
	if key == "" || key[0] >= '0' && key[0] <= '9' {
		key = strings.Trim("x"+join+key, join)
	}
	return key[:min(len(key), 40)]
}

// Name is that of the kit.
func (q Queried) Name() string { return keyLike(q.Title, "-") }

// Check says what is wrong, by field: title, every, and column.N.
func (q Queried) Check() domain.FieldErrors {
	errs := domain.FieldErrors{}
	if strings.TrimSpace(q.Title) == "" || len(q.Title) > 100 {
		errs["title"] = "Give it a title of at most 100 characters."
	}
	if q.Every < 10*time.Second || q.Every > 24*time.Hour {
		errs["every"] = "Must be from 10 seconds to a day."
	}
	read := 0
	for i, c := range q.Columns {
		switch {
		case !slices.Contains(ColumnUses, c.Is):
			errs[fmt.Sprintf("column.%d", i)] = "Choose what it is."
		case c.Is == Instances && i > 0:
			errs[fmt.Sprintf("column.%d", i)] = "Only the first column can name instances: let the statement bring it first."
		case c.Is != LeftOut && c.Is != Instances:
			read++
		}
	}
	if read == 0 {
		errs["column"] = "Choose at least one column that is a number, a counter or a text."
	}
	return errs
}

// What the kit file of a statement holds, in the order in which it is written.
type (
	queriedFile struct {
		Kit      string           `yaml:"kit"`
		Title    string           `yaml:"title"`
		Folder   string           `yaml:"folder"`
		Version  int              `yaml:"version"`
		About    string           `yaml:"about"`
		Needs    []string         `yaml:"needs,flow"`
		Request  bool             `yaml:"on_request"`
		Sources  []queriedSource  `yaml:"sources"`
		Parts    []queriedParts   `yaml:"parts,omitempty"`
		Readings []queriedReading `yaml:"readings"`
	}
	queriedSource struct {
		Key     string              `yaml:"key"`
		Way     string              `yaml:"way"`
		Every   string              `yaml:"every"`
		Ask     map[string]string   `yaml:"ask"`
		Columns []map[string]string `yaml:"columns"`
	}
	queriedParts struct {
		Kind, Title, Source string
		Key                 []string `yaml:",flow"`
		Name                []string `yaml:",flow"`
	}
	queriedReading struct {
		Key    string   `yaml:"key"`
		Name   string   `yaml:"name"`
		Of     string   `yaml:"of,omitempty"`
		Unit   string   `yaml:"unit,omitempty"`
		Source string   `yaml:"source"`
		Value  []string `yaml:"value,flow"`
		Rate   bool     `yaml:"rate,omitempty"`
		Text   bool     `yaml:"text,omitempty"`
	}
)

const (
	queriedRows   = "row"
	queriedKey    = "statement"
	queriedFolder = "Databases/Own"
)

// Document is the kit file; errors are by field.
func (q Queried) Document() (string, error) {
	if errs := q.Check(); len(errs) > 0 {
		return "", errs
	}
	src := queriedSource{Key: queriedKey, Way: q.Way, Every: q.Every.String(), Ask: map[string]string{"query": q.Statement}}
	out := queriedFile{Kit: q.Name(), Title: q.Title, Folder: queriedFolder, Version: 1, Needs: []string{}, Request: true,
		About: "What a statement brings that was written here."}
	of := ""
	used := map[string]bool{}
	for _, c := range q.Columns {
		if c.Is == LeftOut {
			continue
		}
		key := keyLike(c.Of, "_")
		for n := 2; used[key]; n++ {
			key = fmt.Sprintf("%s_%d", keyLike(c.Of, "_"), n)
		}
		used[key] = true
		from := c.Of
		if c.Is == Counts {
			from = "counter:" + from
		}
		src.Columns = append(src.Columns, map[string]string{"as": key, "of": from})
		if c.Is == Instances {
			of = queriedRows
			out.Parts = []queriedParts{{queriedRows, "Rows", queriedKey, []string{key}, []string{key}}}
			continue
		}
		name := strings.TrimSpace(c.Name)
		if name == "" {
			name = c.Of
		}
		out.Readings = append(out.Readings, queriedReading{key, name, of, c.Unit, queriedKey, []string{key}, c.Is == Counts, c.Is == Texts})
	}
	out.Sources = []queriedSource{src}
	var text bytes.Buffer
	enc := yaml.NewEncoder(&text)
	enc.SetIndent(2)
	err := enc.Encode(out)
	return text.String(), err
}
