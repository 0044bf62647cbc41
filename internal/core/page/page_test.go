package page

import (
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestATextThatIsBrokenUpIsFound(t *testing.T) {
	for name, c := range map[string]struct{ raw, text string }{
		"by a line end":          {"<p>Welcome\n   aboard</p>", "Welcome aboard"},
		"by markup":              {"<p>Wel<b>come</b> aboard</p>", "Welcome aboard"},
		"by both, between words": {"Welcome</b>\r\n<i class=\"x\">aboard, Ines", "Welcome aboard, Ines"},
		"by markup after space":  {"Signed in as <strong>ines</strong>", "Signed in as ines"},
		"with odd characters":    {"Price: 3.50\n$ (net)", "Price: 3.50 $ (net)"},
		"beside a lone bracket":  {"1 < 2, said\nthe owl", "said the owl"},
	} {
		pattern, ok := Broken(c.raw, c.text)
		require.True(t, ok, name)
		assert.Regexp(t, regexp.MustCompile(pattern), c.raw, name)
		assert.NotRegexp(t, regexp.MustCompile(pattern), "something else", name)
	}
	for name, c := range map[string]struct{ raw, text string }{
		"as it is":         {"Welcome aboard", "Welcome aboard"},
		"not there":        {"<p>Welcome ashore</p>", "Welcome aboard"},
		"in an attribute":  {"<p title=\"Welcome\naboard\">x</p>", "Welcome aboard"},
		"nothing expected": {"anything", "  "},
	} {
		_, ok := Broken(c.raw, c.text)
		assert.False(t, ok, name)
	}
}

// What is offered is a pattern that fits the very page it was made of.
func FuzzBroken(f *testing.F) {
	f.Add("<p>Wel<b>come</b>\naboard</p>", "Welcome aboard")
	f.Add("a<<>b", "a<b")
	f.Add("\xff< >x y", "x y")
	f.Fuzz(func(t *testing.T, raw, text string) {
		pattern, ok := Broken(raw, text)
		if !ok || !strings.Contains(raw, "<") && len(pattern) > 10_000 {
			return
		}
		re, err := regexp.Compile(pattern)
		if err != nil {
			return // longer than patterns may be
		}
		assert.True(t, re.MatchString(raw), "%q in %q", text, raw)
	})
}
