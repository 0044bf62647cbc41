// Package smi reads MIB modules as they are published (SMIv2, RFC 2578 to 2580; SMIv1, RFC 1155
// and 1212) and makes described objects of them.
package smi

import (
	"bytes"
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"github.com/sleepinggenius2/gosmi/parser"
	"golang.org/x/text/encoding/charmap"

	"tirelessowl/internal/core/mib"
)

// MaxFile is the largest file that is read, in bytes.
const MaxFile = 4 << 20

// Problem is something that is wrong in a file.
type Problem struct {
	File string `json:"file"`
	Line int    `json:"line"` // from 1; 0 where there is none
	Text string `json:"text"`
}

// String writes the problem with its place.
func (p Problem) String() string {
	if p.Line == 0 {
		return p.File + ": " + p.Text
	}
	return fmt.Sprintf("%s, line %d: %s", p.File, p.Line, p.Text)
}

// Source is a module as it was read, not yet linked to others.
type Source struct {
	Name string
	File string
	Text string
	line int // of the file, where the module begins, from 0
	body parser.ModuleBody
}

// Needs are the modules that it imports from.
func (s Source) Needs() (out []string) {
	for _, i := range s.body.Imports {
		out = append(out, string(i.Module))
	}
	return out
}

var begin = regexp.MustCompile(`(?m)^[ \t]*([A-Za-z][A-Za-z0-9-]*)(?:\s*\{[^}]*\})?\s+DEFINITIONS\s*(?:IMPLICIT TAGS\s*)?::=\s*BEGIN`)

// Read reads the modules of a file, which may hold several, but for those that are known without.
// What is wrong is told with its line; modules that can be read are returned all the same.
func Read(file string, data []byte) (out []Source, wrong []Problem) {
	if len(data) > MaxFile {
		return nil, []Problem{{file, 0, fmt.Sprintf("it is larger than %d MiB", MaxFile>>20)}}
	}
	if bytes.IndexByte(data, 0) >= 0 {
		return nil, []Problem{{file, 0, "it is no text"}}
	}
	text := plain(data)
	starts := begin.FindAllStringSubmatchIndex(text, -1)
	if len(starts) == 0 {
		return nil, []Problem{{file, 0, "it has no module: “NAME DEFINITIONS ::= BEGIN” is nowhere in it"}}
	}
	for i, at := range starts {
		end := len(text)
		if i+1 < len(starts) {
			end = starts[i+1][0]
		}
		s := Source{Name: text[at[2]:at[3]], File: file, Text: text[at[0]:end], line: strings.Count(text[:at[0]], "\n")}
		if bases[s.Name] {
			continue
		}
		if problem, ok := s.parse(); !ok {
			wrong = append(wrong, problem)
			continue
		}
		out = append(out, s)
	}
	return out, wrong
}

// plain is the text of a file: UTF-8, or ISO 8859-1 as old modules are, with its tabs and ends of
// lines as the parser takes them.
func plain(data []byte) string {
	text := strings.TrimPrefix(string(data), "\uFEFF")
	if strings.ToValidUTF8(text, "") != text {
		text, _ = charmap.ISO8859_1.NewDecoder().String(text)
	}
	text = strings.ReplaceAll(text, "\r\n", "\n")
	return strings.Map(func(r rune) rune {
		if r == '\r' || r == '\f' || r == '\v' || r == '\u00a0' {
			return ' '
		}
		return r
	}, text)
}

var ending = regexp.MustCompile(`(?m)^[ \t]*END\b`)

// parse reads the module; a panic of the parser is a problem of the file.
func (s *Source) parse() (wrong Problem, ok bool) {
	defer func() {
		if r := recover(); r != nil {
			wrong, ok = Problem{s.File, s.line + 1, fmt.Sprintf("%s cannot be read", s.Name)}, false
		}
	}()
	text := s.Text
	if ends := ending.FindAllStringIndex(text, -1); len(ends) > 0 {
		text = text[:ends[len(ends)-1][1]] // what stands behind it is no module
	}
	m, err := parser.Parse(strings.NewReader(headed(text)))
	if err != nil {
		return s.problem(err), false
	}
	s.body = m.Body
	return Problem{}, true
}

// headed leaves nothing between the name of a module and DEFINITIONS: a number of the module may
// stand there, which nobody uses.
func headed(text string) string {
	at := begin.FindStringSubmatchIndex(text)
	if at == nil {
		return text
	}
	lines := strings.Repeat("\n", strings.Count(text[at[0]:at[1]], "\n"))
	return text[at[2]:at[3]] + " DEFINITIONS ::= BEGIN" + lines + text[at[1]:]
}

var placed = regexp.MustCompile(`^(\d+):\d+: (?s:(.*))$`)

// problem tells what the parser found at its line.
func (s *Source) problem(err error) Problem {
	p := Problem{File: s.File, Line: s.line + 1, Text: err.Error()}
	if m := placed.FindStringSubmatch(p.Text); m != nil {
		line, _ := strconv.Atoi(m[1])
		p.Line, p.Text = s.line+line, m[2]
	}
	p.Text = s.Name + ": " + brief(p.Text, 200)
	return p
}

func brief(text string, most int) string {
	text = mib.Plain([]byte(text))
	if r := []rune(text); len(r) > most {
		return string(r[:most]) + " …"
	}
	return text
}
