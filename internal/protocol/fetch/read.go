package fetch

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"golang.org/x/net/http/httpguts"

	"tirelessowl/internal/core/way"
)

// ReadHeaders reads lines of Name: value.
func ReadHeaders(typed string) (http.Header, error) {
	out := http.Header{}
	for line := range strings.Lines(way.Unescaped(typed)) {
		line = strings.TrimSpace(line)
		if line == "" {
			continue
		}
		name, value, ok := strings.Cut(line, ":")
		name, value = strings.TrimSpace(name), strings.TrimSpace(value)
		if !ok || !httpguts.ValidHeaderFieldName(name) || !httpguts.ValidHeaderFieldValue(value) {
			return nil, fmt.Errorf("“%.60s” is no header such as Accept: text/html", line)
		}
		out.Add(name, value)
	}
	return out, nil
}

// HeadersProblem says what is wrong with lines of headers; empty where nothing is.
func HeadersProblem(value string) string {
	if _, err := ReadHeaders(value); err != nil {
		return err.Error() + "."
	}
	return ""
}

// span is a range of status codes.
type span struct{ from, to int }

// readStatus reads codes and ranges, such as 200-299, 401.
func readStatus(typed string) (out []span, ok bool) {
	for part := range strings.SplitSeq(typed, ",") {
		low, high, is := strings.Cut(strings.TrimSpace(part), "-")
		if !is {
			high = low
		}
		from, err := strconv.Atoi(strings.TrimSpace(low))
		to, wrong := strconv.Atoi(strings.TrimSpace(high))
		if err != nil || wrong != nil || from < 100 || to > 599 || from > to {
			return nil, false
		}
		out = append(out, span{from, to})
	}
	return out, true
}

// StatusProblem says what is wrong with codes; empty where nothing is.
func StatusProblem(value string) string {
	if _, ok := readStatus(value); !ok {
		return "Must be codes from 100 to 599, and ranges of them, such as 200-299, 401."
	}
	return ""
}

// Expected tells whether a status is among those that are expected.
func Expected(typed string, status int) bool {
	spans, _ := readStatus(typed)
	for _, s := range spans {
		if s.from <= status && status <= s.to {
			return true
		}
	}
	return false
}
