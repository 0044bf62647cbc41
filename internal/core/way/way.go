// Package way describes ways to collect: how a device is talked to, what can
// be asked and what comes back, as data. How it is done is a protocol's
// affair; forms, validation, costs, explanations and documentation come from
// the description.
package way

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"tirelessowl/internal/core/condition"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
)

// Way is one way to collect, described.
type Way struct {
	Name  string
	Title string
	About string
	// Endpoint are the settings of how a device is talked to, besides its
	// address: a port, a version.
	Endpoint []field.Field
	// Credentials are the kinds of credential that it takes; none where it
	// needs none.
	Credentials []Credential
	// NeedsCredential is true for a way by which nothing can be asked without one.
	NeedsCredential bool
	// OneAccount is true for a way by which all that is asked of a device signs in at one place: where a credential is
	// refused once, it rests for all of it.
	OneAccount bool
	// Ask are the settings of what a source asks.
	Ask []field.Field
	// Columns returns what an answer brings where the way itself decides;
	// nil where a source names its columns.
	Columns func(ask Settings) []Column
	// CheckColumn refuses what a source cannot ask for, where sources name
	// their columns.
	CheckColumn func(of string) error
	// Requests is how many requests one round sends for a number of rows.
	Requests func(ask Settings, rows int) float64
	// Words says in one sentence what is asked to get some columns.
	Words func(ask Settings, columns []Column) string
	// Statement is an example of what people may write to be asked; empty for ways that take no statement.
	Statement string
	// Facts are what a sweep may learn by this way, in words.
	Facts map[string]string
}

// Takes tells whether the way takes credentials of a kind.
func (w Way) Takes(kind string) bool {
	return slices.ContainsFunc(w.Credentials, func(c Credential) bool { return c.Name == kind })
}

// Credential returns a kind of credential that the way takes, by its name.
func (w Way) Credential(kind string) (Credential, bool) {
	i := slices.IndexFunc(w.Credentials, func(c Credential) bool { return c.Name == kind })
	if i < 0 {
		return Credential{}, false
	}
	return w.Credentials[i], true
}

// Column names one value in each row of an answer.
type Column struct {
	As string // its name within a kit
	Of string // what it is on the device, as the way writes it; empty where the way decides
	// Is says what its values are, where conditions ask for it.
	Is condition.Kind
}

// Table is what a statement brought.
type Table struct {
	Columns []string
	Rows    [][]derive.Value
	// More is true where there are more rows than were read.
	More bool
}

// Credential is a kind of credential: its fields, secret or not.
type Credential struct {
	Name   string
	Title  string
	Fields []field.Field
	// Check says by field what is wrong beyond each field by itself, knowing which secrets
	// there are; nil where nothing can be.
	Check func(settings Settings, secrets map[string]bool) map[string]string
}

// Secret is the kind of credential that no way takes by itself: a secret that parameters of kits stand for.
var Secret = Credential{
	Name:   "secret",
	Title:  "Secret for kits",
	Fields: []field.Field{{Name: "secret", Label: "Secret", Kind: field.Secret, Required: true}},
}

// Opened is a credential with its secrets, ready to be used; the zero value is none.
type Opened struct {
	Kind     string
	Settings Settings
	Secrets  domain.Secrets
	// Bound is where else the secrets may be sent than to the address of the question.
	Bound ranges.Set
}

// MayGoTo tells whether the secrets may be sent to an address, when a device at another one is asked.
func (o Opened) MayGoTo(to, device netip.Addr) bool {
	return to.Unmap() == device.Unmap() || o.Bound.Contains(to.Unmap())
}

// Settings are values by the names of their fields.
type Settings map[string]string

// Int returns a whole number, 0 where there is none.
func (s Settings) Int(name string) int { n, _ := strconv.Atoi(s[name]); return n }

// Duration returns a time, 0 where there is none.
func (s Settings) Duration(name string) time.Duration {
	d, _ := time.ParseDuration(s[name])
	return d
}

// List is all ways that there are.
type List []Way

