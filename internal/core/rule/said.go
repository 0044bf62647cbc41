package rule

import "encoding/json"

// Said is what people, or a kit, say of a rule: all of it that may be changed.
type Said struct {
	Name      string          `json:"name"`
	Kind      string          `json:"kind"` // of its condition
	Condition json.RawMessage `json:"condition"`
	Title     string          `json:"title"`
	Runbook   string          `json:"runbook"`
	Enabled   bool            `json:"enabled"`
	Tags      []string        `json:"tags,omitempty"`
}

// SaidOf is what is said of a rule.
func SaidOf(r Rule) (Said, error) {
	document, err := Document(r.Condition)
	return Said{r.Name, r.Condition.Kind(), document, r.Title, r.Runbook, r.Enabled, r.Tags}, err
}
