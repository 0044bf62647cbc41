package collect

import (
	"context"
	"slices"
	"strings"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/tag"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// toldOf are the attributes and tags that a row gives its part, one a line and in order.
func toldOf(src kit.Source, def kit.Parts, row derive.Row) string {
	var lines []string
	for name, column := range def.Attributes {
		if value := text.Brief(cell(src, row, column), domain.MostAttributeValue); value != "" {
			lines = append(lines, name+"="+value)
		}
	}
	for _, column := range def.Tags {
		if name := asTag(cell(src, row, column)); name != "" {
			lines = append(lines, "#"+name)
		}
	}
	slices.Sort(lines)
	return strings.Join(slices.Compact(lines), "\n")
}

// asTag makes a tag of what a device says; empty where none can be made of it.
func asTag(said string) string {
	said = text.Brief(strings.NewReplacer("=", " ", "#", " ", ",", " ").Replace(said), domain.MostAttributeName)
	said = strings.TrimSpace(said)
	if !tag.Valid(said) {
		return ""
	}
	return said
}

// tell keeps what devices tell of parts that are new or told otherwise now.
func tell(ctx context.Context, tx *store.Areas, known, changed, made []domain.Part) error {
	before := map[domain.ID]string{}
	for _, p := range known {
		before[p.ID] = p.Told
	}
	var parts []domain.ID
	var all []domain.Attribute
	for _, p := range slices.Concat(changed, made) {
		if p.Told == before[p.ID] {
			continue
		}
		parts = append(parts, p.ID)
		for line := range strings.Lines(p.Told) {
			name, value, _ := strings.Cut(strings.TrimSuffix(line, "\n"), "=")
			bare := strings.TrimPrefix(name, "#")
			all = append(all, domain.Attribute{PartID: p.ID, Name: bare, Value: value, Tag: bare != name})
		}
	}
	return tx.Attributes.Tell(ctx, parts, all)
}
