package changes

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/audit"
)

// Told is an edit in words.
type Told struct {
	Edit  domain.Edit
	Sort  string // kit, fitting rule, rule or setting
	Title string // of the thing
	How   string // new, changed or gone
	// Says is what would be otherwise, each as “name: before → after”.
	Says []string
	// Problem is why it cannot be done; empty where it can.
	Problem string
}

func (s *Service) told(ctx context.Context, who access.Actor, edits []domain.Edit, problems []Problem) []Told {
	out := make([]Told, len(edits))
	for i, e := range edits {
		out[i] = s.inWords(ctx, who, e)
		if j := slices.IndexFunc(problems, func(p Problem) bool { return p.Index == i }); j >= 0 {
			out[i].Problem = problems[j].Said()
		}
	}
	return out
}

// Words are the edits of a set in words, against what each was before where it was applied, and against today
// where it was not.
func (s *Service) Words(ctx context.Context, who access.Actor, c domain.ChangeSet) []Told {
	return s.told(ctx, who, c.Edits, nil)
}

// inWords is an edit in words. What cannot be compared is told by its name alone.
func (s *Service) inWords(ctx context.Context, who access.Actor, e domain.Edit) (t Told) {
	t.Edit = e
	before := domain.Edit{}
	if e.Back != nil {
		before = *e.Back
	} else if !isNew(e) {
		before, _ = s.present(ctx, who, e)
	}
	switch {
	case e.Kit != nil:
		t.Sort, t.Title = "kit", e.Kit.Kit
		s.kitInWords(ctx, &t, before, *e.Kit)
	case e.FittingRule != nil:
		t.Sort, t.Title = "fitting rule", e.FittingRule.Name
		if b := before.FittingRule; b != nil && !b.Remove {
			t.differs(b.FittingRule, e.FittingRule.FittingRule, e.FittingRule.Remove)
			t.Title = nameOr(t.Title, b.Name)
		} else {
			t.How = kit.Added
		}
	case e.Rule != nil:
		t.Sort, t.Title = "rule", e.Rule.Name
		if b := before.Rule; b != nil && !b.Remove {
			t.differs(*b, *e.Rule, e.Rule.Remove)
			t.Title = nameOr(t.Title, b.Name)
		} else {
			t.How = kit.Added
		}
	default:
		t.Sort = "setting"
		s.settingInWords(ctx, who, &t, before)
	}
	return t
}

func nameOr(name, other string) string {
	if name == "" {
		return other
	}
	return name
}

// differs tells what is otherwise between two documents.
func (t *Told) differs(before, after any, gone bool) {
	if t.How = kit.Changed; gone {
		t.How = kit.Gone
		return
	}
	was, _ := json.Marshal(before)
	is, _ := json.Marshal(after)
	for _, c := range audit.Changes(domain.Entry{Before: was, After: is}) {
		if c.Name != "rank" && c.Name != "kit" && c.Name != "reading" {
			name := strings.ReplaceAll(c.Name, ".", " ")
			t.Says = append(t.Says, fmt.Sprintf("%s: %s → %s", name, orNothing(c.Before), orNothing(c.After)))
		}
	}
}

func orNothing(s string) string {
	if s == "" {
		return "nothing"
	}
	return text.Brief(s, mostSaid)
}

// mostSaid is how much of a value is told, in characters.
const mostSaid = 120

func (s *Service) kitInWords(ctx context.Context, t *Told, before domain.Edit, x domain.KitEdit) {
	var was *kit.Kit
	if before.Kit != nil && before.Kit.Document != "" {
		was, _ = s.Kits.Parsed(ctx, before.Kit.Document)
	}
	if was != nil {
		t.Title = was.Title
	}
	if x.Document == "" {
		t.How = kit.Gone
		return
	}
	now, err := s.Kits.Parsed(ctx, x.Document)
	if err != nil {
		t.How = kit.Changed
		return
	}
	t.Title = now.Title
	if t.How = kit.Changed; was == nil {
		t.How = kit.Added
		return
	}
	if was.Version != now.Version {
		t.Says = append(t.Says, fmt.Sprintf("version: %d → %d", was.Version, now.Version))
	}
	for _, d := range kit.Compare(was, now) {
		says := fmt.Sprintf("%s “%s” is %s", d.What, d.Name, d.How)
		if len(d.Says) > 0 {
			says += ": " + text.Brief(strings.Join(d.Says, "; "), 4*mostSaid)
		}
		t.Says = append(t.Says, says)
	}
}

func (s *Service) settingInWords(ctx context.Context, who access.Actor, t *Told, before domain.Edit) {
	x := t.Edit.Setting
	t.Title = string(x.Key)
	if one, err := s.Settings.One(ctx, who, at(*x), x.Key); err == nil {
		t.Title = one.Title
	}
	if name, err := s.Settings.NameOf(ctx, who, at(*x)); err == nil {
		t.Title += " at " + name
	}
	was := ""
	if before.Setting != nil {
		was = before.Setting.Value
	}
	t.How = kit.Changed
	t.Says = []string{fmt.Sprintf("%s → %s", orInherited(was), orInherited(x.Value))}
}

func orInherited(value string) string {
	if value == "" {
		return "as above"
	}
	return text.Brief(value, mostSaid)
}
