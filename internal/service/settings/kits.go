package settings

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/tag"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

var (
	changeKits   = act.Deed{Name: "change what is collected at a place", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	changeAtPart = act.Deed{Name: "change a setting of a part", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
)

// ofKit is the kind of a setting of a kit; ok is false where the kit has no such thing. One that is for devices with
// a tag can be set at places alone.
func (s *Service) ofKit(ctx context.Context, set domain.KitSetting) (out kind, ok bool) {
	if out, ok = s.ofWholeKit(ctx, set); ok && set.Tag != "" {
		ok = tag.Valid(set.Tag)
		out.title += ", for devices with the tag " + set.Tag
	}
	return out, ok
}

func (s *Service) ofWholeKit(ctx context.Context, set domain.KitSetting) (out kind, ok bool) {
	k, err := s.kits.CatalogueIn(ctx).Kit(set.Kit)
	if err != nil {
		return out, false
	}
	out = kind{
		key:       set.Key(),
		deed:      &changeKits,
		ofDevices: set.Tag == "",
		reloads:   true,
		shown:     asItIs,
		read: func(_ context.Context, _ *store.Areas, _ access.Actor, _ site, typed string) (string, domain.ID, error) {
			if problem := fit.ReadSetting(k, set, typed); problem != "" {
				return "", 0, domain.FieldErrors{"value": problem}
			}
			return typed, 0, nil
		},
		effect: func(ctx context.Context, a affected, trace *why.Trace) error {
			return s.kitEffect(ctx, a, k, set, trace)
		},
	}
	switched := func(context.Context, access.Actor) ([]Choice, error) {
		return []Choice{{domain.On, "collected"}, {domain.Off, "not collected"}}, nil
	}
	switch set.Sort {
	case domain.KitOn:
		out.title, out.help, out.choices = k.Title, "Off, nothing of the kit is asked.", switched
		return out, true
	case domain.SourceOn:
		_, ok = k.Source(set.Name)
		out.title, out.choices = fmt.Sprintf("Source %s of %s", set.Name, k.Title), switched
		out.help = "Off, it is not asked, and no reading is made of it."
	case domain.Every:
		_, ok = k.Source(set.Name)
		out.title = fmt.Sprintf("Interval of %s of %s", set.Name, k.Title)
		out.help = "How often it is asked, such as 90s or 5m; it is not stretched."
	case domain.ReadingOn:
		var r kit.Reading
		r, ok = k.Reading(set.Name)
		out.title, out.choices = fmt.Sprintf("%s of %s", r.Name, k.Title), switched
		out.help = "Off, the reading is not made. Its source is asked as long as another reading needs it."
	case domain.Parameter:
		i := slices.IndexFunc(k.Parameters, func(p field.Field) bool { return p.Name == set.Name })
		if ok = i >= 0; ok {
			s.ofParameter(&out, k, set, k.Parameters[i])
		}
	}
	return out, ok
}

func (s *Service) ofParameter(out *kind, k *kit.Kit, set domain.KitSetting, p field.Field) {
	out.title, out.help = fmt.Sprintf("%s of %s", p.Label, k.Title), p.Help
	out.choices = chosen(p.Choices)
	if p.Kind != field.Secret {
		return
	}
	out.help = strings.TrimSpace(out.help + " A stored secret; it goes only to the addresses that it is bound to.")
	out.shown = func(ctx context.Context, who access.Actor, value string) (string, error) {
		if id, ok := domain.ReadCredentialRef(value); ok {
			return s.credentialNamed(ctx, who, strconv.FormatInt(id, 10))
		}
		return value, nil
	}
	out.choices = func(ctx context.Context, who access.Actor) (all []Choice, err error) {
		usable, err := s.kits.UsableSecrets(ctx, s.desk.Whole(ctx), who)
		for _, c := range usable {
			all = append(all, Choice{domain.CredentialRef(c.ID), c.Name})
		}
		return all, err
	}
	readable := out.read
	out.read = func(ctx context.Context, from *store.Areas, who access.Actor, x site, typed string) (string, domain.ID, error) {
		value, device, err := readable(ctx, from, who, x, typed)
		if err != nil {
			return "", 0, err
		}
		errs, err := s.kits.AllowSecrets(ctx, from, who, k, nil, map[string]string{set.Name: value})
		if problem := errs[set.Name]; problem != "" {
			return "", 0, domain.FieldErrors{"value": problem}
		}
		return value, device, err
	}
}

func chosen(values []string) func(context.Context, access.Actor) ([]Choice, error) {
	if len(values) == 0 {
		return nil
	}
	return func(context.Context, access.Actor) (out []Choice, err error) {
		for _, v := range values {
			out = append(out, Choice{v, v})
		}
		return out, nil
	}
}

// kitEffect tells what another setting of a kit saves or costs, and what stops or begins.
func (s *Service) kitEffect(ctx context.Context, a affected, k *kit.Kit, set domain.KitSetting, trace *why.Trace) error {
	volumes, err := a.from.Fittings.Volumes(ctx, a.reach)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(volumes, func(v store.Volume) bool { return v.Kit == k.Name })
	if i < 0 {
		trace.Answer = "nothing: the kit is fitted to none of these devices"
		return nil
	}
	v := volumes[i]
	trace.Answer = "It would hold for " + text.Count(int64(v.Devices), "device") + " that the kit is fitted to"
	fitting := domain.Fitting{Kit: k.Name}
	at := a.example()
	before, err := fit.Effect(s.kits.CatalogueIn(ctx), a.tree, at, fitting)
	if err != nil {
		return err
	}
	after, err := fit.Effect(s.kits.CatalogueIn(ctx), a.tree.With(a.override), at, fitting)
	if err != nil {
		return err
	}
	mean := func(p kit.Parts) int { return (v.Parts[p.Kind] + v.Devices/2) / v.Devices }
	cost := func(e fit.Effective) kit.Cost {
		return e.Kit.Estimate(mean, s.kits.BytesPerSample(ctx)).Times(v.Devices)
	}
	was, then := cost(before), cost(after)
	trace.Because("Series, about", turned(float64(was.Series), float64(then.Series), ""), nil)
	trace.Because("Requests a minute, about", turned(was.RequestsPerMinute, then.RequestsPerMinute, ""), nil)
	trace.Because("Storage a month, about", turned(was.BytesPerMonth, then.BytesPerMonth, "B"), nil)
	return s.stops(ctx, a, before, after, trace)
}

// example is a device, or the place itself, at which it shows what a setting does.
func (a affected) example() domain.Device {
	if set, _ := a.override.Key.OfKit(); set.Tag != "" && len(a.devices) > 0 {
		return a.devices[0]
	}
	return domain.Device{ID: a.Device, PlaceID: a.Place}
}

// stops tells which readings and rules stop or begin.
func (s *Service) stops(ctx context.Context, a affected, before, after fit.Effective, trace *why.Trace) error {
	gone, come := missing(before.Kit, after.Kit), missing(after.Kit, before.Kit)
	if len(gone) > 0 {
		trace.Because(text.Count(int64(len(gone)), "reading")+" would stop; what was collected stays", text.Some(gone, mostNamed), nil)
	}
	if len(come) > 0 {
		trace.Because(text.Count(int64(len(come)), "reading")+" would begin", text.Some(come, mostNamed), nil)
	}
	if len(gone) == 0 {
		return nil
	}
	rules, err := a.from.Rules.Of(ctx, before.Whole.Name)
	if err != nil {
		return err
	}
	var names []string
	for _, r := range rules {
		_, still := after.Kit.Reading(r.Reading)
		if _, was := before.Kit.Reading(r.Reading); was && !still && r.Enabled && r.DeviceID == 0 {
			names = append(names, r.Name)
		}
	}
	if len(names) > 0 {
		trace.Because(text.Count(int64(len(names)), "rule")+" would judge nothing here; open alerts end", text.Some(names, mostNamed), nil)
	}
	return nil
}

// missing are the names of readings that one kit has and another has not.
func missing(has, not *kit.Kit) (out []string) {
	for _, r := range has.Readings {
		if _, there := not.Reading(r.Key); !there {
			out = append(out, r.Name)
		}
	}
	return out
}

// collected is whether a part is collected.
func (s *Service) collected() kind {
	return kind{
		key:     domain.SettingCollect,
		title:   "Collected",
		help:    "Off, its values are neither stored nor judged. Its device is asked as before, for the other rows.",
		ofParts: true,
		reloads: true,
		shown:   asItIs,
		choices: func(context.Context, access.Actor) ([]Choice, error) {
			return []Choice{{domain.On, "collected"}, {domain.Off, "not collected"}}, nil
		},
		read: func(_ context.Context, _ *store.Areas, _ access.Actor, _ site, typed string) (string, domain.ID, error) {
			if typed != domain.On && typed != domain.Off {
				return "", 0, domain.FieldErrors{"value": "It is on or off."}
			}
			return typed, 0, nil
		},
		effect: func(ctx context.Context, a affected, trace *why.Trace) error {
			series, err := a.from.Series.OfPart(ctx, a.Part)
			trace.Answer = text.Count(int64(len(series)), "series", "series") + " would be collected"
			if a.override.Value == domain.Off {
				trace.Answer = text.Count(int64(len(series)), "series", "series") + " would stop; what was collected stays, open alerts end"
			}
			return err
		},
	}
}

// kindsAt are the kinds that can be set at a thing: the usual ones, and of kits those that are set there or
// above it.
func (s *Service) kindsAt(ctx context.Context, tree inherit.Tree, x site) (out []kind) {
	for _, k := range s.kinds() {
		if k.at(x) {
			out = append(out, k)
		}
	}
	if x.Part != 0 {
		return out
	}
	for _, key := range tree.OfKits() {
		set, _ := key.OfKit()
		if set.Tag != "" && x.Device != 0 {
			continue // it shows in what holds for the device
		}
		if k, ok := s.ofKit(ctx, set); ok && tree.Resolve(x.Place, x.Device, key, nil).Set {
			out = append(out, k)
		}
	}
	return out
}

// at tells whether a kind can be set at a thing.
func (k kind) at(x site) bool {
	switch {
	case x.Part != 0:
		return k.ofParts
	case x.Device != 0:
		return k.ofDevices
	}
	return !k.ofParts
}
