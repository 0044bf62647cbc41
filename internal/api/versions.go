package api

import (
	"strings"
)

// Tagged is an answer with the version of what it shows (RFC 9110, section 8.8.3).
type Tagged[T any] struct {
	ETag string `header:"ETag" doc:"The version of it, for If-Match"`
	Body T
}

// Made is the answer about something that was made.
type Made[T any] struct {
	Location string `header:"Location" doc:"Where it is from now on"`
	ETag     string `header:"ETag" doc:"The version of it, for If-Match"`
	Body     T
}

func quoted(mark string) string { return `"` + mark + `"` }

// IfMatch names the version that is to be changed (RFC 9110, section 13.1.1).
type IfMatch struct {
	Match string `header:"If-Match" doc:"The ETag of what is changed: where somebody else was faster, nothing is done (412)"`
}

// mark is the mark that it names; empty where any will do.
func (m IfMatch) mark() string {
	text := strings.TrimSpace(m.Match)
	mark, ok := strings.CutPrefix(text, `"`)
	switch {
	case text == "" || text == "*":
		return ""
	case !ok:
		return "none of ours"
	}
	return strings.TrimSuffix(mark, `"`)
}