// Of returns a way by its name; ok is false when there is none.
func (l List) Of(name string) (Way, bool) {
	i := slices.IndexFunc(l, func(w Way) bool { return w.Name == name })
	if i < 0 {
		return Way{}, false
	}
	return l[i], true
}

// Credential returns a kind of credential by its name.
func (l List) Credential(name string) (Credential, bool) {
	for _, w := range l {
		for _, c := range w.Credentials {
			if c.Name == name {
				return c, true
			}
		}
	}
	return Secret, name == Secret.Name
}

// Fact puts what a sweep learns into words.
func (l List) Fact(name string) string {
	for _, w := range l {
		if text, ok := w.Facts[name]; ok {
			return text
		}
	}
	return fmt.Sprintf("“%s”", name)
}

// Question is one thing to ask of one device, ready to be asked.
type Question struct {
	Device domain.ID
	// Key names the question within its device: kit/source.
	Key   string
	Every time.Duration
	Way   string
	// Address and Endpoint say how the device is talked to, Credential with what.
	Address    netip.Addr
	Endpoint   Settings
	Credential Opened
	// Withheld says why it must not be asked; empty where it may.
	Withheld string
	// Refuses says what is against connecting to an address, wherever a name or a redirect leads; empty where nothing is.
	// It is nil where all that the installation allows may be talked to.
	Refuses func(netip.Addr) string
	// Ask and Columns say what is asked.
	Ask     Settings
	Columns []Column
	// Hide are the secrets among what is asked: they stand in nothing that is told.
	Hide []string
	// Exchange records what goes to and fro; nil where nobody looks.
	Exchange *Exchange
}

// At returns where to connect; a port that is not set is an error.
func (q Question) At(port string) (netip.AddrPort, error) {
	n, err := strconv.ParseUint(port, 10, 16)
	if err != nil || n == 0 {
		return netip.AddrPort{}, fmt.Errorf("no port is set to ask %s", q.Address)
	}
	return netip.AddrPortFrom(q.Address, uint16(n)), nil
}

// Exchange is what was sent and what came back when something was tried.
type Exchange struct {
	begin time.Time
	mask  *strings.Replacer // takes the secrets out; nil where there are none
	Lines []Line
}

// Line is one message of an exchange, in words; secrets are never in it.
type Line struct {
	After time.Duration
	Sent  bool
	Text  string
}

// mostLines and longestLine bound what is recorded.
const (
	mostLines   = 200
	longestLine = 400
)

// NewExchange begins a record.
func NewExchange(now time.Time) *Exchange { return &Exchange{begin: now} }

// Sent records a message to the device.
func (e *Exchange) Sent(now time.Time, format string, args ...any) { e.add(now, true, format, args) }

// Got records what came of it.
func (e *Exchange) Got(now time.Time, format string, args ...any) { e.add(now, false, format, args) }

// Rows records rows of an answer, a line each.
func (e *Exchange) Rows(now time.Time, columns []Column, rows []derive.Row) {
	if e == nil {
		return
	}
	e.Got(now, "%s", text.Count(int64(len(rows)), "row"))
	for _, row := range rows {
		var cells []string
		for i, v := range row.Values {
			if i < len(columns) && v.Kind != derive.Missing {
				cells = append(cells, columns[i].As+" = "+v.String())
			}
		}
		e.Got(now, "%s", strings.TrimSpace(row.Index+"  "+strings.Join(cells, ", ")))
	}
}

func (e *Exchange) add(now time.Time, sent bool, format string, args []any) {
	if e == nil || len(e.Lines) > mostLines {
		return
	}
	text := fmt.Sprintf(format, args...)
	if e.mask != nil {
		text = e.mask.Replace(text) // before it is cut: half a secret would not be found
	}
	if len(e.Lines) == mostLines {
		text = "… and more"
	} else if len(text) > longestLine {
		text = strings.ToValidUTF8(text[:longestLine], "") + " …"
	}
	e.Lines = append(e.Lines, Line{After: now.Sub(e.begin), Sent: sent, Text: text})
}
