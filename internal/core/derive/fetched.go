// Package derive turns what was fetched from a device into values to store.
package derive

import (
	"math"
	"strconv"
	"strings"
	"time"
)

// Kind is the type of a fetched value.
type Kind uint8

// The kinds of value.
const (
	Missing Kind = iota
	Gauge
	Counter32
	Counter64
	Text
)

// Value is one fetched value. Num is set for gauges, Count for counters,
// Text for the rest.
type Value struct {
	Kind  Kind
	Num   float64
	Count uint64
	Text  string
}

// String writes the value as an index, filter or name would show it.
func (v Value) String() string {
	switch v.Kind {
	case Gauge:
		return strconv.FormatFloat(v.Num, 'f', -1, 64)
	case Counter32, Counter64:
		return strconv.FormatUint(v.Count, 10)
	}
	return v.Text
}

// Number returns the value as a number, reading digits out of text.
func (v Value) Number() (float64, bool) {
	switch v.Kind {
	case Gauge:
		return v.Num, true
	case Counter32, Counter64:
		return float64(v.Count), true
	case Text:
		f, err := strconv.ParseFloat(strings.TrimSpace(v.Text), 64)
		return f, err == nil && !math.IsNaN(f) && !math.IsInf(f, 0)
	}
	return 0, false
}

// Row is one row of a table; a plain fetch has one row without an index.
// Values stand in the order of the source's columns.
type Row struct {
	Index  string
	Values []Value
	// At is when the answer with the row came; zero for that of the whole fetch.
	At time.Time
}

// Fetched is the answer to one fetch.
type Fetched struct {
	// At is when the answer came, or the last of several: a moment with its
	// monotonic reading where we took it, which the engine turns into a time.
	At   time.Time
	Took time.Duration
	// Uptime is sysUpTime in hundredths of a second.
	Uptime      uint32
	UptimeKnown bool
	Rows        []Row
	// Error is the protocol's own error in words; empty when it went well.
	Error string
	// NoAnswer is true when nothing came back at all, as against an answer
	// that is an error.
	NoAnswer bool
	// Failure is the kind of the error where the way can tell.
	Failure Failure
}

// When is the time at which a row was so.
func (f Fetched) When(row Row) time.Time {
	if row.At.IsZero() {
		return f.At
	}
	return row.At
}
