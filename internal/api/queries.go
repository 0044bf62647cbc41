package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/query"
)

// Queried is what a statement brought.
type Queried struct {
	Columns     []string   `json:"columns" nullable:"false"`
	Rows        [][]string `json:"rows" nullable:"false" doc:"Texts in the order of the columns; empty for what has no value"`
	More        bool       `json:"more" doc:"There are more rows than were read"`
	TookSeconds float64    `json:"took_seconds" example:"0.021"`
	Problem     string     `json:"problem" doc:"Why it brought nothing; empty where it ran"`
	Exchange    []Line     `json:"exchange" nullable:"false"`
}

type statementTyped struct {
	ByID
	Body struct {
		Way       string `json:"way" maxLength:"100" example:"postgresql"`
		Statement string `json:"statement" maxLength:"4096" example:"SELECT count(*) FROM bookings"`
	}
}

func (a *api) queries() {
	add(a, operation{http.MethodPost, "/devices/{id}/queries", "Run one statement on the database of a device, which can change nothing",
		domain.AreaCollect, domain.AccessConfigure},
		func(ctx context.Context, in *statementTyped) (*Body[Queried], error) {
			got, err := a.Query.Run(ctx, caller(ctx), in.ID, in.Body.Way, in.Body.Statement)
			return one(queriedOf(got), err)
		})
}

func queriedOf(r query.Result) Queried {
	out := Queried{Columns: append([]string{}, r.Columns...), Rows: [][]string{}, More: r.More, TookSeconds: r.Took.Seconds(),
		Problem: r.Problem, Exchange: every(r.Exchange, lineOf)}
	for _, row := range r.Rows {
		cells := make([]string, len(row))
		for i, v := range row {
			cells[i] = v.String()
		}
		out.Rows = append(out.Rows, cells)
	}
	return out
}
