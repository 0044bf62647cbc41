package http

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

func statusWords(res *http.Response) string {
	return strings.TrimSpace(fmt.Sprintf("%d %s", res.StatusCode, http.StatusText(res.StatusCode)))
}

// judge tells whether an answer is as it should be.
func (v *visit) judge(res *http.Response, body string) error {
	status := statusWords(res)
	if !expected(v.Ask["status"], res.StatusCode) {
		denied := res.StatusCode == http.StatusUnauthorized || res.StatusCode == http.StatusForbidden
		switch {
		case denied && v.secret():
			return verdict.Fail(verdict.SignInFailed, status+": the credential is not taken")
		case res.StatusCode == http.StatusUnauthorized:
			return verdict.Fail(verdict.SignInFailed, status+": it asks for a credential")
		}
		return verdict.Fail(verdict.Unexpected, fmt.Sprintf("%s, where %s is expected", status, v.Ask["status"]))
	}
	if text := v.Ask["contains"]; text != "" && !strings.Contains(body, text) {
		return missing(body, text)
	}
	if text := v.Ask["lacks"]; text != "" && strings.Contains(body, text) {
		return verdict.Fail(verdict.Unexpected, fmt.Sprintf("“%s” is in the page, and must not be", text))
	}
	if pattern := v.Ask["pattern"]; pattern != "" {
		re, err := regexp.Compile(pattern)
		if err != nil {
			return verdict.Fail(verdict.ProtocolError, "the pattern cannot be read")
		}
		if !re.MatchString(body) {
			return verdict.Fail(verdict.Unexpected, fmt.Sprintf("the pattern %s fits nowhere in the page", pattern))
		}
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
