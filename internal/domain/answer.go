package domain

import "time"

// Answer is what was answered to a request that may be sent again.
type Answer struct {
	// Digest tells requests apart that name the same key.
	Digest  []byte
	BegunAt time.Time
	// Status is that of HTTP; zero as long as the request is worked on, or where it is not
	// known how it ended.
	Status  int
	Headers map[string]string
	Body    []byte
	// Cut is true where the body was too long to be kept.
	Cut bool
}
