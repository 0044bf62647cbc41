package demo

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"strconv"
	"strings"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
)

// History reads the past from the simulated estate.
type History struct {
	Client *Client
	// Origin is when the stories of what devices serve were told first.
	Origin time.Time
}

// object is one column of a history.
type object struct {
	OID   string  `json:"oid"`
	Type  string  `json:"type"`
	Fixed *string `json:"fixed"` // nil for one that changes
}

// Each implements engine.History.
func (h History) Each(
	ctx context.Context,
	d domain.Device,
	questions []way.Question,
	from, to time.Time,
	step time.Duration,
	f func([]derive.Fetched),
) error {
	body, err := h.Client.history(ctx, d.Address, from, to, step)
	if err != nil {
		return err
	}
	defer body.Close()
	lines := bufio.NewReaderSize(body, 1<<20)
	head, err := lines.ReadBytes('\n')
	if err != nil {
		return err
	}
	var objects []object
	if err := json.Unmarshal(head, &objects); err != nil {
		return fmt.Errorf("head of the history: %w", err)
	}
	r := newReplay(objects, questions)
	r.tell = pastAt{origin: h.Origin, device: d.Name}
	for {
		line, err := lines.ReadSlice('\n')
		if len(line) == 0 || err != nil {
			return nil // the end
		}
		answers, err := r.answers(string(line[:len(line)-1]))
		if err != nil {
			return err
		}
		f(answers)
	}
}

// replay turns lines of a history into answers to requests.
type replay struct {
	questions []way.Question
	answers_  []derive.Fetched
	moving    []slot // where each moving column goes; nil rows are not asked for
	tell      pastAt
}

type slot struct {
	value *derive.Value
	kind  derive.Kind
}

func newReplay(objects []object, questions []way.Question) *replay {
	r := &replay{questions: questions, answers_: make([]derive.Fetched, len(questions))}
	cells := map[string]*derive.Value{}
	for i, q := range questions {
		if pasts[q.Key] != nil {
			continue
		}
		if isProbe(q) {
			r.answers_[i].Rows = []derive.Row{{Values: make([]derive.Value, len(q.Columns))}}
			continue
		}
		r.answers_[i].Rows = rowsOf(q, objects, cells)
	}
	for _, o := range objects {
		cell := cells[o.OID]
		kind := map[string]derive.Kind{
			"counter32": derive.Counter32, "counter64": derive.Counter64, "gauge": derive.Gauge, "text": derive.Text,
		}[o.Type]
		if o.Fixed == nil {
			r.moving = append(r.moving, slot{cell, kind})
			continue
		}
		if cell != nil {
			set(cell, kind, *o.Fixed)
		}
	}
	return r
}

// isProbe tells questions whether something answers: what they bring is not an
// object of the device.
func isProbe(q way.Question) bool {
	return len(q.Columns) > 0 && q.Columns[0].Of == ""
}

// rowsOf lays out the table that a walk would have read.
func rowsOf(q way.Question, objects []object, cells map[string]*derive.Value) []derive.Row {
	var rows []derive.Row
	place := map[string]int{}
	columns := q.Columns
	for _, o := range objects {
		for c, col := range columns {
			index, ok := strings.CutPrefix(o.OID, col.Of+".")
			if o.OID == col.Of { // a single object, asked by its whole name
				index, ok = "", true
			}
			if !ok {
				continue
			}
			if _, known := place[index]; !known {
				place[index] = len(rows)
				rows = append(rows, derive.Row{Index: index, Values: indexed(columns, index)})
			}
			cells[o.OID] = &rows[place[index]].Values[c]
		}
	}
	return rows
}

// indexed are the values of a row of which only its index is known; no kit of the demo takes one apart.
func indexed(columns []way.Column, index string) []derive.Value {
	values := make([]derive.Value, len(columns))
	for i, c := range columns {
		if c.Of == "index" {
			values[i] = derive.Value{Kind: derive.Text, Text: index}
		}
	}
	return values
}

func set(cell *derive.Value, kind derive.Kind, text string) {
	cell.Kind = kind
	switch kind {
	case derive.Counter32, derive.Counter64:
		cell.Count, _ = strconv.ParseUint(text, 10, 64)
	case derive.Gauge:
		cell.Num, _ = strconv.ParseFloat(text, 64)
	default:
		cell.Text = text
	}
}

// answers reads one line: time, answers, round trip in µs, uptime, values.
func (r *replay) answers(line string) ([]derive.Fetched, error) {
	next := func() string {
		field, rest, _ := strings.Cut(line, ",")
		line = rest
		return field
	}
	unix, err := strconv.ParseInt(next(), 10, 64)
	if err != nil {
		return nil, fmt.Errorf("a line of the history has no time: %w", err)
	}
	at := time.Unix(unix, 0).UTC()
	if next() != "1" {
		return r.silent(at), nil
	}
	micros, _ := strconv.ParseFloat(next(), 64)
	uptime, _ := strconv.ParseUint(next(), 10, 32)
	for _, m := range r.moving {
		if field := next(); m.value != nil {
			if m.kind == derive.Text {
				field, _ = url.QueryUnescape(field)
			}
			set(m.value, m.kind, field)
		}
	}
	for i := range r.answers_ {
		a := &r.answers_[i]
		a.At, a.Error, a.NoAnswer = at, "", false
		if f := pasts[r.questions[i].Key]; f != nil {
			r.tell.at = at
			a.Rows = f.rowsAt(r.tell, r.questions[i])
			continue
		}
		if isProbe(r.questions[i]) {
			a.Rows[0].Values[0] = derive.Value{Kind: derive.Gauge, Num: micros / 1e6}
			a.Rows[0].Values[1] = derive.Value{Kind: derive.Gauge, Num: 0}
			continue
		}
		a.Uptime, a.UptimeKnown = uint32(uptime), true
	}
	return r.answers_, nil
}

func (r *replay) silent(at time.Time) []derive.Fetched {
	for i := range r.answers_ {
		a := &r.answers_[i]
		a.At, a.Error, a.NoAnswer = at, "no answer", true
		if pasts[r.questions[i].Key] == nil && isProbe(r.questions[i]) {
			a.Rows[0].Values[0] = derive.Value{}
			a.Rows[0].Values[1] = derive.Value{Kind: derive.Gauge, Num: 100}
		}
	}
	return r.answers_
}
