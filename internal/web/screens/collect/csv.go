package collect

import (
	"encoding/csv"
	"maps"
	"net/http"
	"strconv"
	"time"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/web/middleware"
)

const csvPath = "/collect/values.csv"

// Bounds of a file: rows that are read at once, and all of them.
const (
	csvChunk = 5_000
	csvMost  = 200_000
)

// CSVURL is where the list is taken as a file, as it is filtered and ordered.
func (v valuesView) CSVURL() string {
	q := maps.Clone(v.Sorting.Query)
	q.Del("page")
	return csvPath + "?" + q.Encode()
}

// csv sends the list as a file: numbers in the units of the readings, words as people read them, times in UTC.
func (s Screen) csv(w http.ResponseWriter, r *http.Request) error {
	f := filterOf(r)
	f.Limit, f.Offset = csvChunk, 0
	rows, _, err := s.Watch.Values(r.Context(), middleware.Who(r.Context()), f)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "text/csv; charset=utf-8")
	w.Header().Set("Content-Disposition", `attachment; filename="values.csv"`)
	out := csv.NewWriter(w)
	_ = out.Write([]string{"device", "part", "kit", "reading", "name", "value", "unit", "at", "state", "error"})
	for len(rows) > 0 {
		for _, x := range rows {
			_ = out.Write(s.record(x)) // that nobody takes it any more is told at the end
		}
		f.Offset += len(rows)
		if len(rows) < f.Limit || f.Offset >= csvMost {
			break
		}
		if rows, _, err = s.Watch.Values(r.Context(), middleware.Who(r.Context()), f); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

func (s Screen) record(x watch.ListedValue) []string {
	at := ""
	if x.At != nil {
		at = x.At.UTC().Format(time.RFC3339)
	}
	said := text.Cells(x.Device, x.Part, x.Kit, x.Reading, x.Name, x.Unit, x.Error)
	return []string{said[0], said[1], said[2], said[3], said[4], s.value(x), said[5], at, x.State, said[6]}
}

// digits are as many as a number in binary holds without telling where it was rounded: 50.4, and not
// 50.400000000000006.
const digits = 14

// value is a number as it is, or a word as a cell takes it.
func (s Screen) value(x watch.ListedValue) string {
	if x.Value == nil {
		return ""
	}
	if x.Kind == domain.KindText {
		return text.Cell(x.Text)
	}
	reading, _ := s.Kits.Catalogue().Reading(x.Kit, x.Reading)
	if word, ok := reading.Codes[int(*x.Value)]; ok {
		return text.Cell(word)
	}
	return strconv.FormatFloat(*x.Value, 'g', digits, 64)
}
