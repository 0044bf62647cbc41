package database

import (
	"errors"
	"fmt"
	"strings"
	"unicode"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/dial"
	"tirelessowl/internal/protocol/ways"
)

// Columns that no statement brings: what the check came to, why, and the seconds that signing in and all of it took.
const (
	ofVerdict = "@verdict"
	ofSays    = "@says"
	ofTotal   = "@total"
	ofConnect = "@connect"
)

// counted marks a column with a counter: what counts is how it grows.
const counted = "counter:"

// mostRows is how many rows a source can bring.
const mostRows = 1000

// Describe is the way to ask servers of a kind, without what carries it out.
func (d Driver) Describe() way.Way {
	return way.Way{
		Name:  d.Name,
		Title: d.Title,
		About: "Asks a database by one statement that only reads, and tells whether it lets somebody in.",
		Endpoint: []field.Field{
			field.Port("Port of "+d.Title, d.Port),
			{Name: "database", Label: "Database", Kind: field.Text, Help: "empty for the usual one of the server"},
			{Name: "security", Label: "Connection", Kind: field.Choice, Choices: []string{Offered, Secured, Plain}, Default: Offered,
				Labels: map[string]string{Offered: "TLS where it is offered"}},
			{Name: "name", Label: "Name of the certificate", Kind: field.Text, Help: "empty for the address; for TLS"},
			{Name: "verify", Label: "The certificate must hold", Kind: field.Choice, Choices: []string{"yes", "no"}, Default: "yes",
				Help: "for TLS"},
		},
		Credentials: []way.Credential{{Name: d.Account, Title: d.Title + " user and password", Fields: []field.Field{
			{Name: "user", Label: "User", Kind: field.Text, Required: true},
			{Name: "password", Label: "Password", Kind: field.Secret, Required: true},
		}}},
		NeedsCredential: true,
		OneAccount:      true,
		Ask: []field.Field{
			{Name: "query", Label: "Statement", Kind: field.Text, Required: true, Check: statementProblem,
				Help: "one that only reads; where it brings several rows, its first column names them"},
			{Name: "rows", Label: "Rows at most", Kind: field.Whole, Default: "200", Low: 1, High: mostRows},
			{Name: "timeout", Label: "Wait for all of it", Kind: field.Duration, Default: "10s", Low: 0.1, High: 120},
		},
		CheckColumn: checkColumn,
		Statement:   d.Example,
		Requests:    func(way.Settings, int) float64 { return 1 },
		Words: func(ask way.Settings, columns []way.Column) string {
			var names []string
			for _, c := range columns {
				names = append(names, strings.TrimPrefix(c.Of, counted))
			}
			return fmt.Sprintf("%s is asked by a statement for %s", d.Title, strings.Join(names, ", "))
		},
		Facts: map[string]string{"answers:" + d.Name: "an answer of " + d.Title},
	}
}

// Way carries it out over a way to connect, which is asked for each connection.
func (d Driver) Way(by dial.Func) ways.Way {
	a := asker{d, by}
	return ways.Way{Way: d.Describe(), Ask: a.ask, Look: a.look}
}

func statementProblem(value string) string {
	if strings.TrimFunc(value, func(r rune) bool { return unicode.IsSpace(r) || r == ';' }) == "" {
		return "Write the statement that is run."
	}
	return ""
}

func checkColumn(of string) error {
	name := strings.TrimPrefix(of, counted)
	switch {
	case name == "" || len(name) > 200:
		return errors.New("must be the name of a column that the statement brings")
	case name[0] == '@' && of != ofVerdict && of != ofSays && of != ofTotal && of != ofConnect:
		return fmt.Errorf("there are %s, %s, %s and %s beside what the statement brings", ofVerdict, ofSays, ofTotal, ofConnect)
	}
	return nil
}
