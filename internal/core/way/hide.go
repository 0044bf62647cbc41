package way

import (
	"net/url"
	"strconv"
	"strings"
)

// Hidden stands where a secret was.
const Hidden = "•••"

// escapes are what people write in settings for characters that cannot be typed.
var escapes = strings.NewReplacer(`\r`, "\r", `\n`, "\n", `\t`, "\t", `\\`, `\`)

// Unescaped turns what people write in settings, such as \n, into what is sent.
func Unescaped(text string) string { return escapes.Replace(text) }

// Masked is a text without the secrets of a question, in whatever form they may have been told: as they are, as they are
// sent, quoted, or in an address.
func (q Question) Masked(text string) string { return masker(q.Hide).Replace(text) }

func masker(secrets []string) *strings.Replacer {
	var pairs []string
	for _, s := range secrets {
		for _, form := range []string{s, Unescaped(s)} {
			for _, told := range []string{form, inner(strconv.Quote(form)), url.QueryEscape(form), url.PathEscape(form)} {
				if told != "" {
					pairs = append(pairs, told, Hidden)
				}
			}
		}
	}
	return strings.NewReplacer(pairs...)
}

func inner(quoted string) string { return quoted[1 : len(quoted)-1] }

// Hide lets a record be without secrets.
func (e *Exchange) Hide(secrets []string) {
	if e != nil && len(secrets) > 0 {
		e.mask = masker(secrets)
	}
}
