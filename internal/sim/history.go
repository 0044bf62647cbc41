package sim

import (
	"bufio"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"net/url"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/gosnmp/gosnmp"
)

// HistoryObject describes one column of a history: an object whose value
// changes. Fixed objects carry their value here instead.
type HistoryObject struct {
	OID   string  `json:"oid"`
	Type  string  `json:"type"` // counter32, counter64, gauge, text
	Fixed *string `json:"fixed,omitempty"`
}

// writeHistory writes what a poller would have seen of a device: a line of
// JSON with the objects, then one CSV line a step:
//
//	unix seconds, answers (0 or 1), round trip in µs, uptime, value …
//
// Texts are written as in a query of a URL.
func (d *Device) writeHistory(w io.Writer, from, to time.Time, step time.Duration) error {
	out := bufio.NewWriterSize(w, 1<<16)
	var moving []*object
	var head []HistoryObject
	for i := range d.tree.objects {
		o := &d.tree.objects[i]
		h := HistoryObject{OID: o.name[1:], Type: typeName(o.kind)}
		if o.fixed {
			text := fixedText(o)
			h.Fixed = &text
		} else {
			moving = append(moving, o)
		}
		head = append(head, h)
	}
	line, err := json.Marshal(head)
	if err != nil {
		return err
	}
	fmt.Fprintf(out, "%s\n", line)
	var buf []byte
	for at := from; at.Before(to); at = at.Add(step) {
		buf = strconv.AppendInt(buf[:0], at.Unix(), 10)
		if !d.Answers(at) {
			buf = append(buf, ",0\n"...)
		} else {
			buf = append(buf, ",1,"...)
			buf = strconv.AppendInt(buf, d.RoundTrip(at).Microseconds(), 10)
			buf = append(buf, ',')
			buf = strconv.AppendUint(buf, d.uptime(at).count, 10)
			for _, o := range moving {
				buf = append(buf, ',')
				if v := o.read(at); o.kind == gosnmp.OctetString { // a comma would end the field
					buf = append(buf, url.QueryEscape(v.text)...)
				} else {
					buf = strconv.AppendUint(buf, v.count, 10)
				}
			}
			buf = append(buf, '\n')
		}
		if _, err := out.Write(buf); err != nil {
			return err
		}
	}
	return out.Flush()
}

func fixedText(o *object) string {
	v := o.read(time.Time{})
	switch o.kind {
	case gosnmp.OctetString, gosnmp.ObjectIdentifier, gosnmp.IPAddress:
		if o.kind == gosnmp.ObjectIdentifier {
			return v.text[1:]
		}
		return written(v.text)
	}
	return strconv.FormatUint(v.count, 10)
}

func typeName(kind gosnmp.Asn1BER) string {
	switch kind {
	case gosnmp.Counter32:
		return "counter32"
	case gosnmp.Counter64:
		return "counter64"
	case gosnmp.OctetString, gosnmp.ObjectIdentifier, gosnmp.IPAddress:
		return "text"
	}
	return "gauge"
}

// written writes bytes that are no text as hexadecimal, as a poller shows them.
func written(text string) string {
	if utf8.ValidString(text) && strings.IndexFunc(text, unicode.IsControl) < 0 {
		return text
	}
	return hex.EncodeToString([]byte(text))
}
