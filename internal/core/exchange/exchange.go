// Package exchange reads and writes samples in open formats: NDJSON, CSV
// (RFC 4180) and OpenMetrics text 1.0 with timestamps. All of them stream.
package exchange

import (
	"bufio"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
	"time"

	textual "tirelessowl/internal/core/text"
)

// Record is one sample with the names of what it belongs to. At has
// milliseconds; Value is finite. Where the value is a text, Text is set and
// Value is not used.
type Record struct {
	Device  string    `json:"device"`
	Part    string    `json:"part,omitempty"`
	Kit     string    `json:"kit"`
	Reading string    `json:"reading"`
	Unit    string    `json:"unit,omitempty"`
	At      time.Time `json:"at"`
	Value   float64   `json:"value"`
	Text    *string   `json:"text,omitempty"`
}

// Format is a way to write records.
type Format string

// The formats.
const (
	NDJSON      Format = "ndjson"
	CSV         Format = "csv"
	OpenMetrics Format = "openmetrics"
)

// Formats are all of them.
var Formats = []Format{NDJSON, CSV, OpenMetrics}

// ErrFormat tells that a format is none of Formats.
var ErrFormat = errors.New("the format must be ndjson, csv or openmetrics")

// ParseFormat returns the format of a name.
func ParseFormat(name string) (Format, error) {
	for _, f := range Formats {
		if strings.EqualFold(name, string(f)) {
			return f, nil
		}
	}
	return "", ErrFormat
}

// MediaType is the content type of a format.
func (f Format) MediaType() string {
	switch f {
	case CSV:
		return "text/csv; charset=utf-8; header=present"
	case OpenMetrics:
		return "application/openmetrics-text; version=1.0.0; charset=utf-8"
	}
	return "application/x-ndjson"
}

// Extension is what file names of a format end with.
func (f Format) Extension() string {
	return map[Format]string{NDJSON: ".ndjson", CSV: ".csv", OpenMetrics: ".om"}[f]
}

// Writer writes records of one format. Records of one reading must come
// together, and those of one series in the order of time, as OpenMetrics asks.
type Writer interface {
	Write(Record) error
	Close() error // writes what ends the text; it does not close the target
}

// NewWriter returns a writer of a format.
func NewWriter(f Format, to io.Writer) (Writer, error) {
	switch f {
	case NDJSON:
		buffered := bufio.NewWriterSize(to, 1<<16)
		return &ndjsonWriter{json.NewEncoder(buffered), buffered}, nil
	case CSV:
		w := &csvWriter{out: csv.NewWriter(to)}
		return w, w.out.Write(columns)
	case OpenMetrics:
		return &metricsWriter{out: bufio.NewWriterSize(to, 1<<16)}, nil
	}
	return nil, ErrFormat
}

type ndjsonWriter struct {
	enc *json.Encoder
	out *bufio.Writer
}

func (w *ndjsonWriter) Write(r Record) error {
	if r.Text != nil {
		return w.enc.Encode(struct {
			Record
			Value *float64 `json:"value,omitempty"` // hides that of the record
		}{Record: r})
	}
	return w.enc.Encode(r)
}

func (w *ndjsonWriter) Close() error { return w.out.Flush() }

var columns = []string{"device", "part", "kit", "reading", "unit", "at", "value", "text"}

// stamp is RFC 3339 with milliseconds.
const stamp = "2006-01-02T15:04:05.999Z07:00"

// textMark stands in the column of the value where the text is the value.
const textMark = "text"

type csvWriter struct {
	out *csv.Writer
	row []string
}

func (w *csvWriter) Write(r Record) error {
	w.row = append(w.row[:0], textual.Cells(r.Device, r.Part, r.Kit, r.Reading, r.Unit)...)
	w.row = append(w.row, r.At.UTC().Format(stamp))
	if r.Text != nil {
		w.row = append(w.row, textMark, textual.Cell(*r.Text))
	} else {
		w.row = append(w.row, number(r.Value), "")
	}
	return w.out.Write(w.row)
}

func (w *csvWriter) Close() error {
	w.out.Flush()
	return w.out.Error()
}

func number(v float64) string { return strconv.FormatFloat(v, 'g', -1, 64) }

// LineError tells what is wrong in a line of a text, counted from 1.
type LineError struct {
	Line int
	Err  error
}

func (e *LineError) Error() string { return fmt.Sprintf("line %d: %v", e.Line, e.Err) }
func (e *LineError) Unwrap() error { return e.Err }

// maxLine bounds a line, and maxRow a row of a table, in bytes.
const (
	maxLine = 1 << 20
	maxRow  = 1 << 18
)

// The times that samples can have: before there were computers' clocks there were none, and
// what lies far ahead is a mistake.
var (
	firstTime = time.Date(1970, 1, 1, 0, 0, 0, 0, time.UTC)
	lastTime  = time.Date(2200, 1, 1, 0, 0, 0, 0, time.UTC)
)

