package api

import (
	"context"
	"encoding/json"
	"net/http"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
)

// Rule is a rule as the API shows and takes it.
type Rule struct {
	ID        int64           `json:"id"            readOnly:"true"`
	Key       string          `json:"key,omitempty" readOnly:"true" doc:"What its kit calls it"`
	Name      string          `json:"name"                                                                                  maxLength:"200"`
	Kit       string          `json:"kit"           readOnly:"true"`
	Reading   string          `json:"reading"       readOnly:"true"`
	Unit      string          `json:"unit"          readOnly:"true"`
	Words     string          `json:"words"         readOnly:"true" doc:"What the rule does, in words"`
	Kind      string          `json:"kind"                          doc:"The kind of its condition, such as limit or state"`
	Condition json.RawMessage `json:"condition"                     doc:"The document of its condition, as kits write it"`
	Title     string          `json:"title"`
	Runbook   string          `json:"runbook"`
	Enabled   bool            `json:"enabled"`
	Tags      *[]string       `json:"tags,omitempty"                doc:"They go along to its incidents; left out, they stay"`
}

func shown(r rule.Rule) (Rule, error) {
	doc, err := rule.Document(r.Condition)
	return Rule{ID: r.ID, Key: r.Key, Name: r.Name, Kit: r.Kit, Reading: r.Reading, Unit: r.Unit, Words: r.Words(),
		Kind: r.Condition.Kind(), Condition: doc, Title: r.Title, Runbook: r.Runbook, Enabled: r.Enabled, Tags: &r.Tags}, err
}

func (a *api) rules() {
	const tag = "rules"
	add(
		a,
		domain.AreaJudge,
		domain.AccessSee,
		http.MethodGet,
		"/rules",
		tag,
		"All rules",
		func(ctx context.Context, _ *none) (*Body[Items[Rule]], error) {
			rules, err := a.Judge.Rules(ctx, caller(ctx))
			if err != nil {
				return nil, err
			}
			out := []Rule{}
			for _, r := range rules {
				x, err := shown(r)
				if err != nil {
					return nil, err
				}
				out = append(out, x)
			}
			return items(out, nil)
		},
	)
	add(
		a,
		domain.AreaJudge,
		domain.AccessSee,
		http.MethodGet,
		"/rules/{id}",
		tag,
		"One rule",
		func(ctx context.Context, in *ByID) (*Tagged[Rule], error) {
			r, err := a.Judge.Rule(ctx, caller(ctx), in.ID)
			if err != nil {
				return nil, err
			}
			x, err := shown(r)
			return tagged(x, r.Version, err)
		},
	)
	type change struct {
		ByID
		IfMatch
		Body Rule
	}
	add(a, domain.AreaJudge, domain.AccessConfigure, http.MethodPut, "/rules/{id}", tag, "Change a rule; it is in force at once",
		func(ctx context.Context, in *change) (*Tagged[Rule], error) {
			version, err := in.version()
			if err != nil {
				return nil, err
			}
			r, err := a.Judge.Rule(ctx, caller(ctx), in.ID)
			if err != nil {
				return nil, err
			}
			if version != 0 {
				r.Version = version
			}
			b := in.Body
			r.Name, r.Title, r.Runbook, r.Enabled = b.Name, b.Title, b.Runbook, b.Enabled
			if b.Tags != nil {
				r.Tags = *b.Tags
			}
			if r, err = a.Judge.Decode(r, b.Kind, b.Condition); err != nil {
				return nil, err
			}
			if r, err = a.Judge.Save(ctx, caller(ctx), r); err != nil {
				return nil, err
			}
			x, err := shown(r)
			return tagged(x, r.Version, err)
		})
}
