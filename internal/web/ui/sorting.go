package ui

import (
	"maps"
	"net/url"
)

// Sorting is how a list is sorted; a view that embeds it can offer links in
// its column heads.
type Sorting struct {
	Path  string     // of the list
	Query url.Values // of the present page: filters are kept
	Sort  string     // a column, with a leading "-" downwards
}

// SortURL returns the address that sorts by a column from the first page on,
// turned round when it is the present one.
func (s Sorting) SortURL(column string) string {
	q := maps.Clone(s.Query)
	if q == nil {
		q = url.Values{}
	}
	q.Del("page")
	if s.Sort == column {
		column = "-" + column
	}
	q.Set("sort", column)
	return s.Path + "?" + q.Encode()
}

// Sorted tells assistive technology how a column is sorted; empty when the
// list is sorted by another.
func (s Sorting) Sorted(column string) string {
	switch s.Sort {
	case column:
		return "ascending"
	case "-" + column:
		return "descending"
	}
	return ""
}
