package derive

import (
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"github.com/antchfx/xmlquery"
	"github.com/antchfx/xpath"
	"github.com/theory/jsonpath"
)

// The bounds of what is searched, and of what it is searched by.
const (
	longestSearched = 64 << 10
	longestPath     = 300
)

// finder finds a value in a text.
type finder func(text string) (Value, error)

func (find finder) apply(v Value, _ *Formula, _ *Look) (Value, error) {
	text := v.String()
	if len(text) > longestSearched {
		return v, fmt.Errorf("the text has %d bytes; at most %d are searched", len(text), longestSearched)
	}
	return find(text)
}

// found is a kind of step that finds a value in a text, by what is written.
func found(by func(with string) (finder, error)) func(*Steps, string, Places) error {
	return func(s *Steps, with string, _ Places) error {
		if strings.TrimSpace(with) == "" || len(with) > longestPath {
			return fmt.Errorf("something to find it by, of at most %d characters", longestPath)
		}
		find, err := by(with)
		if err != nil {
			return err
		}
		s.add(find)
		return nil
	}
}

func nowhere(by, text string) error {
	return fmt.Errorf("%s finds nothing in “%.60s”", by, CleanText(text))
}

// pattern finds by a regular expression in RE2's syntax: its first group, or all that it matches.
func pattern(with string) (finder, error) {
	re, err := regexp.Compile(with)
	if err != nil {
		return nil, errors.New(strings.TrimPrefix(err.Error(), "error parsing regexp: "))
	}
	return func(text string) (Value, error) {
		m := re.FindStringSubmatch(text)
		if m == nil {
			return Value{}, nowhere("the pattern", text)
		}
		return Value{Kind: Text, Text: m[min(1, len(m)-1)]}, nil
	}, nil
}

// errTooWide refuses paths that may take a time that grows faster than the text that is searched:
// one text of 64 KiB could hold up all collecting.
var errTooWide = errors.New("this path could take too long: at most one “..”, no brackets in brackets, no “$” in them and no lists")

// wide tells whether a path of JSON may lead to the same places again and again.
func wide(path string) bool {
	brackets, round, deep := 0, 0, 0
	quote := rune(0)
	for i, r := range path {
		switch {
		case quote != 0:
			if r == quote {
				quote = 0
			}
			continue
		case r == '\'' || r == '"':
			quote = r
		case r == '[':
			brackets++
		case r == ']':
			brackets--
		case r == '(':
			round++
		case r == ')':
			round--
		case r == ',' && round == 0, r == '$' && i > 0:
			return true
		case strings.HasPrefix(path[i:], ".."):
			deep++
		}
		if brackets > 1 || brackets > 0 && deep > 0 && strings.HasPrefix(path[i:], "..") {
			return true
		}
	}
	return deep > 1
}

// jsonPath finds by a path of RFC 9535 the first value that it leads to.
func jsonPath(with string) (finder, error) {
	if wide(with) {
		return nil, errTooWide
	}
	path, err := jsonpath.Parse(with)
	if err != nil {
		return nil, errors.New(strings.TrimPrefix(err.Error(), "jsonpath: "))
	}
	return func(text string) (Value, error) {
		if nested(text) > deepest {
			return Value{}, fmt.Errorf("it is nested more than %d deep", deepest)
		}
		var document any
		if err := json.Unmarshal([]byte(text), &document); err != nil {
			return Value{}, fmt.Errorf("it is no JSON: %.80s", err)
		}
		nodes := path.Select(document)
		if len(nodes) == 0 {
			return Value{}, nowhere("the path", text)
		}
		return fromJSON(nodes[0])
	}, nil
}

// deepest is how deep a document may be nested.
const deepest = 100

// nested is how deep a document of JSON is nested at most.
func nested(text string) (most int) {
	depth, within := 0, false
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case within && c == '\\':
			i++
		case c == '"':
			within = !within
		case within:
		case c == '[' || c == '{':
			depth++
			most = max(most, depth)
		case c == ']' || c == '}':
			depth--
		}
	}
	return most
}

func fromJSON(node any) (Value, error) {
	switch n := node.(type) {
	case float64:
		return gauge(n), nil
	case string:
		return Value{Kind: Text, Text: n}, nil
	case nil:
		return Value{}, errors.New("the path leads to null")
	}
	out, err := json.Marshal(node)
	return Value{Kind: Text, Text: string(out)}, err
}

// xmlPath finds by an expression of XPath 1.0: the text of the first node, a number or a word.
func xmlPath(with string) (finder, error) {
	path, err := xpath.Compile(with)
	if err != nil {
		return nil, fmt.Errorf("it is no path: %.100s", err)
	}
	return func(text string) (v Value, err error) {
		defer func() { // so it ends where the moves are used up, and the library where it cannot evaluate
			if r := recover(); r != nil {
				err = fmt.Errorf("the path cannot be followed: %.80v", r)
			}
		}()
		document, err := xmlquery.Parse(strings.NewReader(text))
		if err != nil {
			return Value{}, fmt.Errorf("it is no XML: %.80s", err)
		}
		switch got := path.Evaluate(newBounded(document)).(type) {
		case float64:
			return gauge(got), nil
		case bool:
			return Value{Kind: Text, Text: strconv.FormatBool(got)}, nil
		case string:
			return Value{Kind: Text, Text: got}, nil
		case *xpath.NodeIterator:
			if got.MoveNext() {
				return Value{Kind: Text, Text: got.Current().Value()}, nil
			}
		}
		return Value{}, nowhere("the path", text)
	}, nil
}
