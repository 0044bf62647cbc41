package collect

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// Move is readings of a device's own that move into a kit.
type Move struct {
	Device   domain.ID
	Readings []string // their keys; rows of a table go together
	Kit      string   // the name of a kit, or of a new one
	Title    string   // of a new one
	// Mark is that of what is picked at the device, as it was seen; empty for whatever is there.
	Mark string
}

// MoveRehearsal is what a move would do: to the kit on all devices, and to the one it comes from.
type MoveRehearsal struct {
	KitChange
	Document string   // the kit file
	Names    []string // of all readings that would move
	Rules    []string // that would move with them, and judge on all devices of the kit then
}

var moveToKit = act.Deed{Name: "move readings to a kit", Area: domain.AreaCollect, Needs: domain.AccessConfigure}

// moving is a move that is worked out.
type moving struct {
	own.Moved
	keys  []string
	rules []rule.Rule
	set   own.Set // what is picked at the device
}

// work works out a move; what is wrong with it is told by field: readings, kit, title.
func (s *Service) work(ctx context.Context, from *store.Areas, m Move) (out moving, err error) {
	k, err := from.OwnKits.Of(ctx, m.Device)
	if err != nil {
		return out, err
	}
	out.set = k.Picked
	if out.keys = out.set.WithTables(m.Readings); len(out.keys) == 0 {
		return out, domain.FieldErrors{"readings": "Choose at least one reading."}
	}
	file, err := s.target(ctx, from, m)
	if err != nil {
		return out, err
	}
	for _, r := range out.set.Readings {
		if needed := out.set.NeededBy(r.Key); slices.Contains(out.keys, r.Key) && len(missingOf(out.set, needed, out.keys)) > 0 {
			return out, domain.FieldErrors{"readings": fmt.Sprintf("“%s” is needed to compute %s: move that, too.", r.Name,
				strings.Join(needed, ", "))}
		}
	}
	if out.Moved, err = out.set.Only(out.keys).Move([]byte(file)); err != nil {
		return out, domain.FieldErrors{"readings": err.Error()}
	}
	return out, s.withRules(ctx, from, m.Device, &out)
}

// missingOf are the names of readings that are not among those that move.
func missingOf(set own.Set, names, keys []string) (out []string) {
	for _, r := range set.Readings {
		if slices.Contains(names, r.Name) && !slices.Contains(keys, r.Key) {
			out = append(out, r.Name)
		}
	}
	return out
}

// target is the kit file that readings move into.
func (s *Service) target(ctx context.Context, from *store.Areas, m Move) (string, error) {
	if strings.HasPrefix(m.Kit, own.Prefix) || !kitName.MatchString(m.Kit) || m.Kit == "new" {
		return "", domain.FieldErrors{"kit": "A name of at most 60 small letters, digits and - in between."}
	}
	versions, err := from.Kits.Versions(ctx, m.Kit)
	if err != nil {
		return "", err
	}
	if len(versions) > 0 {
		v, err := from.Kits.Version(ctx, m.Kit, versions[0].Revision)
		return v.Document, err
	}
	title := strings.Join(strings.Fields(m.Title), " ")
	if title == "" {
		return "", domain.FieldErrors{"title": "Give the new kit a title."}
	}
	quoted, err := json.Marshal(title) // YAML reads what JSON writes
	return fmt.Sprintf("kit: %s\ntitle: %s\nversion: 0\nneeds: [\"answers:snmp\"]\n", m.Kit, quoted), err
}

// withRules moves the rules that judge the readings on the device alone.
func (s *Service) withRules(ctx context.Context, from *store.Areas, device domain.ID, m *moving) error {
	all, err := from.Rules.Of(ctx, own.Name(device))
	if err != nil {
		return err
	}
	taken := own.RuleKeys(m.Document)
	var written []map[string]any
	for _, r := range all {
		now, moves := m.Moved.Readings[r.Reading]
		if !moves {
			continue
		}
		condition, err := rule.Document(r.Condition)
		if err != nil {
			return err
		}
		var doc any
		if err := json.Unmarshal(condition, &doc); err != nil {
			return err
		}
		r.Key, r.Reading = own.FreeKey(now, taken), now
		written = append(written, ruleWritten(r, doc))
		m.rules = append(m.rules, r)
	}
	m.Document, err = own.AddRules(m.Document, written)
	return err
}

