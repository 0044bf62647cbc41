package collect

import (
	"context"
	"strings"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Row is a row of a table that makes a part, with its identity.
type Row struct {
	derive.Row
	Key string
}

// Rows picks the rows that make parts of a kind. The identity of a row is the
// first key column that is not empty, else its index; where an agent gives
// several rows the same, all but the first take their index along.
func Rows(src kit.Source, def kit.Parts, rows []derive.Row) []Row {
	out := make([]Row, 0, len(rows))
	taken := make(map[string]bool, len(rows))
	for _, row := range rows {
		if !def.Filter.Keeps(src, row) {
			continue
		}
		key := derive.CleanText(firstOf(src, row, def.Key))
		if key == "" {
			key = "row " + row.Index
		}
		if taken[key] {
			key += " (row " + row.Index + ")"
		}
		taken[key] = true
		out = append(out, Row{row, key})
	}
	return out
}

// SyncParts brings the parts of one kind on a device up to date with the rows
// seen now: new rows become parts with their series, re-indexed and renamed
// ones keep their history, vanished ones are marked as gone. It returns all
// parts, and the series that were made.
func (s *Service) SyncParts(ctx context.Context, deviceID domain.ID, k *kit.Kit, src kit.Source, def kit.Parts, known []domain.Part, rows []Row, at time.Time) ([]domain.Part, []domain.Series, error) {
	match := identity.MatchRows(partRows(known), seenRows(rows))
	var fresh, changed []domain.Part
	present := map[domain.ID]bool{}
	for i, row := range rows {
		p := domain.Part{DeviceID: deviceID, Kit: k.Name, Kind: def.Kind}
		if match[i] >= 0 {
			p = known[match[i]]
			present[p.ID] = true
		}
		before := p
		fill(&p, src, def, row)
		switch {
		case p.ID == 0:
			fresh = append(fresh, p)
		case p != before:
			changed = append(changed, p)
		}
	}
	for _, p := range known {
		if !present[p.ID] && p.GoneAt.IsZero() {
			p.GoneAt = at
			changed = append(changed, p)
		}
	}
	return s.saveParts(ctx, k, def.Kind, known, fresh, changed)
}

func (s *Service) saveParts(ctx context.Context, k *kit.Kit, kind string, known, fresh, changed []domain.Part) (parts []domain.Part, series []domain.Series, err error) {
	err = s.store.InTx(ctx, func(tx *store.Areas) error {
		if err := tx.Parts.Change(ctx, changed); err != nil {
			return err
		}
		made, err := tx.Parts.Add(ctx, fresh)
		if err != nil {
			return err
		}
		var wanted []domain.Series
		for _, p := range made {
			for _, r := range k.Readings {
				if r.Of == kind {
					wanted = append(wanted, seriesOf(k, r, p.DeviceID, p.ID))
				}
			}
		}
		series, err = tx.Series.Add(ctx, wanted)
		parts = merge(known, changed, made)
		return err
	})
	return parts, series, err
}

// merge puts parts that changed in the place of what was known, and new ones behind.
func merge(known, changed, made []domain.Part) []domain.Part {
	now := make(map[domain.ID]domain.Part, len(changed))
	for _, p := range changed {
		now[p.ID] = p
	}
	out := make([]domain.Part, 0, len(known)+len(made))
	for _, p := range known {
		if c, ok := now[p.ID]; ok {
			p = c
		}
		out = append(out, p)
	}
	return append(out, made...)
}

func partRows(parts []domain.Part) []identity.Row {
	out := make([]identity.Row, len(parts))
	for i, p := range parts {
		out[i] = identity.Row{Key: p.Key, Index: p.Index}
	}
	return out
}

func seenRows(rows []Row) []identity.Row {
	out := make([]identity.Row, len(rows))
	for i, r := range rows {
		out[i] = identity.Row{Key: r.Key, Index: r.Index}
	}
	return out
}

// maxSpeed is more than any interface has, in bit/s.
const maxSpeed = 1e15

func fill(p *domain.Part, src kit.Source, def kit.Parts, row Row) {
	p.Key, p.Index, p.GoneAt = row.Key, row.Index, time.Time{}
	p.Name = derive.CleanText(firstOf(src, row.Row, def.Name))
	if p.Name == "" {
		p.Name = p.Key
	}
	p.Note = derive.CleanText(firstOf(src, row.Row, []string{def.Note}))
	if i := src.Column(def.Speed); i >= 0 {
		if speed, ok := row.Values[i].Number(); ok && speed >= 0 && speed*def.SpeedScale <= maxSpeed {
			p.Speed = speed * def.SpeedScale
		}
	}
}

func firstOf(src kit.Source, row derive.Row, columns []string) string {
	for _, name := range columns {
		if i := src.Column(name); name != "" && i >= 0 && i < len(row.Values) {
			if text := strings.TrimSpace(row.Values[i].String()); text != "" {
				return text
			}
		}
	}
	return ""
}
