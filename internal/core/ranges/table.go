package ranges

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"
)

// The bounds of a table that is brought in.
const (
	MaxTable  = 4 << 20 // bytes
	mostRows  = 200_000
	mostWrong = 10
)

// columnNames are what a column of addresses is called in tables of other programs.
var columnNames = []string{"address", "addresses", "ip", "ip address", "ip_address", "ipaddress", "network", "subnet", "prefix", "cidr",
	"range", "host"}

// FromTable takes addresses, networks and ranges out of a table in CSV, with commas, semicolons or
// tabs: those of the column that is called so, else of the first in which one stands. What is
// wrong is told by its line; the rest is returned all the same.
func FromTable(data []byte) (found []string, wrong []string) {
	text := strings.TrimPrefix(string(data), "\uFEFF")
	if len(text) > MaxTable || !utf8.ValidString(text) {
		return nil, []string{fmt.Sprintf("a table is text in UTF-8 of at most %d MiB", MaxTable>>20)}
	}
	in := csv.NewReader(strings.NewReader(text))
	in.Comma, in.FieldsPerRecord, in.TrimLeadingSpace = separator(text), -1, true
	column := -1
	for {
		row, err := in.Read()
		if errors.Is(err, io.EOF) {
			return found, wrong
		}
		if err != nil {
			return found, told(wrong, err.Error())
		}
		line, _ := in.FieldPos(0)
		if column < 0 {
			if column = named(row); column >= 0 {
				continue // the head
			}
			if column = slices.IndexFunc(row, readable); column < 0 {
				continue // a head of other words, or a line of none
			}
		}
		if column >= len(row) || strings.TrimSpace(row[column]) == "" {
			continue
		}
		piece := strings.TrimSpace(row[column])
		switch _, err := parseOne(piece); {
		case err != nil:
			wrong = told(wrong, fmt.Sprintf("line %d: %s", line, err))
		case len(found) == mostRows:
			return found, told(wrong, fmt.Sprintf("line %d: more than %d addresses", line, mostRows))
		default:
			found = append(found, piece)
		}
	}
}

func told(wrong []string, problem string) []string {
	if len(wrong) == mostWrong {
		return append(wrong[:mostWrong-1:mostWrong-1], "and more")
	}
	return append(wrong, problem)
}

// separator is the one of the first line.
func separator(text string) rune {
	first, _, _ := strings.Cut(text, "\n")
	best, most := ',', strings.Count(first, ",")
	for _, c := range []rune{';', '\t'} {
		if n := strings.Count(first, string(c)); n > most {
			best, most = c, n
		}
	}
	return best
}

func named(row []string) int {
	return slices.IndexFunc(row, func(cell string) bool {
		return slices.Contains(columnNames, strings.ToLower(strings.TrimSpace(cell)))
	})
}

func readable(cell string) bool {
	_, err := parseOne(strings.TrimSpace(cell))
	return err == nil
}