// ruleWritten is a rule as a kit file has it.
func ruleWritten(r rule.Rule, condition any) map[string]any {
	out := map[string]any{"key": r.Key, "name": r.Name, "reading": r.Reading, r.Condition.Kind(): condition}
	for name, text := range map[string]string{"title": r.Title, "runbook": r.Runbook, "cause": r.Cause} {
		if text != "" {
			out[name] = text
		}
	}
	if !r.Enabled {
		out["enabled"] = false
	}
	if len(r.Tags) > 0 {
		out["tags"] = r.Tags
	}
	return out
}

// RehearseMove tells what moving readings of a device's own into a kit would do, and changes nothing.
func (s *Service) RehearseMove(ctx context.Context, who access.Actor, m Move) (out MoveRehearsal, err error) {
	seen, err := s.Desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return out, err
	}
	if _, err := seen.Devices.One(ctx, m.Device); err != nil {
		return out, err
	}
	x, err := s.work(ctx, &seen.Areas, m)
	if err != nil {
		return out, err
	}
	out.Document = string(x.Moved.Document)
	for _, r := range x.set.Readings {
		if slices.Contains(x.keys, r.Key) {
			out.Names = append(out.Names, r.Name)
		}
	}
	for _, r := range x.rules {
		out.Rules = append(out.Rules, r.Name)
	}
	out.KitChange, err = s.RehearseKit(ctx, who, out.Document)
	return out, err
}

// MoveToKit moves readings of a device's own into a kit, as its next version, which is in force at once and
// fitted to the device. Their history, their parts and their rules go with them. It returns the version.
func (s *Service) MoveToKit(ctx context.Context, who access.Actor, m Move) (v domain.KitVersion, err error) {
	err = s.Desk.Do(ctx, who, moveToKit, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		d, err := w.Device(m.Device)
		if err != nil {
			return err
		}
		if err := w.Kits.Lock(ctx); err != nil {
			return err
		}
		x, err := s.work(ctx, w.Areas, m)
		if err != nil {
			return err
		}
		if err := act.Since(x.set, m.Mark); err != nil {
			return err
		}
		v, err = s.move(ctx, w, who, m, x)
		if err != nil {
			return err
		}
		w.Note(act.Thing{Kind: "kit", Name: v.Kit}, nil, v)
		w.Note(act.Device(d), x.set, x.set.Only(x.stay()))
		s.take(w)
		return nil
	})
	v.Document = ""
	return v, err
}

// stay are the keys of the readings that do not move.
func (m moving) stay() (out []string) {
	for _, r := range m.set.Readings {
		if !slices.Contains(m.keys, r.Key) {
			out = append(out, r.Key)
		}
	}
	return out
}

func (s *Service) move(ctx context.Context, w *act.Work, who access.Actor, m Move, x moving) (v domain.KitVersion, err error) {
	k, err := s.Parsed(ctx, string(x.Moved.Document))
	if err != nil {
		return v, err
	}
	s.foresee(ctx, k.Name, k)
	now := time.Now().UTC()
	v, err = w.Kits.Add(ctx, domain.KitVersion{Kit: k.Name, Version: k.Version, Document: string(x.Moved.Document), CreatedAt: now,
		Author: who.Name, Reason: who.Because})
	if err != nil {
		return v, err
	}
	if err := w.OwnKits.Leave(ctx, m.Device, k.Name, x.Moved.Readings, x.Kinds); err != nil {
		return v, err
	}
	for _, r := range x.rules {
		r.Kit, r.DeviceID = k.Name, 0
		if _, err := w.Rules.Save(ctx, r); errors.Is(err, domain.ErrConflict) {
			return v, domain.FieldErrors{"kit": "The kit has a rule “" + r.Name + "” on this reading already."}
		} else if err != nil {
			return v, err
		}
	}
	have, err := w.OwnKits.Of(ctx, m.Device)
	if err != nil {
		return v, err
	}
	rest := store.OwnKit{DeviceID: m.Device, Picked: x.set.Only(x.stay()), Version: have.Version + 1}
	if _, err := w.OwnKits.Put(ctx, rest); err != nil {
		return v, err
	}
	return v, s.fitMoved(ctx, w, who, m.Device, k.Name, now)
}

// fitMoved fits a kit to the device that its readings come from, where it is not fitted yet.
func (s *Service) fitMoved(ctx context.Context, w *act.Work, who access.Actor, device domain.ID, kit string, now time.Time) error {
	fitted, err := w.Fittings.Of(ctx, device)
	if err != nil || slices.ContainsFunc(fitted, func(f domain.Fitting) bool { return f.Kit == kit }) {
		return err
	}
	return w.Fittings.Fit(ctx, domain.Fitting{DeviceID: device, Kit: kit, By: domain.ByHand, Who: who.Name, Since: now})
}
