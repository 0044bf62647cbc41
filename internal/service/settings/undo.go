package settings

import (
	"context"
	"encoding/json"
	"maps"
	"slices"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// Undoing is how what was set is set back, by deed.
func (s *Service) Undoing() map[string]act.Undoing {
	return map[string]act.Undoing{
		changeAtPlace.Name:  s.undoing(inherit.Place),
		boundPlace.Name:     s.undoing(inherit.Place),
		changeKits.Name:     s.undoing(inherit.Place),
		changeAtDevice.Name: s.undoing(inherit.Device),
		changeAtPart.Name:   s.undoing(inherit.Part),
	}
}

func (s *Service) undoing(thing func(domain.ID) inherit.Thing) act.Undoing {
	return act.Undoing{
		Present: func(ctx context.Context, who access.Actor, id domain.ID) (any, error) {
			all, err := s.Of(ctx, who, thing(id))
			out := map[domain.SettingKey]string{}
			for _, x := range all {
				if x.Here {
					out[x.Key] = x.Value
				}
			}
			return out, err
		},
		Put: func(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
			shall, err := act.Read[map[domain.SettingKey]string](document)
			if err != nil {
				return err
			}
			return s.put(ctx, who, thing(id), shall)
		},
	}
}

// put sets back what is not as it shall be.
func (s *Service) put(ctx context.Context, who access.Actor, at inherit.Thing, shall map[domain.SettingKey]string) error {
	all, err := s.Of(ctx, who, at)
	if err != nil {
		return err
	}
	is := map[domain.SettingKey]string{}
	for _, x := range all {
		if is[x.Key] = ""; x.Here {
			is[x.Key] = x.Value
		}
	}
	for key := range shall {
		if _, there := is[key]; !there {
			is[key] = "" // what is set nowhere now
		}
	}
	for _, key := range slices.Sorted(maps.Keys(is)) {
		if is[key] == shall[key] {
			continue
		}
		t := Typed{At: at, Key: key, Value: shall[key]}
		if t.Value, err = s.typed(ctx, who, key, t.Value); err != nil {
			return err
		}
		if err := s.Set(ctx, who, t); err != nil {
			return err
		}
	}
	return nil
}

// typed is a value as people would type it.
func (s *Service) typed(ctx context.Context, who access.Actor, key domain.SettingKey, value string) (string, error) {
	if key == domain.SettingGateway {
		return s.deviceNamed(ctx, who, value)
	}
	return value, nil
}
