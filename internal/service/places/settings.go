package places

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

var changeSetting = act.Deed{Name: "change a setting of a place", Area: domain.AreaRun, Needs: domain.AccessConfigure}

// Setting is something that can be set at a place and holds for all below.
type Setting struct {
	Key   domain.SettingKey
	Title string
	Help  string
	inherit.Resolved
	// Shown is the value as people read it, and Shall be what holds without what is set
	// here.
	Shown, Else string
	Here        bool
}

// kinds are all settings that places have.
var kinds = []Setting{
	{
		Key:   domain.SettingGateway,
		Title: "Reached through",
		Help:  "The name of a device: when it does not answer, all behind it is out of reach, and not down.",
	},
	{
		Key:   domain.SettingLeaveAlone,
		Title: "Addresses to leave alone",
		Help:  "No sweep for this part of the tree asks them. Networks, ranges and addresses, with commas between.",
	},
}

// Settings returns what holds at a place, with where it comes from.
func (s *Service) Settings(ctx context.Context, who access.Actor, place domain.ID) ([]Setting, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRun)
	if err != nil {
		return nil, err
	}
	if _, err := seen.Places.One(ctx, place); err != nil {
		return nil, err
	}
	return s.settings(ctx, who, place)
}

func (s *Service) settings(ctx context.Context, who access.Actor, place domain.ID) ([]Setting, error) {
	tree, err := s.setTree(ctx, &s.store.Areas, who)
	if err != nil {
		return nil, err
	}
	out := make([]Setting, len(kinds))
	for i, k := range kinds {
		k.Resolved = tree.Resolve(place, 0, k.Key, nil)
		k.Here = k.Set && k.Thing == inherit.Place(place)
		if k.Shown, err = s.shown(ctx, who, k.Key, k.Value); err != nil {
			return nil, err
		}
		if len(k.Replaces) > 0 {
			if k.Else, err = s.shown(ctx, who, k.Key, k.Replaces[0].Value); err != nil {
				return nil, err
			}
		}
		out[i] = k
	}
	return out, nil
}

// setTree is all that is set on the tree; places that the actor may not see have no names.
func (s *Service) setTree(ctx context.Context, from *store.Areas, who access.Actor) (inherit.Tree, error) {
	places, err := from.Places.All(ctx)
	if err != nil {
		return inherit.Tree{}, err
	}
	for i, p := range places {
		if !who.May(domain.AreaRun, domain.AccessSee, p.ID) {
			places[i].Name = "further up"
		}
	}
	overrides, err := from.Overrides.All(ctx)
	return inherit.NewTree(places, overrides), err
}

// shown is a value as people read it.
func (s *Service) shown(ctx context.Context, who access.Actor, key domain.SettingKey, value string) (string, error) {
	if key != domain.SettingGateway || value == "" {
		return value, nil
	}
	id, _ := strconv.ParseInt(value, 10, 64)
	d, err := s.store.Devices.One(ctx, id)
	if errors.Is(err, domain.ErrNotFound) || err == nil && !who.May(domain.AreaWatch, domain.AccessSee, d.PlaceID) {
		return "a device that you do not see", nil
	}
	return d.Name, err
}

// SetSetting sets something at a place; an empty value takes it away, so that what comes
// from above holds again. Errors are by the field “value”.
func (s *Service) SetSetting(ctx context.Context, who access.Actor, place domain.ID, key domain.SettingKey, typed string) error {
	return s.desk.Do(ctx, who, changeSetting, func(w *act.Work) error {
		p, err := w.Places.Lock(ctx, place)
		if err != nil {
			return w.Missing(err)
		}
		if err := w.At(place); err != nil {
			return err
		}
		before, err := s.setHere(ctx, w.Areas, place)
		if err != nil {
			return err
		}
		if err := s.keep(ctx, w, who, p, key, strings.TrimSpace(typed)); err != nil {
			return err
		}
		after, err := s.setHere(ctx, w.Areas, place)
		if err != nil {
			return err
		}
		w.Note(thing(p), before, after)
		s.takenUp(w, key == domain.SettingGateway)
		return nil
	})
}

func (s *Service) keep(ctx context.Context, w *act.Work, who access.Actor, p domain.Place, key domain.SettingKey, typed string) error {
	o := domain.Override{PlaceID: p.ID, Key: key}
	var refers domain.ID
	switch key {
	case domain.SettingGateway:
		if typed == "" {
			return w.Overrides.Unset(ctx, o)
		}
		d, err := w.Devices.Named(ctx, p.ID, typed)
		if errors.Is(err, domain.ErrNotFound) || err == nil && !who.May(domain.AreaWatch, domain.AccessSee, d.PlaceID) {
			return domain.FieldErrors{"value": "There is no device of this name."}
		}
		if err != nil {
			return err
		}
		o.Value, refers = strconv.FormatInt(d.ID, 10), d.ID
	case domain.SettingLeaveAlone:
		if typed == "" {
			return w.Overrides.Unset(ctx, o)
		}
		set, err := ranges.Read(typed)
		if err != nil {
			return domain.FieldErrors{"value": text.UpperFirst(err.Error()) + "."}
		}
		if len(set.Ranges()) == 0 {
			return domain.FieldErrors{"value": "Name at least one address."}
		}
		o.Value = typed
	default:
		return domain.FieldErrors{"value": fmt.Sprintf("There is no setting %q.", string(key))}
	}
	return w.Overrides.Set(ctx, o, refers)
}

// setHere is what is set at a place itself, as it is noted.
func (s *Service) setHere(ctx context.Context, from *store.Areas, place domain.ID) (map[domain.SettingKey]string, error) {
	all, err := from.Overrides.All(ctx)
	out := map[domain.SettingKey]string{}
	for _, o := range all {
		if o.PlaceID == place {
			out[o.Key] = o.Value
		}
	}
	return out, err
}

// undoSetting is how a setting of a place is set back.
func (s *Service) undoSetting() act.Undoing {
	return act.Undoing{
		Present: func(ctx context.Context, who access.Actor, id domain.ID) (any, error) {
			if _, err := s.One(ctx, who, id); err != nil {
				return nil, err
			}
			return s.setHere(ctx, &s.store.Areas, id)
		},
		Put: func(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
			shall, err := act.Read[map[domain.SettingKey]string](document)
			if err != nil {
				return err
			}
			is, err := s.setHere(ctx, &s.store.Areas, id)
			if err != nil {
				return err
			}
			for _, k := range kinds {
				if shall[k.Key] == is[k.Key] {
					continue
				}
				name, err := s.shown(ctx, who, k.Key, shall[k.Key])
				if err != nil {
					return err
				}
				if err := s.SetSetting(ctx, who, id, k.Key, name); err != nil {
					return err
				}
			}
			return nil
		},
	}
}
