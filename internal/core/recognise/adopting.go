package recognise

import (
	"fmt"
	"strings"

	"tirelessowl/internal/core/condition"
	"tirelessowl/internal/domain"
)

// OfFinds are what the condition of an adoption rule may ask for.
var OfFinds = []condition.Column{
	{Name: "name", Kind: condition.Text}, {Name: "address", Kind: condition.Text}, {Name: "kind", Kind: condition.Text},
	{Name: "vendor", Kind: condition.Text}, {Name: "model", Kind: condition.Text}, {Name: "description", Kind: condition.Text},
	{Name: "object_id", Kind: condition.Text}, {Name: "location", Kind: condition.Text}, {Name: "facts", Kind: condition.Text},
	{Name: "interfaces", Kind: condition.Whole}, {Name: "volumes", Kind: condition.Whole},
}

// Adopting are the conditions of adoption rules, in their order.
type Adopting []*condition.Condition

// ReadAdopting compiles the conditions of rules.
func ReadAdopting(rules []domain.AdoptionRule) (out Adopting, err error) {
	for _, r := range rules {
		c, err := condition.Compile(r.When, OfFinds)
		if err != nil {
			return nil, err
		}
		out = append(out, c)
	}
	return out, nil
}

// Decide tells which rule adopts a find, the first that holds, and why; less than 0 for none.
func (a Adopting) Decide(f domain.Find) (rule int, because string) {
	values := map[string]any{
		"name": f.Name, "address": f.Address, "kind": f.Kind, "vendor": f.Vendor, "model": f.Model, "description": f.Description,
		"object_id": strings.TrimPrefix(f.ObjectID, "."), "location": f.Location, "facts": " " + strings.Join(f.Facts, " ") + " ",
		"interfaces": int64(f.Parts["interface"]), "volumes": int64(f.Parts["volume"]),
	}
	var said []string
	for i, c := range a {
		holds, because, err := c.Holds(func(name string) (any, bool) { v, ok := values[name]; return v, ok })
		switch {
		case err != nil:
			because = err.Error()
		case holds:
			return i, because
		}
		said = append(said, fmt.Sprintf("not rule %d: %s", i+1, because))
	}
	return -1, strings.Join(said, "; ")
}
