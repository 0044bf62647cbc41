package ui

import (
	"cmp"
	"net/url"
	"slices"
	"strings"
	"time"
)

// Columns are the orders of a list by the names of its columns; that of the empty name is the
// usual one, and the one of rows that are alike in another.
type Columns[T any] map[string]func(a, b T) int

// ByText is an order by texts, as people read them.
func ByText[T any](of func(T) string) func(a, b T) int {
	return func(a, b T) int { return cmp.Compare(strings.ToLower(of(a)), strings.ToLower(of(b))) }
}

// ByNumber is an order by numbers.
func ByNumber[T any, N cmp.Ordered](of func(T) N) func(a, b T) int {
	return func(a, b T) int { return cmp.Compare(of(a), of(b)) }
}

// Latest is an order by times, the latest first.
func Latest[T any](of func(T) time.Time) func(a, b T) int {
	return func(a, b T) int { return of(b).Compare(of(a)) }
}

// Filled is a list that is kept in memory, as a query asks for it.
type Filled[T any] struct {
	Rows []T // of the page
	Sorting
	Paging
}

// Fill keeps of all rows those that say what a query searches for (q), in the order that it asks
// for (sort), and cuts out its page.
func Fill[T any](path string, q url.Values, size int, all []T, says func(T) string, columns Columns[T]) Filled[T] {
	out := Filled[T]{Sorting: Sorting{Path: path, Query: q, Sort: q.Get("sort")}}
	search := strings.ToLower(strings.TrimSpace(q.Get("q")))
	var rows []T
	for _, x := range all {
		if strings.Contains(strings.ToLower(says(x)), search) {
			rows = append(rows, x)
		}
	}
	column, down := strings.CutPrefix(out.Sort, "-")
	usual := columns[""]
	by := columns[column]
	if by == nil {
		by = usual
	}
	slices.SortStableFunc(rows, func(a, b T) int {
		if down {
			a, b = b, a
		}
		return cmp.Or(by(a, b), usual(a, b))
	})
	out.Rows, out.Paging = SlicePage(path, q, size, rows)
	return out
}
