package http

import (
	"fmt"
	"net/http"

	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/protocol/fetch"
)

// judge tells whether an answer is as it should be.
func (v *visit) judge(res *http.Response, body string) error {
	status := fetch.StatusWords(res)
	if !fetch.Expected(v.Ask["status"], res.StatusCode) {
		denied := res.StatusCode == http.StatusUnauthorized || res.StatusCode == http.StatusForbidden
		switch {
		case denied && v.secret():
			return verdict.Fail(verdict.SignInFailed, status+": the credential is not taken")
		case res.StatusCode == http.StatusUnauthorized:
			return verdict.Fail(verdict.SignInFailed, status+": it asks for a credential")
		}
		return verdict.Fail(verdict.Unexpected, fmt.Sprintf("%s, where %s is expected", status, v.Ask["status"]))
	}
	return fetch.Texts{Contains: v.Ask["contains"], Lacks: v.Ask["lacks"], Pattern: v.Ask["pattern"]}.Judge(body)
}
