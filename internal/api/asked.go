package api

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"tirelessowl/internal/core/text"

	"github.com/danielgtaylor/huma/v2"
)

// asked refuses what an operation does not know or cannot be: a parameter of another name
// would be passed over in silence, and its sender take the answer for what was asked.
func (a *api) asked(ctx huma.Context, next func(huma.Context)) {
	u := ctx.URL()
	query, err := url.ParseQuery(u.RawQuery)
	var wrong []error
	if err != nil {
		wrong = append(wrong, &huma.ErrorDetail{Location: "query", Message: "it cannot be read"})
	}
	op := ctx.Operation()
	for name, values := range query {
		if problem := a.parameter(op, name, values); problem != "" {
			wrong = append(wrong, &huma.ErrorDetail{Location: "query." + shortened(name), Message: problem})
		}
	}
	if !text.Legible(u.Path) {
		wrong = append(wrong, &huma.ErrorDetail{Location: "path", Message: notText})
	}
	if len(wrong) > 0 {
		slices.SortFunc(wrong, func(x, y error) int { return strings.Compare(x.Error(), y.Error()) })
		_ = huma.WriteErr(a.API, ctx, http.StatusUnprocessableEntity, wrongParameters, wrong...)
		return
	}
	next(ctx)
}

const (
	wrongParameters = "some parameters are wrong"
	notText         = "must be text in UTF-8, without the character NUL"
)

// parameter says what is wrong with one of a query; nothing where it is right.
func (a *api) parameter(op *huma.Operation, name string, values []string) string {
	known := []string{}
	for _, p := range op.Parameters {
		if p.In != "query" {
			continue
		}
		known = append(known, p.Name)
		if p.Name != name {
			continue
		}
		switch {
		case slices.ContainsFunc(values, func(v string) bool { return !text.Legible(v) }):
			return notText
		case len(values) > 1:
			return "is given more than once"
		case name == "fields":
			return a.fieldsProblem(op, values[0])
		}
		return ""
	}
	if len(known) == 0 {
		return "there is no such parameter: this takes none"
	}
	return "there is no such parameter: this takes " + strings.Join(known, ", ")
}

// mostEchoed is how much of what a client sent is sent back to it, in bytes.
const mostEchoed = 60

func shortened(s string) string { return text.Brief(s, mostEchoed) }

// fieldsProblem says which of the wanted fields the things of a list do not have.
func (a *api) fieldsProblem(op *huma.Operation, wanted string) string {
	have := a.fieldsOf(op)
	for name := range strings.SplitSeq(wanted, ",") {
		if !slices.Contains(have, name) {
			return fmt.Sprintf("there is no field %q: there are %s", shortened(name), strings.Join(have, ", "))
		}
	}
	return ""
}

// fieldsOf are the names of the fields of the things that an operation lists.
func (a *api) fieldsOf(op *huma.Operation) []string {
	res := op.Responses["200"]
	if res == nil || res.Content["application/json"] == nil {
		return nil
	}
	registry := a.OpenAPI().Components.Schemas
	list := resolved(registry, res.Content["application/json"].Schema)
	items := list.Properties["items"]
	if items == nil || items.Items == nil {
		return nil
	}
	var names []string
	for name := range resolved(registry, items.Items).Properties {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

func resolved(r huma.Registry, s *huma.Schema) *huma.Schema {
	for s.Ref != "" {
		s = r.SchemaFromRef(s.Ref)
	}
	return s
}
