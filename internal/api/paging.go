package api

import (
	"cmp"
	"context"
	"encoding/base64"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
)

// Paging picks a part of a list.
type Paging struct {
	Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"100" doc:"Most items to return"`
	After  string `query:"after" maxLength:"1000" doc:"The “next” of the answer before; left out, the list begins"`
	Sort   string `query:"sort" doc:"By what the list is in order; with - before it downwards"`
	Fields string `query:"fields" maxLength:"1000" doc:"Only these fields of each item, with commas between"`
}

func (p Paging) paging() Paging { return p }

// paged is what takes part of a list.
type paged interface{ paging() Paging }

// listed is what lists are made of.
type listed interface {
	// at is the text by which it stands in an order, and its id where that is the same.
	at(order string) (key string, id domain.ID)
}

// Total is how many there are in all.
type Total struct {
	Count int64 `json:"count" doc:"How many match, counted up to 10,000"`
	More  bool  `json:"more" doc:"There are more than were counted"`
}

func totalOf(n int64) Total { return Total{min(n, domain.MostCounted), n > domain.MostCounted} }

// Items is a part of a list.
type Items[T any] struct {
	Items []T     `json:"items" nullable:"false"`
	Total Total   `json:"total"`
	Next  *string `json:"next" doc:"Give it as “after” to get what follows; null at the end"`
}

// Body wraps an answer.
type Body[T any] struct{ Body T }

func one[T any](x T, err error) (*Body[T], error) { return &Body[T]{x}, err }

// orders are what a list can be in order of; the first is the usual one.
type orders []string

// words are all orders as a client may name them.
func (o orders) words() (out []any) {
	for _, name := range o {
		name, down := strings.CutPrefix(name, "-")
		if down {
			out = append(out, "-"+name, name)
		} else {
			out = append(out, name, "-"+name)
		}
	}
	return out
}

// cursor is where a page ended, as it is handed to clients.
type cursor struct {
	Sort string    `json:"s"`
	Key  string    `json:"k"`
	ID   domain.ID `json:"i"`
}

func (c cursor) String() string {
	document, _ := json.Marshal(c)
	return base64.RawURLEncoding.EncodeToString(document)
}

// page reads what part of a list is wanted.
func (p Paging) page(o orders) (domain.Page, error) {
	out := domain.Page{Sort: cmp.Or(p.Sort, o[0]), Limit: p.Limit}
	if p.After == "" {
		return out, nil
	}
	var c cursor
	document, err := base64.RawURLEncoding.DecodeString(p.After)
	if err == nil {
		err = json.Unmarshal(document, &c)
	}
	switch {
	case err != nil || !text.Legible(c.Key):
		return out, domain.FieldErrors{"after": "must be the “next” of an answer, as it was"}
	case c.Sort != out.Sort:
		return out, domain.FieldErrors{"after": "belongs to a list in another order: begin anew, or leave “sort” as it was"}
	}
	out.After = &domain.Row{Key: c.Key, ID: c.ID}
	return out, nil
}

// pages registers an operation that gives a list of which only a part is read: f returns
// the rows of a page, of which one more than its limit is asked for, and how many there are
// in all.
func pages[I paged, T listed](
	a *api,
	o operation,
	by orders,
	f func(ctx context.Context, in I, p domain.Page) ([]T, int64, error),
) {
	a.lists(o, by, func(o operation) {
		addAs(a, o, o.id("list"), func(ctx context.Context, in *I) (*Body[Items[T]], error) {
			p, err := (*in).paging().page(by)
			if err != nil {
				return nil, err
			}
			more := p
			more.Limit++
			rows, total, err := f(ctx, *in, more)
			if err != nil {
				return nil, err
			}
			return answer(rows, total, p), nil
		})
	})
}

// list registers an operation that gives a list which is read as a whole.
func list[I paged, T listed](a *api, o operation, by orders, f func(ctx context.Context, in I) ([]T, error)) {
	pages(a, o, by, func(ctx context.Context, in I, p domain.Page) ([]T, int64, error) {
		all, err := f(ctx, in)
		return part(all, p), int64(len(all)), err
	})
}

// lists lets a list be registered with the orders that it knows.
func (a *api) lists(o operation, by orders, register func(operation)) {
	register(o)
	for _, p := range a.find(o.Method, "/v1"+o.Path).Parameters {
		if p.Name == "sort" {
			p.Schema.Enum, p.Schema.Default = by.words(), by[0]
			p.Schema.PrecomputeMessages()
		}
	}
}

// answer is a page of a list, of which rows hold one more than was wanted where there is
// more.
func answer[T listed](rows []T, total int64, p domain.Page) *Body[Items[T]] {
	out := Items[T]{Items: rows, Total: totalOf(total)}
	if len(rows) > p.Limit {
		out.Items = rows[:p.Limit]
		key, id := rows[p.Limit-1].at(strings.TrimPrefix(p.Sort, "-"))
		next := cursor{p.Sort, key, id}.String()
		out.Next = &next
	}
	if out.Items == nil {
		out.Items = []T{}
	}
	return &Body[Items[T]]{out}
}

// part is one page of a list that was read as a whole.
func part[T listed](all []T, p domain.Page) []T {
	order, down := strings.CutPrefix(p.Sort, "-")
	by := func(x, y domain.Row) int {
		c := cmp.Or(cmp.Compare(x.Key, y.Key), cmp.Compare(x.ID, y.ID))
		if down {
			return -c
		}
		return c
	}
	row := func(x T) domain.Row {
		key, id := x.at(order)
		return domain.Row{Key: key, ID: id}
	}
	sorted := slices.SortedFunc(slices.Values(all), func(x, y T) int { return by(row(x), row(y)) })
	if p.After != nil {
		first := slices.IndexFunc(sorted, func(x T) bool { return by(row(x), *p.After) > 0 })
		if first < 0 {
			return nil
		}
		sorted = sorted[first:]
	}
	return sorted[:min(p.Limit, len(sorted))]
}

// keyOf is how a time stands in an order.
func keyOf(t time.Time) string { return t.UTC().Format(domain.KeyTime) }

// picked is a list of which only some fields are given.
type pickable interface {
	pick(fields []string) (any, error)
}

func (x Items[T]) pick(fields []string) (any, error) {
	out := Items[map[string]json.RawMessage]{Total: x.Total, Next: x.Next, Items: make([]map[string]json.RawMessage, len(x.Items))}
	for i, item := range x.Items {
		document, err := json.Marshal(item)
		if err != nil {
			return nil, err
		}
		var all map[string]json.RawMessage
		if err := json.Unmarshal(document, &all); err != nil {
			return nil, err
		}
		some := make(map[string]json.RawMessage, len(fields))
		for _, f := range fields {
			if value, ok := all[f]; ok {
				some[f] = value
			}
		}
		out.Items[i] = some
	}
	return out, nil
}

// picked leaves of the things of a list the fields that were asked for.
func picked(ctx huma.Context, _ string, v any) (any, error) {
	list, ok := v.(pickable)
	fields := ctx.Query("fields")
	if !ok || fields == "" {
		return v, nil
	}
	return list.pick(strings.Split(fields, ","))
}
