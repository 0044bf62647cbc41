package fetch

import (
	"fmt"
	"net/http"
	"regexp"
	"strings"

	"tirelessowl/internal/core/page"
	"tirelessowl/internal/core/verdict"
)

// mostSearched bounds where a text that is broken up is looked for, in bytes.
const mostSearched = 256 << 10

// StatusWords is the status of an answer for people, such as 404 Not Found.
func StatusWords(res *http.Response) string {
	return strings.TrimSpace(fmt.Sprintf("%d %s", res.StatusCode, http.StatusText(res.StatusCode)))
}

// Texts is what a page must hold and must not hold; what is empty is not asked for.
type Texts struct{ Contains, Lacks, Pattern string }

// Judge tells what is wrong with a page.
func (t Texts) Judge(body string) error {
	if t.Contains != "" && !strings.Contains(body, t.Contains) {
		return missing(body, t.Contains)
	}
	if t.Lacks != "" && strings.Contains(body, t.Lacks) {
		return verdict.Fail(verdict.Unexpected, fmt.Sprintf("“%s” is in the page, and must not be", t.Lacks))
	}
	if t.Pattern == "" {
		return nil
	}
	re, err := regexp.Compile(t.Pattern)
	if err != nil {
		return verdict.Fail(verdict.ProtocolError, "the pattern cannot be read")
	}
	if !re.MatchString(body) {
		return verdict.Fail(verdict.Unexpected, fmt.Sprintf("the pattern %s fits nowhere in the page", t.Pattern))
	}
	return nil
}

// missing says that a text is not there; where people read it all the same, what fits instead.
func missing(body, text string) error {
	pattern, ok := page.Broken(body[:min(len(body), mostSearched)], text)
	if !ok {
		return verdict.Fail(verdict.Unexpected, fmt.Sprintf("“%s” is not in the page", text))
	}
	return verdict.Fail(verdict.Unexpected,
		fmt.Sprintf("“%s” is in the page, but broken up by markup or a line end; this pattern fits: %s", text, pattern))
}
