package retention

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
)

// Rehearsal is what keeping samples for other times would do.
type Rehearsal struct {
	Next   []Kept `json:"next"     nullable:"false"`
	Losses []Loss `json:"losses"   nullable:"false"`
	// Lost is what goes in all, in bytes.
	Lost float64 `json:"lost"`
	// Full and FullNow are what the reading takes, in bytes, once all forms are
	// as old as they may become: with the choice, and as it is now.
	Full    float64   `json:"full"`
	FullNow float64   `json:"full_now"`
	Why     why.Trace `json:"why"`
}

// Rehearse compares how the samples of a reading are kept now with how they
// would be. today counts days from 1970; now, next and held are of all series
// of the reading together.
func Rehearse(today int, now, next []Kept, held []Held) Rehearsal {
	r := Rehearsal{Next: measured(today, next, held)}
	r.Losses = losses(today, r.Next, held)
	for _, l := range r.Losses {
		r.Lost += l.Bytes
	}
	for _, k := range r.Next {
		r.Full += k.full()
	}
	for _, k := range measured(today, now, held) {
		r.FullNow += k.full()
	}
	r.explain(now)
	return r
}

// explain puts the rehearsal into words.
func (r *Rehearsal) explain(now []Kept) {
	r.Why = why.Trace{Question: "What would that do?", Answer: r.answer(slices.Equal(ends(now), ends(r.Next)))}
	for _, l := range r.Losses {
		detail := "nothing tells of that time afterwards"
		if l.Left != "" {
			detail = fmt.Sprintf("%s tell of that time afterwards", l.Left.Title())
			if l.Left == Runs {
				detail = "which value stood when is known afterwards"
			}
		}
		r.Why.Because(
			fmt.Sprintf("%s of %s go, %s", upper(l.Form.Title()), between(l.First, l.Last), units.Format(l.Bytes, "B")),
			detail,
			nil,
		)
	}
	for _, form := range Forms {
		text, detail := r.kept(form)
		if text != "" {
			r.Why.Because(text, detail, nil)
		}
	}
}

// ends is what of several forms decides about what is kept.
func ends(kept []Kept) (out []Kept) {
	for _, k := range kept {
		out = append(out, Kept{Form: k.Form, Days: k.Days, InFor: k.InFor})
	}
	return out
}

func (r *Rehearsal) answer(same bool) string {
	var said []string
	switch {
	case r.Lost > 0:
		said = append(said, units.Format(r.Lost, "B")+" goes for good")
	case same:
		said = append(said, "Nothing changes")
	default:
		said = append(said, "Nothing goes")
	}
	switch {
	case r.Full == 0:
		said = append(said, "what it takes in the end is known when a day is over")
	case units.Format(r.Full, "B") == units.Format(r.FullNow, "B"):
		said = append(said, fmt.Sprintf("in the end it takes %s", units.Format(r.Full, "B")))
	default:
		said = append(said, fmt.Sprintf("in the end it takes %s instead of %s", units.Format(r.Full, "B"), units.Format(r.FullNow, "B")))
	}
	return strings.Join(said, "; ") + "."
}

// kept says for how long a form is kept and why, or why it is not made.
func (r *Rehearsal) kept(form Form) (text, detail string) {
	for _, k := range r.Next {
		if k.standsFor(form) {
			return fmt.Sprintf("No %s are made", form.Title()), fmt.Sprintf("%s stand for them", k.Form.Title())
		}
		if k.Form != form {
			continue
		}
		text = fmt.Sprintf("%s: %s", upper(form.Title()), days(k.Days))
		if k.PerDay > 0 {
			text += ", in the end " + units.Format(k.full(), "B")
		}
		return text, k.reason()
	}
	return "", ""
}

// reason is where the number of days comes from.
func (k Kept) reason() string {
	from := "the setting for all readings"
	if k.Own {
		from = "set for this reading"
	}
	switch {
	case k.InFor != "":
		return fmt.Sprintf(
			"they stand for %s, which would say less and hardly be smaller, and stay for as long as those would: %s",
			k.InFor.Title(),
			from,
		)
	case k.Form == Runs:
		return "as long as rollups of 1 h: " + from
	}
	return from
}

func days(n int) string {
	if n == 1 {
		return "1 day"
	}
	return fmt.Sprintf("%d days", n)
}

// between writes two days, in UTC as samples are stored.
func between(first, last int) string {
	const layout = "2 Jan 2006"
	a, b := date(first), date(last)
	if first == last {
		return a.Format(layout)
	}
	if a.Year() == b.Year() {
		return a.Format("2 Jan") + " to " + b.Format(layout)
	}
	return a.Format(layout) + " to " + b.Format(layout)
}

func date(day int) time.Time { return time.Unix(int64(day)*86_400, 0).UTC() }

func upper(text string) string { return strings.ToUpper(text[:1]) + text[1:] }
