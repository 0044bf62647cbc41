// Package verdict is what the check of a service comes to: a code, which rules judge, with a word for it and a text
// that says why.
package verdict

// Verdict is what a check comes to. The numbers are stored and stand in kit files: they never change.
type Verdict int

// The verdicts. Each but the first is another reason why a service is of no use.
const (
	Passes        Verdict = 0
	NameNotFound  Verdict = 1 // the name of the service stands for no address
	Refused       Verdict = 2 // the machine says that nothing listens there
	NoWay         Verdict = 3 // somebody on the way says that there is none
	TimedOut      Verdict = 4 // nothing came in time
	TLSFailed     Verdict = 5 // no secure connection came about
	SignInFailed  Verdict = 6 // the credential was not taken
	ProtocolError Verdict = 7 // what came is not of the protocol, or an error of it
	Unexpected    Verdict = 8 // it answers, with something else than expected
)

// Column is the column in which ways bring the verdict of a check; the one behind it says why.
const Column = "verdict"

// Words are the words for all verdicts, by their numbers.
var Words = map[int]string{
	0: "passes",
	1: "name not found",
	2: "refused",
	3: "no way",
	4: "timed out",
	5: "TLS failed",
	6: "sign-in failed",
	7: "protocol error",
	8: "unexpected content",
}

// String is the word for it.
func (v Verdict) String() string { return Words[int(v)] }

// Failure is a check that does not pass, with why in words.
type Failure struct {
	Verdict
	Said string
}

// Fail is a failure.
func Fail(v Verdict, said string) error { return &Failure{v, said} }

// Error says why.
func (f *Failure) Error() string { return f.Said }
