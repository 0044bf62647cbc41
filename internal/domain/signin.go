package domain

import "time"

// SignIn is a person signed in at a browser, until it ends.
type SignIn struct {
	ID     ID     `json:"id"`
	UserID ID     `json:"user_id"`
	Agent  string `json:"agent"`  // what the browser says that it is
	Origin string `json:"origin"` // the address that it came from
	// BrowserID is the trusted browser that it is in; zero where the browser is not
	// trusted, so that it may only look.
	BrowserID ID        `json:"browser_id"`
	Since     time.Time `json:"since"`
	UsedAt    time.Time `json:"used_at"`
	EndsAt    time.Time `json:"ends_at"`
}

// Browser is one that a person trusts: there the person may do what his teams may.
type Browser struct {
	ID     ID        `json:"id"`
	UserID ID        `json:"user_id"`
	Agent  string    `json:"agent"`
	Since  time.Time `json:"since"`
	UsedAt time.Time `json:"used_at"`
	EndsAt time.Time `json:"ends_at"`
}

// A sign-in lasts SignInTime without use, and never longer than SignInMost. A browser
// is trusted for TrustTime after the last sign-in there.
const (
	SignInTime = 12 * time.Hour
	SignInMost = 7 * 24 * time.Hour
	TrustTime  = 90 * 24 * time.Hour
)

// Passkey is a key of a person on a device of theirs (WebAuthn).
type Passkey struct {
	ID     ID        `json:"id"`
	UserID ID        `json:"user_id"`
	Name   string    `json:"name"`
	Since  time.Time `json:"since"`
	UsedAt time.Time `json:"used_at,omitzero"`
	// KeyID is how the device calls it, Credential what is known of it, as the library
	// that checks it reads it.
	KeyID      []byte `json:"-"`
	Credential []byte `json:"-"`
}

// CodeFactor is a program of a person that shows codes of the time (RFC 6238).
type CodeFactor struct {
	UserID ID
	// Secret is shared with the program, in base 32.
	Secret Secret
	// Since is when the person has shown that it works; zero before.
	Since time.Time
	// Step is that of the last code that was used: none is used twice.
	Step int64
}
