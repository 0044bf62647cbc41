package collect

import (
	"context"
	"fmt"
	"time"

	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Known is what is known of one kind of part on a device.
type Known struct {
	Parts []domain.Part
	// Left are rows that a part of the same name has left, by index, with their
	// name. It lives as long as the application: a row left over after a start
	// becomes a part of its own.
	Left map[string]string
}

// Fits tells whether a row is known as it is seen now: as a part that is still
// the same, or as one that was left. p is the part that stands in its row, nil
// for none.
func (k Known) Fits(row Row, p *domain.Part) bool {
	if p == nil {
		return row.isLeft(k.Left)
	}
	next := *p
	fill(&next, row)
	return next == *p
}

// SyncParts brings the parts of one kind on a device up to date with the rows
// seen now: new rows become parts with their series, re-indexed and renamed
// ones keep their history, vanished ones are marked as gone. It returns what is
// known then, and the series that were made.
func (s *Service) SyncParts(
	ctx context.Context,
	deviceID domain.ID,
	k *kit.Kit,
	src kit.Source,
	def kit.Parts,
	known Known,
	rows []Row,
	at time.Time,
) (Known, []domain.Series, error) {
	var fresh, changed []domain.Part
	left, present, keys := map[string]string{}, map[domain.ID]bool{}, keysOf(known.Parts)
	matches := identity.MatchRows(partRows(known.Parts), seenRows(rows), known.Left)
	for i, m := range matches {
		if m.Reason == identity.Left {
			left[rows[i].Index] = rows[i].Called
		}
	}
	tellApart(src, def, rows, left)
	for i, m := range matches {
		row := rows[i]
		if m.Reason == identity.Left {
			continue
		}
		if m.Part < 0 {
			p := domain.Part{DeviceID: deviceID, Kit: k.Name, Kind: def.Kind, Key: keys.free(row), Reason: string(m.Reason)}
			fill(&p, row)
			fresh = append(fresh, p)
			continue
		}
		p := known.Parts[m.Part]
		present[p.ID] = true
		before := p
		if fill(&p, row); m.Reason != identity.SameRow {
			p.Reason = string(m.Reason)
		}
		if p != before {
			changed = append(changed, p)
		}
	}
	for _, p := range known.Parts {
		if !present[p.ID] && p.GoneAt.IsZero() {
			p.GoneAt = at
			changed = append(changed, p)
		}
	}
	parts, series, err := s.saveParts(ctx, k, def.Kind, known.Parts, fresh, changed)
	return Known{parts, left}, series, err
}

// fill takes over what the device says of a row. Marks and speed that it does
// not tell this time stay as they are.
func fill(p *domain.Part, row Row) {
	p.Called, p.Index, p.Name, p.Note, p.GoneAt = row.Called, row.Index, row.Name, row.Note, time.Time{}
	p.Told = row.Told
	if row.Marks != "" {
		p.Marks = row.Marks
	}
	if row.Speed > 0 {
		p.Speed = row.Speed
	}
}

// keys are those in use: each part has one of its own, which stays.
type keys map[string]bool

func keysOf(parts []domain.Part) keys {
	out := make(keys, len(parts))
	for _, p := range parts {
		out[p.Key] = true
	}
	return out
}

func (k keys) free(row Row) string {
	key := row.Called
	if key == "" {
		key = "row " + row.Index
	}
	for n := 1; k[key]; n++ {
		if n == 1 {
			key = row.Called + " (row " + row.Index + ")"
			continue
		}
		key = fmt.Sprintf("%s (row %s, %d)", row.Called, row.Index, n)
	}
	k[key] = true
	return key
}

func (s *Service) saveParts(
	ctx context.Context,
	k *kit.Kit,
	kind string,
	known, fresh, changed []domain.Part,
) (parts []domain.Part, series []domain.Series, err error) {
	err = s.store.InTx(ctx, func(tx *store.Areas) error {
		if err := tx.Parts.Change(ctx, changed); err != nil {
			return err
		}
		made, err := tx.Parts.Add(ctx, fresh)
		if err != nil {
			return err
		}
		if err := tell(ctx, tx, known, changed, made); err != nil {
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
