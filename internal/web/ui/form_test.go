package ui

import (
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
)

func TestFormReadsWhatIsTaggedAndTellsWhatDoesNotFit(t *testing.T) {
	type typed struct {
		Name   string      `form:"name"`
		Count  int         `form:"count"`
		Chosen []domain.ID `form:"chosen"`
		On     bool        `form:"on"`
		Secret domain.Secret
	}
	for _, c := range []struct {
		body string
		want typed
		errs domain.FieldErrors
	}{
		{
			"name=+Pier+&count=+7&chosen=1&chosen=12&on=true&Secret=x&other=1",
			typed{Name: "Pier", Count: 7, Chosen: []domain.ID{1, 12}, On: true}, domain.FieldErrors{},
		},
		{"", typed{}, domain.FieldErrors{}},
		{"count=90abc&name=kept", typed{Name: "kept"}, domain.FieldErrors{"count": "Must be a whole number."}},
		{"count=", typed{}, domain.FieldErrors{}},
	} {
		r := httptest.NewRequest("POST", "/", strings.NewReader(c.body))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		var got typed
		errs, err := Form(r, &got)
		require.NoError(t, err)
		assert.Equal(t, c.want, got, c.body)
		assert.Equal(t, c.errs, errs, c.body)
	}
}

func TestFormRefusesABrokenBody(t *testing.T) {
	r := httptest.NewRequest("POST", "/", strings.NewReader("name=%zz"))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	var into struct{}
	_, err := Form(r, &into)
	assert.Error(t, err)
}

func TestLinksLeadInsideOnly(t *testing.T) {
	for to, want := range map[string]string{
		"/devices?q=a%20b#top":      "/devices?q=a%20b#top",
		"":                          "/",
		"devices":                   "/",
		"//host.example":            "/",
		"/\\host.example":           "/",
		"/./\\host.example":         "/", // it is cleaned to the one before
		"/\t/host.example":          "/",
		"https://host.example":      "/",
		"/devices\r\nSet-Cookie: x": "/",
	} {
		assert.Equal(t, want, Inside(to, "/"), to)
	}
}
