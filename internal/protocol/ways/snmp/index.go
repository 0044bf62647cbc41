package snmp

import (
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/way"
)

// withIndex puts the columns that stand in the index of each row between those that were walked.
// A row whose index is not as it should be has its numbers in the place of all of it, and no parts.
func withIndex(q way.Question, rows []derive.Row) {
	split, _ := mib.NewSplitter(q.Ask["index"]) // was checked
	for i, row := range rows {
		var parts []string
		if oid, err := mib.ParseOID(row.Index); err == nil {
			parts, _ = split.Split(oid)
		}
		values := make([]derive.Value, 0, len(q.Columns))
		walked := 0
		for _, c := range q.Columns {
			if m := partName.FindStringSubmatch(c.Of); m != nil {
				values = append(values, partOf(parts, row.Index, m[1]))
				continue
			}
			values = append(values, row.Values[walked])
			walked++
		}
		rows[i].Values = slices.Clip(values)
	}
}

// partOf is one part of an index, or all of it where no number is given.
func partOf(parts []string, index, number string) derive.Value {
	if number == "" {
		if len(parts) > 0 {
			index = strings.Join(parts, " · ")
		}
		return derive.Value{Kind: derive.Text, Text: index}
	}
	n, _ := strconv.Atoi(number)
	if n > len(parts) {
		return derive.Value{}
	}
	return derive.Value{Kind: derive.Text, Text: parts[n-1]}
}
