package derive

// Failure is the kind of what went wrong when a device was asked; empty where
// nothing did.
type Failure string

// The kinds of failure.
const (
	Silent  Failure = "silent"  // nothing came back in time
	Denied  Failure = "denied"  // it denies, or nothing came back while it answers otherwise
	Refused Failure = "refused" // the machine says that nothing listens there
	NoWay   Failure = "no way"  // somebody on the way says that there is none
	Wrong   Failure = "wrong"   // it answers, with an error or with something else
	Nothing Failure = "nothing" // it answers, and has none of what it is asked for
	// Withheld is what was never asked, since its credential must not go there.
	Withheld Failure = "withheld"
	Unable   Failure = "unable" // this machine may not ask so
)

var advice = map[Failure]string{
	Silent: "Nothing comes back: is it powered, and is what it is reached through in order? Where it answers otherwise, its " +
		"credential may be " +
		"refused, of which agents say nothing. Then look at its console.",
	Denied: "The device is up, and does not answer here: it says so, or says nothing, as most agents do where a credential is wrong. " +
		"Compare " +
		"the credential and " +
		"the port with the device's own settings, and see whether it lets this machine ask at all.",
	Refused: "The machine is up, but nothing listens on the port: start what should answer there, or correct the port of its endpoint.",
	NoWay:   "The network does not know a way to it: look at the routes, and at the router or switch next to it.",
	Wrong:   "It answers, but not as expected: compare what it says under “Try it” with what its kit asks for.",
	Nothing: "It answers, but does not have what its kit asks for: take the kit off, or let its agent show these objects.",
	Withheld: "Credentials go only to the addresses that they are bound to. Save the credential again, where it is set or at this " +
		"device, and type its secret: then it is bound to this address, too. Or choose another one.",
	Unable: "This machine is not allowed to ask in this way; nothing is known of the device. What is said tells what to allow.",
}

// Advice says what helps against a kind of failure; empty where that depends.
func (f Failure) Advice() string { return advice[f] }

// Kind is what went wrong with a fetch.
func (f Fetched) Kind() Failure {
	switch {
	case f.Failure != "":
		return f.Failure
	case f.NoAnswer:
		return Silent
	case f.Error != "":
		return Wrong
	}
	return ""
}