// Read gives all records of a text. It stops at the first line that is wrong,
// or that f refuses, with a LineError.
func Read(f Format, from io.Reader, do func(Record) error) error {
	switch f {
	case NDJSON:
		return eachLine(from, func(text string) error {
			if strings.TrimSpace(text) == "" {
				return nil
			}
			var r Record
			dec := json.NewDecoder(strings.NewReader(text))
			dec.DisallowUnknownFields()
			if err := dec.Decode(&r); err != nil {
				return fmt.Errorf("not a sample: %w", err)
			}
			return given(r, do)
		})
	case CSV:
		return readCSV(from, do)
	case OpenMetrics:
		return readMetrics(from, do)
	}
	return ErrFormat
}

// given checks a record before it is used.
func given(r Record, do func(Record) error) error {
	switch {
	case r.Device == "" || r.Kit == "" || r.Reading == "":
		return errors.New("device, kit and reading are needed")
	case !legible(r):
		return errors.New("it is no text in UTF-8, or holds the character NUL")
	case r.At.IsZero():
		return errors.New("the time is missing")
	case r.At.Before(firstTime) || !r.At.Before(lastTime):
		return fmt.Errorf("the year %d is none that samples can be of", r.At.Year())
	case math.IsNaN(r.Value) || math.IsInf(r.Value, 0):
		return errors.New("the value is not a finite number")
	}
	r.At = r.At.UTC().Truncate(time.Millisecond)
	return do(r)
}

// legible tells whether the texts of a record can be kept.
func legible(r Record) bool {
	all := r.Device + r.Part + r.Kit + r.Reading + r.Unit
	if r.Text != nil {
		all += *r.Text
	}
	return textual.Legible(all)
}

func eachLine(from io.Reader, do func(string) error) error {
	lines := bufio.NewScanner(from)
	lines.Buffer(make([]byte, 0, 1<<16), maxLine)
	n := 0
	for lines.Scan() {
		n++
		if err := do(lines.Text()); err != nil {
			return &LineError{n, err}
		}
	}
	if err := lines.Err(); err != nil {
		return &LineError{n + 1, err}
	}
	return nil
}

// rationed is a text of which a certain part can be read.
type rationed struct {
	from io.Reader
	left int
}

var errLongLine = fmt.Errorf("it is longer than %d bytes", maxRow)

func (r *rationed) Read(p []byte) (int, error) {
	if r.left <= 0 {
		return 0, errLongLine
	}
	n, err := r.from.Read(p[:min(len(p), r.left)])
	r.left -= n
	return n, err
}

// readCSV reads each row from a ration of its own: a field with quotes around it, and a
// head, could go on for ever.
func readCSV(from io.Reader, do func(Record) error) error {
	ration := &rationed{from, maxRow}
	in := csv.NewReader(ration)
	in.ReuseRecord = true
	head, err := in.Read()
	if errors.Is(err, errLongLine) {
		return &LineError{1, errLongLine}
	}
	if err != nil {
		return &LineError{1, errors.New("a head is needed: " + strings.Join(columns, ","))}
	}
	places := map[string]int{}
	for i, name := range head {
		places[strings.ToLower(strings.TrimSpace(strings.TrimPrefix(name, "\ufeff")))] = i
	}
	for _, name := range []string{"device", "kit", "reading", "at", "value"} {
		if _, ok := places[name]; !ok {
			return &LineError{1, fmt.Errorf("the head has no column %q", name)}
		}
	}
	for n := 2; ; n++ {
		ration.left = maxRow
		row, err := in.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if errors.Is(err, errLongLine) {
			return &LineError{n, errLongLine}
		}
		if err != nil {
			var wrong *csv.ParseError
			if errors.As(err, &wrong) {
				return &LineError{wrong.StartLine, wrong.Err}
			}
			return err
		}
		line, _ := in.FieldPos(0)
		r, err := recordOf(row, places)
		if err == nil {
			err = given(r, do)
		}
		if err != nil {
			return &LineError{line, err}
		}
	}
}

func recordOf(row []string, places map[string]int) (r Record, err error) {
	at := func(name string) string {
		if i, ok := places[name]; ok { // each row has as many fields as the head
			return strings.Clone(row[i])
		}
		return ""
	}
	name := func(column string) string { return textual.FromCell(at(column)) }
	r = Record{Device: name("device"), Part: name("part"), Kit: name("kit"), Reading: name("reading"), Unit: name("unit")}
	if r.At, err = time.Parse(time.RFC3339Nano, at("at")); err != nil {
		return r, fmt.Errorf("%q is not a time like 2026-11-23T03:40:00Z", at("at"))
	}
	if text := name("text"); at("value") == textMark || at("value") == "" && text != "" {
		r.Text = &text
		return r, nil
	}
	if r.Value, err = strconv.ParseFloat(at("value"), 64); err != nil {
		return r, fmt.Errorf("%q is not a number", at("value"))
	}
	return r, nil
}
