package settings

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// kind is something that can be set, described.
type kind struct {
	key         domain.SettingKey
	title, help string
	// deed is what changing it is, where that is more than to configure a place.
	deed *act.Deed
	// ofDevices is true for what can be set at devices, too.
	ofDevices bool
	// ofParts is true for what is set at parts alone.
	ofParts bool
	// reloads is true for what changes how devices are collected from.
	reloads bool
	// read makes a value of what was typed, with the device that it names, if any.
	read func(ctx context.Context, from *store.Areas, who access.Actor, x site, typed string) (value string, device domain.ID, err error)
	// shown is a value as people read it.
	shown func(ctx context.Context, who access.Actor, value string) (string, error)
	// choices are what it can be; nil where anything may be typed.
	choices func(ctx context.Context, who access.Actor) ([]Choice, error)
	// holds refuses what was set, once it is clear for which devices it holds; nil for
	// what always may.
	holds func(ctx context.Context, w *act.Work, a affected, typed domain.Secrets) error
	// after refuses what was set, seen by all that is below it; nil for what always may.
	after func(ctx context.Context, from *store.Areas, who access.Actor, x site) error
	// effect says in words what would change where it holds.
	effect func(ctx context.Context, a affected, trace *why.Trace) error
}

// kinds are all of them: one for each way that takes credentials, too.
func (s *Service) kinds() []kind {
	out := []kind{s.gateway(), s.leaveAlone(), s.talkTo(), s.stretch(), s.hours(), s.keepRows(), s.collected()}
	for _, w := range s.kits.Ways {
		if len(w.Credentials) > 0 {
			out = append(out, s.credential(w))
		}
	}
	return out
}

// kind is the one of a key that can be set at a thing.
func (s *Service) kind(ctx context.Context, key domain.SettingKey, x site) (kind, bool) {
	if set, ok := key.OfKit(); ok && x.Part == 0 {
		k, there := s.ofKit(ctx, set)
		return k, there && k.at(x)
	}
	for _, k := range s.kinds() {
		if k.key == key && k.at(x) {
			return k, true
		}
	}
	return kind{}, false
}

// asItIs is a value that people read as it is stored.
func asItIs(_ context.Context, _ access.Actor, value string) (string, error) { return value, nil }

func (s *Service) gateway() kind {
	return kind{
		key:     domain.SettingGateway,
		title:   "Reached through",
		help:    "The name of a device: when it does not answer, all behind it is out of reach, and not down.",
		reloads: true,
		read: func(ctx context.Context, from *store.Areas, who access.Actor, x site, typed string) (string, domain.ID, error) {
			d, err := from.Devices.Named(ctx, x.Place, typed)
			if errors.Is(err, domain.ErrNotFound) || err == nil && !who.May(domain.AreaWatch, domain.AccessSee, d.Spot()) {
				return "", 0, domain.FieldErrors{"value": "There is no device of this name."}
			}
			return strconv.FormatInt(d.ID, 10), d.ID, err
		},
		shown:  s.deviceNamed,
		effect: s.gatewayEffect,
	}
}

// deviceNamed is the name of the device whose id is a value.
func (s *Service) deviceNamed(ctx context.Context, who access.Actor, value string) (string, error) {
	if value == "" {
		return "", nil
	}
	id, _ := strconv.ParseInt(value, 10, 64)
	d, err := s.desk.Whole(ctx).Devices.One(ctx, id)
	if errors.Is(err, domain.ErrNotFound) || err == nil && !who.May(domain.AreaWatch, domain.AccessSee, d.Spot()) {
		return "a device that you do not see", nil
	}
	return d.Name, err
}

func (s *Service) leaveAlone() kind {
	return kind{
		key:    domain.SettingLeaveAlone,
		title:  "Addresses to leave alone",
		help:   "No sweep for this part of the tree asks them. Networks, ranges and addresses, with commas between.",
		shown:  asItIs,
		read:   readRanges,
		effect: s.leaveAloneEffect,
	}
}

func readRanges(_ context.Context, _ *store.Areas, _ access.Actor, _ site, typed string) (string, domain.ID, error) {
	set, err := ranges.Read(typed)
	if err != nil {
		return "", 0, domain.FieldErrors{"value": text.UpperFirst(err.Error()) + "."}
	}
	if len(set.Ranges()) == 0 {
		return "", 0, domain.FieldErrors{"value": "Name at least one address."}
	}
	return typed, 0, nil
}

func (s *Service) stretch() kind {
	return kind{
		key:       domain.SettingStretch,
		title:     "Intervals of collecting",
		help:      "By how much the intervals of its kits are stretched: 2 asks half as often, 0.5 twice as often.",
		ofDevices: true,
		reloads:   true,
		read: func(_ context.Context, _ *store.Areas, _ access.Actor, _ site, typed string) (string, domain.ID, error) {
			stretch, err := cadence.ReadStretch(strings.TrimSpace(strings.TrimPrefix(typed, "×")))
			if err != nil {
				return "", 0, domain.FieldErrors{"value": text.UpperFirst(err.Error()) + "."}
			}
			return strconv.FormatFloat(stretch, 'g', -1, 64), 0, nil
		},
		shown: func(_ context.Context, _ access.Actor, value string) (string, error) {
			if value == "" {
				return "", nil
			}
			return fmt.Sprintf("× %s", value), nil
		},
		effect: s.stretchEffect,
	}
}
