package domain

import "log/slog"

// Secret is text that must not leak: it hides itself in logs, JSON and
// formatted output. Reveal gives the text itself.
type Secret string

const hidden = "[secret]"

// Reveal returns the text, for the protocol that needs it.
func (s Secret) Reveal() string { return string(s) }

// String hides the text from fmt.
func (s Secret) String() string { return hidden }

// GoString hides the text from %#v.
func (s Secret) GoString() string { return hidden }

// LogValue hides the text from slog.
func (s Secret) LogValue() slog.Value { return slog.StringValue(hidden) }

// MarshalText hides the text from JSON and friends.
func (s Secret) MarshalText() ([]byte, error) { return []byte(hidden), nil }

// Secrets are secrets by the names of their fields.
type Secrets = map[string]Secret
