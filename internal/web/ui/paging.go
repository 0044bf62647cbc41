package ui

import (
	"maps"
	"net/url"
	"strconv"
)

// Paging is where in a long list a page stands; a view that embeds it can
// show the "pager" template.
type Paging struct {
	From, Until int    // rows shown, from 0, Until excluded
	Total       int64  // rows in all; negative when not counted
	More        bool   // there are more than that
	Prev, Next  string // addresses of the pages beside this one; empty at the ends
}

// PageNumber reads which page a query asks for, the first being 0.
func PageNumber(q url.Values) int {
	n, _ := strconv.Atoi(q.Get("page"))
	return max(0, min(n, 1_000_000))
}

// NewPaging describes page number page of rows; filters of the query are kept.
func NewPaging(path string, q url.Values, page, size, rows int, total int64) Paging {
	p := Paging{From: page * size, Until: page*size + rows, Total: total}
	if page > 0 {
		p.Prev = pageURL(path, q, page-1)
	}
	if int64(p.Until) < total {
		p.Next = pageURL(path, q, page+1)
	}
	return p
}

// CutPage takes one page out of rows that were read one more than fit, for
// lists that are not worth counting.
func CutPage[T any](path string, q url.Values, size int, rows []T) ([]T, Paging) {
	page, total := PageNumber(q), int64(-1)
	more := len(rows) > size
	rows = rows[:min(len(rows), size)]
	p := NewPaging(path, q, page, size, len(rows), total)
	if more {
		p.Next = pageURL(path, q, page+1)
	}
	return rows, p
}

// SlicePage takes the page that a query asks for out of all rows; a page
// behind the end is the last one.
func SlicePage[T any](path string, q url.Values, size int, rows []T) ([]T, Paging) {
	page := min(PageNumber(q), max(0, len(rows)-1)/size)
	shown := rows[page*size : min(len(rows), (page+1)*size)]
	return shown, NewPaging(path, q, page, size, len(shown), int64(len(rows)))
}

func pageURL(path string, q url.Values, page int) string {
	q = maps.Clone(q)
	if q == nil {
		q = url.Values{}
	}
	q.Del("part")
	q.Set("page", strconv.Itoa(page))
	if page == 0 {
		q.Del("page")
	}
	if len(q) == 0 {
		return path
	}
	return path + "?" + q.Encode()
}
