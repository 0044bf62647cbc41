// Package snmp is the way to collect by SNMP of all versions: single objects, tables, or
// only whether the agent answers.
package snmp

import (
	"fmt"
	"regexp"
	"strings"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/snmp"
	"tirelessowl/internal/protocol/ways"
)

// Name of this way.
const Name = "snmp"

// The forms of a question.
const (
	get   = "get"
	walk  = "walk"
	hello = "hello"
)

// Way describes SNMP, asked through a client.
func Way(client *snmp.Client) ways.Way {
	a := asker{client}
	return ways.Way{Way: Description, Ask: a.ask, Browse: a.browse}
}

// Description is the way without what carries it out.
var Description = way.Way{
	Name:  Name,
	Title: "SNMP",
	About: "Asks the agent of a device for objects of its management information (RFC 3416), over UDP.",
	Endpoint: []field.Field{
		field.Port("SNMP port", "161"),
		{Name: "timeout", Label: "Wait for an answer", Kind: field.Duration, Default: "2s", Low: 0.1, High: 60},
		{Name: "retries", Label: "Further tries", Kind: field.Whole, Default: "1", Low: 0, High: 10},
	},
	Credentials: credentials,
	Ask: []field.Field{
		{Name: "form", Label: "Form", Kind: field.Choice, Choices: []string{get, walk, hello}, Default: get,
			Help: "get asks for single objects, walk for columns of a table, hello only whether and how fast the agent answers"},
		{Name: "index", Label: "Index of the rows of a walk", Kind: field.Text, Check: indexProblem,
			Help: "number, address, oid, inet, octets or octets:N for each part, with ! behind the last where that is implied; " +
				"then index.1 is a column with its first part"},
		{Name: "count", Label: "Requests in a round of hello", Kind: field.Whole, Default: "3", Low: 1, High: 10},
		{Name: "timeout", Label: "Wait for each hello", Kind: field.Duration, Default: "1500ms", Low: 0.05, High: 30},
	},
	Columns: func(ask way.Settings) []way.Column {
		if ask["form"] == hello {
			return ways.ProbeColumns
		}
		return nil
	},
	CheckColumn: checkOID,
	Requests:    requests,
	Words:       words,
	Facts: map[string]string{
		"answers:snmp":   "an answer to SNMP",
		"mib:interfaces": "a table of interfaces (IF-MIB)",
		"mib:host":       "a table of storage (HOST-RESOURCES-MIB)",
		"mib:ethernet":   "counters of Ethernet ports (EtherLike-MIB)",
		"mib:ups":        "a power supply with a battery (UPS-MIB)",
		"mib:bridge":     "ports of a bridge (BRIDGE-MIB)",
		"mib:printer":    "a printer (Printer-MIB)",
		"mib:lldp":       "neighbours that announce themselves (LLDP-MIB)",
		"mib:sensors":    "sensors (ENTITY-SENSOR-MIB)",
		"mib:bgp":        "neighbours by BGP (BGP4-MIB)",
		"mib:ospf":       "neighbours by OSPF (OSPF-MIB)",
		"table:disks":    "a table of mounted disks (1.3.6.1.4.1.2021.9)",
		"table:disk-io":  "a table of disk traffic (1.3.6.1.4.1.2021.13.15)",
		"table:load":     "the load of a Unix host (1.3.6.1.4.1.2021.10)",
	},
}

var oid = regexp.MustCompile(`^[0-2](\.(0|[1-9][0-9]*))+$`)

func indexProblem(value string) string {
	if _, err := mib.NewSplitter(value); err != nil {
		return err.Error()
	}
	return ""
}

// partName matches the columns that stand in the index of a row: all of it, or one part.
var partName = regexp.MustCompile(`^index(?:\.([1-9][0-9]?))?$`)

func checkOID(of string) error {
	if !oid.MatchString(of) && !partName.MatchString(of) {
		return fmt.Errorf("%q is no valid object identifier", of)
	}
	return nil
}

// rowsPerAnswer is how many rows one answer to GETBULK usually holds.
const rowsPerAnswer = 8

func requests(ask way.Settings, rows int) float64 {
	switch ask["form"] {
	case hello:
		return float64(max(1, ask.Int("count")))
	case walk:
		return float64(rows/rowsPerAnswer + 1)
	}
	return 1
}

func words(ask way.Settings, columns []way.Column) string {
	if ask["form"] == hello {
		return fmt.Sprintf(
			"A probe of %d requests for the uptime by SNMP measures the answer time and the share that is lost",
			ask.Int("count"),
		)
	}
	how := "SNMP GET of "
	if ask["form"] == walk {
		how = "SNMP walk of "
	}
	var objects []string
	for _, c := range columns {
		objects = append(objects, fmt.Sprintf("%s (%s)", c.As, c.Of))
	}
	return how + strings.Join(objects, ", ")
}
