package ui

import (
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestSorting(t *testing.T) {
	s := Sorting{Path: "/devices", Query: url.Values{"q": {"a&b"}, "page": {"3"}}, Sort: "name"}
	assert.Equal(t, "/devices?q=a%26b&sort=-name", s.SortURL("name"), "turned round, filter kept, first page")
	assert.Equal(t, "/devices?q=a%26b&sort=kind", s.SortURL("kind"))
	assert.Equal(t, "3", s.Query.Get("page"), "the present page is left alone")
	assert.Equal(t, "ascending", s.Sorted("name"))
	assert.Empty(t, s.Sorted("kind"))
	s.Sort = "-name"
	assert.Equal(t, "descending", s.Sorted("name"))
	assert.Equal(t, "/x?sort=a", Sorting{Path: "/x"}.SortURL("a"))
}
