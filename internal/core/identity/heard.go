package identity

// Heard is what an address says when it is asked whether it answers.
type Heard struct {
	// Answers is true for a device that can be asked.
	Answers bool
	// Denied is true for one that answers and does not accept the credential.
	Denied bool
	// Said is, in words, what another answer is; empty for silence.
	Said string
}
