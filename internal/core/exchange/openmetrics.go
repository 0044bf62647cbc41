package exchange

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"
)

// In OpenMetrics every reading is a metric family of type gauge, named after
// kit and reading, and every series a metric with the labels device, part,
// kit, reading and unit. A text is a family of type info whose label text has
// it. Timestamps are seconds with milliseconds.

type metricsWriter struct {
	out    *bufio.Writer
	family string
}

func (w *metricsWriter) Write(r Record) error {
	name := familyName(r.Kit, r.Reading)
	if name != w.family {
		w.family = name
		kind := "gauge"
		if r.Text != nil {
			kind = "info"
		}
		fmt.Fprintf(w.out, "# TYPE %s %s\n# HELP %s %s of the kit %s\n", name, kind, name, escape(r.Reading, false), escape(r.Kit, false))
	}
	suffix, labels, value := "", "", number(r.Value)
	if r.Text != nil {
		suffix, labels, value = "_info", ",text=\""+escape(*r.Text, true)+"\"", "1"
	}
	ms := r.At.UnixMilli()
	_, err := fmt.Fprintf(
		w.out,
		"%s%s{device=\"%s\",part=\"%s\",kit=\"%s\",reading=\"%s\",unit=\"%s\"%s} %s %d.%03d\n",
		name,
		suffix,
		escape(
			r.Device,
			true,
		),
		escape(r.Part, true),
		escape(r.Kit, true),
		escape(r.Reading, true),
		escape(r.Unit, true),
		labels,
		value,
		ms/1000,
		ms%1000,
	)
	return err
}

func (w *metricsWriter) Close() error {
	if _, err := w.out.WriteString("# EOF\n"); err != nil {
		return err
	}
	return w.out.Flush()
}

// familyName keeps to the letters that a name may have.
func familyName(kit, reading string) string {
	return "owl_" + strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '_' {
			return r
		}
		return '_'
	}, kit+"_"+reading)
}

func escape(text string, quoted bool) string {
	text = strings.NewReplacer(`\`, `\\`, "\n", `\n`).Replace(text)
	if quoted {
		text = strings.ReplaceAll(text, `"`, `\"`)
	}
	return text
}

func readMetrics(from io.Reader, do func(Record) error) error {
	ended := false
	err := eachLine(from, func(text string) error {
		switch {
		case text == "# EOF":
			ended = true
			return nil
		case ended:
			return errors.New("there is text behind # EOF")
		case strings.HasPrefix(text, "#"):
			return nil
		}
		r, err := metricOf(text)
		if err != nil {
			return err
		}
		return given(r, do)
	})
	if err == nil && !ended {
		return errors.New("the text does not end with # EOF: it may be cut off")
	}
	return err
}

func metricOf(text string) (r Record, err error) {
	open := strings.IndexByte(text, '{')
	if open <= 0 {
		return r, errors.New("a sample needs a name and the labels device, kit and reading")
	}
	rest := text[open+1:]
	for !strings.HasPrefix(rest, "}") {
		name, value, after, err := label(rest)
		if err != nil {
			return r, err
		}
		switch name {
		case "device":
			r.Device = value
		case "part":
			r.Part = value
		case "kit":
			r.Kit = value
		case "reading":
			r.Reading = value
		case "unit":
			r.Unit = value
		case "text":
			r.Text = &value
		}
		rest = strings.TrimPrefix(after, ",")
	}
	fields := strings.Fields(rest[1:])
	if len(fields) < 2 {
		return r, errors.New("a sample needs a value and a time")
	}
	if r.Value, err = strconv.ParseFloat(fields[0], 64); err != nil {
		return r, fmt.Errorf("%q is not a number", fields[0])
	}
	if r.Text != nil {
		r.Value = 0
	}
	seconds, err := strconv.ParseFloat(fields[1], 64)
	if err != nil || seconds < -1e11 || seconds > 1e11 {
		return r, fmt.Errorf("%q is not a time in seconds", fields[1])
	}
	r.At = time.UnixMilli(int64(seconds*1000 + 0.5)).UTC()
	return r, nil
}

// label reads name="value" and returns what follows.
func label(text string) (name, value, rest string, err error) {
	name, rest, ok := strings.Cut(text, `="`)
	if !ok {
		return "", "", "", errors.New("the labels cannot be read")
	}
	var b strings.Builder
	for i := 0; i < len(rest); i++ {
		switch rest[i] {
		case '"':
			return strings.TrimSpace(name), b.String(), rest[i+1:], nil
		case '\\':
			if i++; i == len(rest) {
				return "", "", "", errors.New("a label does not end")
			}
			if rest[i] == 'n' {
				b.WriteByte('\n')
			} else {
				b.WriteByte(rest[i])
			}
		default:
			b.WriteByte(rest[i])
		}
	}
	return "", "", "", errors.New("a label does not end")
}
