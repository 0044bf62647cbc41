package field

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/domain"
)

func TestProblemsOfEachKind(t *testing.T) {
	percent := Field{Kind: Number, Low: 0, High: 100}
	for _, c := range []struct {
		field Field
		value string
		want  string
	}{
		{Field{Required: true}, "", "Must be set."},
		{Field{}, "", ""},
		{Field{Kind: Text}, strings.Repeat("x", MaxText), ""},
		{Field{Kind: Text}, strings.Repeat("x", MaxText+1), "At most 4096 characters."},
		{Field{Kind: Whole}, "-7", ""},
		{Field{Kind: Whole}, "7.5", "Must be a whole number."},
		{Field{Kind: Whole, Low: 1, High: 10}, "0", "Must be a whole number from 1 to 10."},
		{Field{Kind: Whole, Low: 1, High: 10}, "1", ""},
		{Field{Kind: Whole, Low: 1, High: 10}, "10", ""},
		{Field{Kind: Whole, Low: 1, High: 10}, "11", "Must be a whole number from 1 to 10."},
		{Field{Kind: Whole}, "90abc", "Must be a whole number."},
		{percent, "99,5", ""},
		{percent, "100.1", "Must be a number, such as 90 or 0.5 from 0 to 100."},
		{percent, "-1", "Must be a number, such as 90 or 0.5 from 0 to 100."},
		{Field{Kind: Number}, "NaN", "Must be a number, such as 90 or 0.5."},
		{Field{Kind: Number}, "inf", "Must be a number, such as 90 or 0.5."},
		{Field{Kind: Number}, "1e999", "Must be a number, such as 90 or 0.5."},
		{Field{Kind: Duration}, "1500ms", ""},
		{Field{Kind: Duration}, "0s", "Must be a time such as 1500ms, 5s or 10m."},
		{Field{Kind: Duration}, "-1s", "Must be a time such as 1500ms, 5s or 10m."},
		{Field{Kind: Duration}, "5", "Must be a time such as 1500ms, 5s or 10m."},
		{Field{Kind: Duration, Low: 0.1, High: 60}, "100ms", ""},
		{Field{Kind: Duration, Low: 0.1, High: 60}, "61s", "Must be a time such as 1500ms, 5s or 10m from 0.1s to 60s."},
		{Field{Kind: Choice, Choices: []string{"no", "yes"}}, "yes", ""},
		{Field{Kind: Choice, Choices: []string{"no", "yes"}}, "Yes", "Choose one of no, yes."},
		{Field{Kind: Text, Check: func(string) string { return "Never." }}, "x", "Never."},
		{Field{Kind: Text, Check: func(string) string { return "Never." }}, "", ""},
		{Field{Kind: Whole, Check: func(string) string { return "Never." }}, "x", "Must be a whole number."},
	} {
		assert.Equal(t, c.want, c.field.Problem(c.value), "%+v %q", c.field, c.value)
	}
}

func TestCheckCleansAndFillsIn(t *testing.T) {
	fields := []Field{Port("Port", "161"), {Name: "wait", Kind: Duration}, {Name: "community", Kind: Secret, Required: true}}
	clean, errs := Check(fields, map[string]string{"wait": " 5s ", "community": " spaces may be meant "})
	assert.Empty(t, errs)
	assert.Equal(t, map[string]string{"port": "161", "wait": "5s", "community": " spaces may be meant "}, clean)
	clean, errs = Check(fields, map[string]string{"port": "0", "speed": "7"})
	assert.Equal(
		t,
		domain.FieldErrors{
			"port":      "Must be a whole number from 1 to 65535.",
			"speed":     "There is no such setting.",
			"community": "Must be set.",
		},
		errs,
	)
	assert.Empty(t, clean, "what is not set is not there")
}

func TestPortsAreFrom1To65535(t *testing.T) {
	for n, ok := range map[int]bool{-1: false, 0: false, 1: true, 65535: true, 65536: false} {
		assert.Equal(t, ok, PortProblem(n) == "", n)
	}
}

func TestSecretsAndOpen(t *testing.T) {
	fields := []Field{{Name: "a"}, {Name: "b", Kind: Secret}, {Name: "c"}}
	assert.Equal(t, []Field{{Name: "b", Kind: Secret}}, Secrets(fields))
	assert.Equal(t, []Field{{Name: "a"}, {Name: "c"}}, Open(fields))
}
