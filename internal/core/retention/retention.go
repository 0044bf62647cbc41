// Package retention works out for how long the samples of a reading are kept,
// in which forms, and what another choice would remove and take.
package retention

import (
	"cmp"
	"slices"
)

// Form is one of the forms in which samples lie at rest.
type Form string

// The forms, the finest first. Runs tell which value of a state or text stood when.
const (
	Points      Form = "points"
	FiveMinutes Form = "five_minutes"
	Hours       Form = "hours"
	Days        Form = "days"
	Runs        Form = "runs"
)

// Forms are all forms, the finest first.
var Forms = []Form{Points, FiveMinutes, Hours, Days, Runs}

// Title names the form as people do.
func (f Form) Title() string {
	switch f {
	case Points:
		return "single samples"
	case FiveMinutes:
		return "rollups of 5 min"
	case Hours:
		return "rollups of 1 h"
	case Days:
		return "rollups of 1 day"
	}
	return "which value stood when"
}

// Kept is for how long one form of a reading is kept.
type Kept struct {
	Form   Form    `json:"form"`
	Days   int     `json:"days"             doc:"Kept for so many days"`
	Own    bool    `json:"own"              doc:"The number of days was set for this reading"`
	InFor  Form    `json:"in_for,omitempty" doc:"It stands for the forms up to this one, which are not made"`
	PerDay float64 `json:"per_day"          doc:"Bytes that a day brings; 0 when that is not known yet"`
}

// full is what the form takes, in bytes, once it is as old as it may become.
func (k Kept) full() float64 { return k.PerDay * float64(k.Days) }

func (k Kept) standsFor(f Form) bool {
	return k.InFor != "" && rank(f) > rank(k.Form) && rank(f) <= rank(k.InFor)
}

// Held is what lies at rest of one form. Days count from 1970.
type Held struct {
	Form        Form
	First, Last int     // the days that it tells of
	Until       int     // it lies in a table with all days before this one, and goes with that
	Bytes       float64 // with what its rows and indexes take
}

// Goes tells whether it is too old today to be kept for a number of days. A
// table goes as a whole, when all of its days are.
func (h Held) Goes(today, days int) bool { return h.Until <= today-days }

// Loss is what a choice removes of a form.
type Loss struct {
	Form  Form    `json:"form"`
	First int     `json:"first"          doc:"First day, counted from 1970"`
	Last  int     `json:"last"           doc:"Last day, counted from 1970"`
	Bytes float64 `json:"bytes"`
	// Left is the finest form that tells of the first of these days afterwards;
	// empty when nothing does.
	Left Form `json:"left,omitempty"`
}

// losses finds what is held longer than next keeps it.
func losses(today int, next []Kept, held []Held) (out []Loss) {
	for _, k := range next {
		loss := Loss{Form: k.Form}
		for _, h := range held {
			if h.Form != k.Form || !h.Goes(today, k.Days) {
				continue
			}
			if loss.Bytes == 0 {
				loss.First, loss.Last = h.First, h.Last
			}
			loss.First, loss.Last, loss.Bytes = min(loss.First, h.First), max(loss.Last, h.Last), loss.Bytes+h.Bytes
		}
		if loss.Bytes > 0 {
			loss.Left = left(today, k.Form, loss.First, next)
			out = append(out, loss)
		}
	}
	return out
}

// left is the finest form below another that is kept for as long as since a day.
func left(today int, below Form, day int, next []Kept) Form {
	for _, k := range next {
		if rank(k.Form) > rank(below) && day >= today-k.Days {
			return k.Form
		}
	}
	return ""
}

func rank(f Form) int { return slices.Index(Forms, f) }

// measured fills in, from what is held, how much a day brings of the forms of
// which that is not known.
func measured(today int, kept []Kept, held []Held) []Kept {
	kept = slices.Clone(kept)
	slices.SortStableFunc(kept, func(a, b Kept) int { return cmp.Compare(rank(a.Form), rank(b.Form)) })
	for i, k := range kept {
		bytes, days := 0.0, 0
		for _, h := range held {
			if h.Form == k.Form && h.First <= today {
				bytes, days = bytes+h.Bytes, days+min(h.Last, today)-h.First+1
			}
		}
		if k.PerDay == 0 && days > 0 {
			kept[i].PerDay = bytes / float64(days)
		}
	}
	return kept
}
