package limit

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"strconv"
	"strings"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
)

const name = "limit"

// Kind describes this kind of rule.
var Kind = rule.Kind{
	Name:   name,
	Title:  "Limits",
	About:  "Trouble when numbers are beyond a limit for long enough; each level has its own limit, and one to recover.",
	Fits:   func(s rule.Subject) bool { return s.Kind == domain.KindNumber },
	Decode: decode,
	Fields: fields,
	Values: values,
	Read:   read,
}

// document is the condition as it is stored and exchanged.
type document struct {
	Side    Side                     `json:"side"`
	Levels  map[string]documentLimit `json:"levels"`
	For     rule.Hold                `json:"for"`
	Recover rule.Hold                `json:"recover_for"`
}

type documentLimit struct {
	At      float64  `json:"at"`
	Recover *float64 `json:"recover,omitempty"`
}

// MarshalJSON implements json.Marshaler.
func (c *Condition) MarshalJSON() ([]byte, error) {
	d := document{Side: c.Side, Levels: map[string]documentLimit{}, For: c.For, Recover: c.Recover}
	for l, limit := range c.Limits {
		d.Levels[l.String()] = documentLimit{At: limit.Raise, Recover: &limit.Recover}
	}
	return json.Marshal(d)
}

func decode(data []byte) (rule.Condition, error) {
	once := rule.Hold{Values: 1}
	d := document{Side: Above, For: once, Recover: once}
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&d); err != nil {
		return nil, err
	}
	c := &Condition{Side: d.Side, For: d.For, Recover: d.Recover, Limits: map[domain.Level]Limit{}}
	for word, limit := range d.Levels {
		level, err := domain.ParseLevel(word)
		if err != nil || level == domain.LevelNone {
			return nil, fmt.Errorf("%q is not a level: use notice, warning or critical", word)
		}
		c.Limits[level] = Limit{Raise: limit.At, Recover: limit.At}
		if limit.Recover != nil {
			c.Limits[level] = Limit{Raise: limit.At, Recover: *limit.Recover}
		}
	}
	return c, nil
}

func fields(s rule.Subject) []field.Field {
	out := []field.Field{
		{Name: "side", Label: "Trouble is", Kind: field.Choice, Choices: []string{string(Above), string(Below)}, Default: string(Above)},
		{Name: "for", Label: "Beyond the limit for", Kind: field.Text, Default: "1 value", Help: "such as 3 values or 10 min"},
		{Name: "recover_for", Label: "Fine again after", Kind: field.Text, Default: "1 value", Help: "such as 3 values or 10 min"},
	}
	unit := ""
	if s.Unit != "" {
		unit = " (" + s.Unit + ")"
	}
	for l := domain.LevelCritical; l > domain.LevelNone; l-- {
		out = append(out,
			field.Field{Name: "raise_" + l.String(), Label: "Begins beyond" + unit, Kind: field.Number, Group: l.String()},
			field.Field{Name: "recover_" + l.String(), Label: "Ends at" + unit, Kind: field.Number, Group: l.String()})
	}
	return out
}

func values(condition rule.Condition) map[string]string {
	c, ok := condition.(*Condition)
	if !ok {
		return map[string]string{}
	}
	out := map[string]string{"side": string(c.Side), "for": c.For.String(), "recover_for": c.Recover.String()}
	for l, limit := range c.Limits {
		out["raise_"+l.String()] = strconv.FormatFloat(limit.Raise, 'g', -1, 64)
		out["recover_"+l.String()] = strconv.FormatFloat(limit.Recover, 'g', -1, 64)
	}
	return out
}

func read(_ rule.Subject, values map[string]string) (rule.Condition, domain.FieldErrors) {
	errs := domain.FieldErrors{}
	c := &Condition{Side: Side(values["side"]), Limits: map[domain.Level]Limit{}}
	c.For, c.Recover = rule.ReadHold(errs, "for", values["for"]), rule.ReadHold(errs, "recover_for", values["recover_for"])
	for l := domain.LevelCritical; l > domain.LevelNone; l-- {
		raise, recover := "raise_"+l.String(), "recover_"+l.String()
		if strings.TrimSpace(values[raise]) == "" && strings.TrimSpace(values[recover]) == "" {
			continue
		}
		limit := Limit{Raise: number(errs, raise, values[raise])}
		limit.Recover = limit.Raise
		if strings.TrimSpace(values[recover]) != "" {
			limit.Recover = number(errs, recover, values[recover])
		}
		c.Limits[l] = limit
	}
	for name, problem := range c.Validate() {
		if errs[name] == "" {
			errs[name] = problem
		}
	}
	return c, errs
}

func number(errs domain.FieldErrors, name, text string) float64 {
	v, err := field.ParseNumber(text)
	if err != nil {
		errs[name] = "Must be a number, such as 90 or 0.5."
	}
	return v
}

// Validate implements rule.Condition. The errors are by field: side, for,
// recover_for, limits, and raise_LEVEL or recover_LEVEL.
func (c *Condition) Validate() domain.FieldErrors {
	errs := domain.FieldErrors{}
	if c.Side != Above && c.Side != Below {
		errs["side"] = "Choose above or below."
	}
	c.For.Validate(errs, "for")
	c.Recover.Validate(errs, "recover_for")
	if len(c.Limits) == 0 {
		errs["limits"] = "Set a limit for at least one level."
	}
	var previous *Limit
	for l := domain.LevelNotice; l <= domain.LevelCritical; l++ {
		limit, ok := c.Limits[l]
		if !ok {
			continue
		}
		switch {
		case math.IsNaN(limit.Raise) || math.IsInf(limit.Raise, 0):
			errs["raise_"+l.String()] = "Must be a number."
		case previous != nil && c.beyond(previous.Raise, limit.Raise):
			errs["raise_"+l.String()] = fmt.Sprintf("Must be at least as far %s as the level before it.", c.Side)
		}
		if math.IsNaN(limit.Recover) || math.IsInf(limit.Recover, 0) || c.beyond(limit.Recover, limit.Raise) {
			errs["recover_"+l.String()] = "Must be on the good side of the limit, or equal to it."
		}
		previous = &limit
	}
	return errs
}
