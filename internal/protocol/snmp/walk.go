package snmp

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gosnmp/gosnmp"

	"tirelessowl/internal/core/derive"
)

// Limits against agents that never come to an end.
const (
	maxRows     = 20_000
	maxRequests = 4_000
	// variablesPerAnswer is what fits into one frame with some room.
	variablesPerAnswer = 64
)

const (
	sysUpTimeParent = ".1.3.6.1.2.1.1.3"
	sysUpTime       = ".1.3.6.1.2.1.1.3.0"
)

var errEmpty = errors.New("the agent's answer to a walk is empty")

// ErrNotIncreasing is returned when an agent's walk does not move forward
// (RFC 3416 section 4.2.3 demands lexicographic order).
var ErrNotIncreasing = errors.New("the agent's objects do not increase: its walk would never end")

// Table is the result of a walk: rows in the order of their first appearance.
type Table struct {
	Rows        []derive.Row
	Uptime      uint32
	UptimeKnown bool
}

// walk is the state of a walk over several columns at once.
type walk struct {
	columns []column
	active  []int // places of columns that have not ended
	rows    map[string]int
	table   Table
	at      time.Time // of the answer that is read
	begun   bool
	// repetitions and width bound what one request asks for: rows, and columns of each.
	repetitions, width int
}

type column struct {
	root   string // with leading and trailing dot
	next   string
	lastID []uint32
}

// Walk reads table columns together, so that one answer holds several whole
// rows; sysUpTime comes along with the first one.
func (c *Client) Walk(ctx context.Context, t Target, oids []string) (Table, error) {
	w := &walk{rows: map[string]int{}, repetitions: variablesPerAnswer, width: len(oids)}
	for i, oid := range oids {
		root := "." + strings.Trim(oid, ".")
		w.columns = append(w.columns, column{root: root + ".", next: root})
		w.active = append(w.active, i)
	}
	for requests := 0; len(w.active) > 0; requests++ {
		if requests >= maxRequests || len(w.table.Rows) > maxRows {
			return Table{}, fmt.Errorf("the table has more than %d rows: given up", len(w.table.Rows))
		}
		answer, err := c.ask(ctx, t, w.request(t.First))
		if err != nil {
			return Table{}, err
		}
		if w.ended(answer) || w.smaller(answer) {
			continue
		}
		if err := status(answer); err != nil {
			return Table{}, err
		}
		w.at = time.Now()
		if err := w.take(answer.Variables); err != nil {
			return Table{}, err
		}
	}
	return w.table, nil
}

// asked are the columns of the next request. Those beyond the width wait until others ended.
func (w *walk) asked() []int { return w.active[:min(w.width, len(w.active))] }

// request asks for the next rows; version 1 has no more than one at a time.
func (w *walk) request(one bool) *gosnmp.SnmpPacket {
	asked := w.asked()
	rows := max(2, variablesPerAnswer/len(asked))
	p := &gosnmp.SnmpPacket{PDUType: gosnmp.GetBulkRequest, MaxRepetitions: uint32(min(w.repetitions, rows))}
	if one {
		p = &gosnmp.SnmpPacket{PDUType: gosnmp.GetNextRequest}
		w.repetitions = 1
	}
	if !w.begun {
		if !one {
			p.NonRepeaters = 1
		}
		p.Variables = append(p.Variables, gosnmp.SnmpPDU{Name: sysUpTimeParent, Type: gosnmp.Null})
	}
	for _, i := range asked {
		p.Variables = append(p.Variables, gosnmp.SnmpPDU{Name: w.columns[i].next, Type: gosnmp.Null})
	}
	return p
}

// ended takes the column away that ended, as version 1 says it: there is no such name
// (RFC 1157 section 4.1.3).
func (w *walk) ended(answer *gosnmp.SnmpPacket) bool {
	i := int(answer.ErrorIndex) - 1
	if !w.begun {
		i-- // that of the uptime
	}
	if answer.Error != gosnmp.NoSuchName || i < 0 || i >= len(w.asked()) {
		return false
	}
	w.active = slices.Delete(w.active, i, i+1)
	return true
}

// smaller asks for less from here on where the answer would not fit into a message: for fewer
// rows, then for fewer columns.
func (w *walk) smaller(answer *gosnmp.SnmpPacket) bool {
	asked := len(w.asked())
	switch {
	case answer.Error != gosnmp.TooBig:
		return false
	case w.repetitions > 1:
		w.repetitions = min(w.repetitions, max(2, variablesPerAnswer/asked)) / 2
	case asked > 1:
		w.width = asked / 2
	default:
		return false
	}
	return true
}

func (w *walk) take(vars []gosnmp.SnmpPDU) error {
	if !w.begun && len(vars) > 0 {
		if vars[0].Name == sysUpTime && vars[0].Type == gosnmp.TimeTicks {
			w.table.Uptime, w.table.UptimeKnown = uint32(gosnmp.ToBigInt(vars[0].Value).Uint64()), true
		}
		vars = vars[1:]
	}
	if len(vars) == 0 {
		return errEmpty
	}
	w.begun = true
	asked, ended := w.asked(), map[int]bool{}
	for k, v := range vars {
		i := asked[k%len(asked)]
		if ended[i] {
			continue
		}
		more, err := w.cell(i, v)
		if err != nil {
			return err
		}
		if !more {
			ended[i] = true
		}
	}
	w.active = slices.DeleteFunc(w.active, func(i int) bool { return ended[i] })
	return nil
}

// cell puts one variable into its row; more is false at the column's end.
func (w *walk) cell(i int, v gosnmp.SnmpPDU) (more bool, err error) {
	col := &w.columns[i]
	index, inside := strings.CutPrefix(v.Name, col.root)
	if !inside || v.Type == gosnmp.EndOfMibView || v.Type == gosnmp.NoSuchObject || v.Type == gosnmp.NoSuchInstance {
		return false, nil
	}
	id, err := numbers(index)
	if err != nil {
		return false, err
	}
	if col.lastID != nil && slices.Compare(id, col.lastID) <= 0 {
		return false, ErrNotIncreasing
	}
	col.lastID, col.next = id, v.Name
	row, known := w.rows[index]
	if !known {
		row = len(w.table.Rows)
		w.rows[index] = row
		w.table.Rows = append(w.table.Rows, derive.Row{Index: index, Values: make([]derive.Value, len(w.columns))})
	}
	w.table.Rows[row].Values[i], w.table.Rows[row].At = valueOf(v), w.at
	return true, nil
}

// numbers reads a dotted index.
func numbers(index string) ([]uint32, error) {
	out := make([]uint32, 0, 4)
	for part := range strings.SplitSeq(index, ".") {
		n, err := strconv.ParseUint(part, 10, 32)
		if err != nil {
			return nil, fmt.Errorf("“%s” is not a row index", index)
		}
		out = append(out, uint32(n))
	}
	return out, nil
}
