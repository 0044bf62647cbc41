package domain

// MostCounted is up to how many of a list are counted where it can be long: to count all of
// hundreds of thousands takes longer than to show a page of them.
const MostCounted = 10_000

// Page picks a part of a long list by the row after which it begins, so that rows which
// come or go meanwhile let none be skipped or repeated.
type Page struct {
	Sort  string // one of the orders of the list; with a leading "-" downwards
	Limit int
	After *Row // nil for the begin
}

// Row is where a row stands in a list: by the value that the list is in order of, as text,
// and where that is the same by its id.
type Row struct {
	Key string
	ID  ID
}

// KeyTime is how times are written as keys: in UTC, in the order of time.
const KeyTime = "2006-01-02T15:04:05.000000Z"
