package ui

import (
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"
)

func numbers(n int) []int {
	out := make([]int, n)
	for i := range out {
		out[i] = i
	}
	return out
}

func TestPageNumber(t *testing.T) {
	for text, want := range map[string]int{"": 0, "0": 0, "3": 3, "-2": 0, "x": 0, "99999999": 1_000_000} {
		assert.Equal(t, want, PageNumber(url.Values{"page": {text}}), text)
	}
}

func TestSlicePage(t *testing.T) {
	q := url.Values{"q": {"a b"}, "page": {"1"}}
	rows, p := SlicePage("/devices", q, 10, numbers(25))
	assert.Equal(t, []int{10, 11, 12, 13, 14, 15, 16, 17, 18, 19}, rows)
	assert.Equal(t, Paging{From: 10, Until: 20, Total: 25, Prev: "/devices?q=a+b", Next: "/devices?page=2&q=a+b"}, p)
	assert.Equal(t, "1", q.Get("page"), "the query is left alone")
	rows, p = SlicePage("/devices", url.Values{"page": {"9"}}, 10, numbers(25))
	assert.Equal(t, []int{20, 21, 22, 23, 24}, rows, "behind the end is the last page")
	assert.Empty(t, p.Next)
	assert.Equal(t, "/devices?page=1", p.Prev)
	rows, p = SlicePage("/devices", nil, 10, numbers(20))
	assert.Len(t, rows, 10)
	assert.Equal(t, "/devices?page=1", p.Next)
	rows, p = SlicePage[int]("/devices", nil, 10, nil)
	assert.Empty(t, rows)
	assert.Equal(t, Paging{}, p)
	rows, _ = SlicePage("/devices", url.Values{"page": {"2"}}, 10, numbers(20))
	assert.Equal(t, 10, rows[0], "a page that just does not exist")
}

func TestCutPage(t *testing.T) {
	rows, p := CutPage("/x", url.Values{"page": {"1"}}, 5, numbers(6))
	assert.Len(t, rows, 5)
	assert.Equal(t, "/x?page=2", p.Next)
	assert.Equal(t, "/x", p.Prev)
	assert.Negative(t, p.Total)
	rows, p = CutPage("/x", nil, 5, numbers(5))
	assert.Len(t, rows, 5)
	assert.Empty(t, p.Next+p.Prev)
}

func TestPagesForgetThePartOfAFragment(t *testing.T) {
	p := NewPaging("/x", url.Values{"part": {"progress"}, "sort": {"-name"}}, 0, 10, 10, 11)
	assert.Equal(t, "/x?page=1&sort=-name", p.Next)
}
