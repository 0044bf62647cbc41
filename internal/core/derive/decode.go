package derive

import (
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"math"
	"net"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// decodes are the forms in which a value may have been told.
var decodes = map[string]func(v Value, at time.Time) (Value, error){
	"number": func(v Value, _ time.Time) (Value, error) { return firstNumber(v) },
	"ticks":  func(v Value, _ time.Time) (Value, error) { return scale(0.01).apply(v, nil, nil) },
	"date": func(v Value, _ time.Time) (Value, error) {
		t, err := dateAndTime(v)
		return Value{Kind: Text, Text: t.UTC().Format(time.RFC3339)}, err
	},
	"age": func(v Value, at time.Time) (Value, error) {
		t, err := dateAndTime(v)
		return gauge(math.Round(at.Sub(t).Seconds())), err
	},
	"mac": func(v Value, _ time.Time) (Value, error) {
		b, err := octets(v, 6)
		return Value{Kind: Text, Text: net.HardwareAddr(b).String()}, err
	},
	"hex": func(v Value, _ time.Time) (Value, error) {
		n, err := strconv.ParseInt(strings.TrimPrefix(strings.ToLower(strings.TrimSpace(v.String())), "0x"), 16, 64)
		if err != nil {
			return v, fmt.Errorf("“%.40s” is no hexadecimal number", v)
		}
		return gauge(float64(n)), nil
	},
}

// decodings are their names: a number in a text, hundredths of a second as seconds, a date (RFC
// 2579) in UTC, the seconds since a date, a hardware address, a number in hexadecimal.
func decodings() []string { return []string{"number", "ticks", "date", "age", "mac", "hex"} }

// decoding reads a value in another form.
type decoding func(v Value, at time.Time) (Value, error)

func (d decoding) apply(v Value, _ *Formula, x *Look) (Value, error) { return d(v, x.Got.When(x.Row)) }

func decoded(s *Steps, with string, _ Places) error {
	d, ok := decodes[with]
	if !ok {
		return fmt.Errorf("one of %s", strings.Join(decodings(), ", "))
	}
	s.add(decoding(d))
	return nil
}

var aNumber = regexp.MustCompile(`[-+]?[0-9]*\.?[0-9]+(?:[eE][-+]?[0-9]{1,2})?`)

func firstNumber(v Value) (Value, error) {
	if n, ok := v.Number(); ok {
		return gauge(n), nil
	}
	n, err := strconv.ParseFloat(aNumber.FindString(v.Text), 64)
	if err != nil {
		return v, fmt.Errorf("there is no number in “%.40s”", CleanText(v.Text))
	}
	return gauge(n), nil
}

// octets are the bytes behind a value that came as a text: bytes that happen to be letters came as
// such, all others in hexadecimal; zeros at the end of letters were taken away.
func octets(v Value, size int) ([]byte, error) {
	if len(v.Text) == 2*size {
		if b, err := hex.DecodeString(v.Text); err == nil {
			return b, nil
		}
	}
	if v.Kind != Text || len(v.Text) > size || v.Text == "" {
		return nil, fmt.Errorf("it has not %d bytes: “%.40s”", size, CleanText(v.String()))
	}
	return append([]byte(v.Text), make([]byte, size-len(v.Text))...), nil
}

// dateAndTime reads a DateAndTime (RFC 2579): year, month, day, hour, minute, second, tenth, and
// the way of UTC with hours and minutes, which older agents leave out.
func dateAndTime(v Value) (time.Time, error) {
	size := 8
	if len(v.Text) == 22 || len(v.Text) == 11 {
		size = 11
	}
	b, err := octets(v, size)
	if err != nil {
		return time.Time{}, err
	}
	if b[2] < 1 || b[2] > 12 || b[3] < 1 || b[3] > 31 || b[4] > 23 || b[5] > 59 || b[6] > 60 || b[7] > 9 {
		return time.Time{}, errors.New("it is no date")
	}
	zone := time.UTC
	if size == 11 {
		seconds := int(b[9])*3600 + int(b[10])*60
		if b[8] == '-' {
			seconds = -seconds
		}
		zone = time.FixedZone("", seconds)
	}
	year, tenths := int(binary.BigEndian.Uint16(b)), int(b[7])
	return time.Date(year, time.Month(b[2]), int(b[3]), int(b[4]), int(b[5]), int(b[6]), tenths*1e8, zone), nil
}
