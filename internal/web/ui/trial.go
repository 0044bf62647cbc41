package ui

import (
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/way"
)

// Trial is what came of asking once before anything is saved; the "trial" template shows it.
type Trial struct {
	Kit, Source string
	// Problem is why nothing was asked.
	Problem string
	Error   string
	Rows    int
	Took    time.Duration
	// Verdict and Says are what the check of a service came to, in words; empty where it was none.
	Verdict, Says string
	Passes        bool
	Lines         []way.Line
}

// Copied is a text that is ready to be copied; the "copied" template shows it.
type Copied struct{ ID, Title, Text string }

// Tried is what came of asking.
func Tried(kit, source string, got derive.Fetched, lines []way.Line) Trial {
	return Trial{Kit: kit, Source: source, Error: got.Error, Rows: len(got.Rows), Took: got.Took, Lines: lines}
}

// Judged is a trial of a check.
func (t Trial) Judged(verdict, says string, passes bool) Trial {
	t.Verdict, t.Says, t.Passes = verdict, says, passes
	return t
}

// Good tells whether it works.
func (t Trial) Good() bool { return t.Problem == "" && t.Error == "" && (t.Verdict == "" || t.Passes) }
