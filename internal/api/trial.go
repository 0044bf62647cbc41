package api

import (
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/service/browse"
)

// KitTrial is what a kit would collect from a device, as seen just now.
type KitTrial struct {
	Kit     string           `json:"kit" example:"quays"`
	Device  string           `json:"device" example:"np-ups-1"`
	Sources []KitTrialSource `json:"sources" nullable:"false"`
	Cost    KitCost          `json:"cost"`
	Before  KitCost          `json:"before"` // of the one that is in force
	Judged  []KitTrialRule   `json:"judged" nullable:"false" doc:"What its rules would say of the values, were they to last"`
}

// KitTrialRule is what a rule would say of the values that came.
type KitTrialRule struct {
	Key   string    `json:"key" example:"load"`
	Name  string    `json:"name" example:"Power supply is overloaded"`
	Level string    `json:"level" enum:"fine,notice,warning,critical"`
	Bad   int       `json:"bad" doc:"How many of the values are bad"`
	Why   why.Trace `json:"why"`
}

// KitTrialSource is one fetch, with what came back.
type KitTrialSource struct {
	Key      string            `json:"key" example:"whole"`
	Way      string            `json:"way" example:"snmp"`
	Took     int               `json:"took_ms" example:"14"`
	Problem  string            `json:"problem" doc:"What kept it from being asked, in the words of the protocol"`
	Rows     int               `json:"rows" example:"24"`
	Parts    []KitTrialParts   `json:"parts" nullable:"false"`
	Readings []KitTrialReading `json:"readings" nullable:"false"`
}

// KitTrialParts is a row discovery with what it makes of the rows.
type KitTrialParts struct {
	Kind string        `json:"kind" example:"interface"`
	Kept int           `json:"kept"`
	Left int           `json:"left_out"`
	Rows []KitTrialRow `json:"rows" nullable:"false" doc:"The first 100, those that are left out first"`
}

// KitTrialRow is a row with whether it becomes a part, and why.
type KitTrialRow struct {
	Name  string `json:"name" example:"port1"`
	Keeps bool   `json:"keeps"`
	Why   string `json:"why"`
}

// KitTrialReading is a reading with what would be stored of it.
type KitTrialReading struct {
	Key     string         `json:"key" example:"voltage"`
	Name    string         `json:"name" example:"Battery voltage"`
	Value   string         `json:"value" example:"55.2 V" doc:"As it would be stored, or why there is none"`
	Row     string         `json:"row" doc:"The row that it is of; empty for the device itself"`
	Raw     string         `json:"raw" example:"552"`
	Steps   []KitTrialStep `json:"steps" nullable:"false"`
	Stored  int            `json:"stored" doc:"Of how many rows there would be a value"`
	Failed  int            `json:"failed" doc:"Of how many there would not"`
	Caution string         `json:"caution" doc:"What does not fit the values that came; empty for nothing"`
}

// KitTrialStep is what a step made of a value, or why it made nothing.
type KitTrialStep struct {
	Value   string `json:"value"`
	Problem string `json:"problem"`
}

func kitTrialOf(t browse.TriedOn) KitTrial {
	return KitTrial{t.Kit, t.Device, every(t.Sources, kitTrialSourceOf), KitCost(t.Cost), KitCost(t.Before),
		every(t.Judged, func(r browse.TriedRule) KitTrialRule {
			return KitTrialRule{r.Key, r.Name, r.Level.String(), r.Bad, r.Why}
		})}
}

func kitTrialSourceOf(s browse.TriedSource) KitTrialSource {
	row := func(r browse.TriedRow) KitTrialRow { return KitTrialRow(r) }
	parts := func(p browse.TriedParts) KitTrialParts {
		return KitTrialParts{p.Kind, p.Kept, p.Left, every(p.Rows, row)}
	}
	step := func(s browse.StepSeen) KitTrialStep { return KitTrialStep(s) }
	reading := func(r browse.TriedReading) KitTrialReading {
		return KitTrialReading{r.Key, r.Name, r.Value, r.Row, r.Raw, every(r.Steps, step), r.Stored, r.Failed, r.Caution}
	}
	return KitTrialSource{s.Key, s.Way, int(s.Took.Milliseconds()), s.Problem, s.Rows, every(s.Parts, parts), every(s.Readings, reading)}
}
