package respond

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/channel"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// ChannelKinds are the kinds of channels that can be made.
func (s *Service) ChannelKinds() channel.Kinds { return s.kinds }

var (
	addChannel  = act.Deed{Name: "add a channel", Area: domain.AreaRun, Needs: domain.AccessConfigure}
	saveChannel = act.Deed{Name: "change a channel", Area: domain.AreaRun, Needs: domain.AccessConfigure}
	tryChannel  = act.Deed{Name: "try a channel", Area: domain.AreaRun, Needs: domain.AccessConfigure}
)

func channelThing(c domain.Channel) act.Thing {
	return act.Thing{Kind: "channel", ID: c.ID, Name: c.Name}
}

// Channels returns all channels, without their secrets.
func (s *Service) Channels(ctx context.Context, who access.Actor) ([]domain.Channel, error) {
	seen, err := s.desk.SeeWhole(ctx, who, domain.AreaRun)
	if err != nil {
		return nil, err
	}
	return seen.Channels.All(ctx)
}

// Channel returns one channel with its kind, or ErrNotFound.
func (s *Service) Channel(ctx context.Context, who access.Actor, id domain.ID) (domain.Channel, channel.Kind, error) {
	seen, err := s.desk.SeeWhole(ctx, who, domain.AreaRun)
	if err != nil {
		return domain.Channel{}, channel.Kind{}, err
	}
	c, _, err := seen.Channels.One(ctx, id)
	if err != nil {
		return c, channel.Kind{}, err
	}
	return c, s.kindOf(c), nil
}

func (s *Service) kindOf(c domain.Channel) channel.Kind {
	if kind, ok := s.kinds.Of(c.Kind); ok {
		return kind
	}
	return channel.Kind{Name: c.Kind, Title: c.Kind}
}

// AddChannel makes a channel of a kind with the usual settings, to be filled in.
func (s *Service) AddChannel(ctx context.Context, who access.Actor, kind string) (made domain.Channel, err error) {
	err = s.desk.Do(ctx, who, addChannel, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		have, err := w.Channels.All(ctx)
		if err != nil {
			return err
		}
		c, err := s.usual(kind, have)
		if err != nil {
			return err
		}
		if made, err = w.Channels.Save(ctx, c, nil); err != nil {
			return err
		}
		w.Note(channelThing(made), nil, made)
		return nil
	})
	return made, err
}

// usual is a channel of a kind as it begins.
func (s *Service) usual(kind string, have []domain.Channel) (domain.Channel, error) {
	k, ok := s.kinds.Of(kind)
	if !ok {
		return domain.Channel{}, domain.ErrNotFound
	}
	c := domain.Channel{Kind: kind, Name: k.Title, Settings: map[string]string{}}
	for n := 2; slices.ContainsFunc(have, func(x domain.Channel) bool { return x.Name == c.Name }); n++ {
		c.Name = fmt.Sprintf("%s %d", k.Title, n)
	}
	for _, f := range field.Open(k.Settings) {
		if f.Default != "" {
			c.Settings[f.Name] = f.Default
		}
	}
	return c, nil
}

// SaveChannel changes the settings of a channel; the errors are by field. A
// secret that is left empty stays what it is, unless it would be sent
// somewhere else then: it must be typed again. It is ErrChanged where the channel has
// another version, but zero.
func (s *Service) SaveChannel(ctx context.Context, who access.Actor, id domain.ID, version int, values map[string]string) error {
	return s.desk.Do(ctx, who, saveChannel, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		old, _, err := w.Channels.One(ctx, id)
		if err != nil {
			return err
		}
		if version != 0 && version != old.Version {
			return domain.ErrChanged
		}
		c, secrets, errs := typed(old, s.kindOf(old), values)
		if err := errs.OrNil(); err != nil {
			return err
		}
		saved, err := w.Channels.Save(ctx, c, secrets)
		if err != nil {
			return err
		}
		w.Note(channelThing(saved), old, saved)
		return nil
	})
}

// typed puts into a channel what was typed, with the secrets that are new.
func typed(c domain.Channel, kind channel.Kind, values map[string]string) (domain.Channel, domain.Secrets, domain.FieldErrors) {
	open, secrets := map[string]string{}, domain.Secrets{}
	for _, f := range kind.Settings {
		if f.Kind == field.Secret {
			secrets[f.Name] = domain.Secret(values[f.Name])
		} else {
			open[f.Name] = values[f.Name]
		}
	}
	clean, errs := field.Check(field.Open(kind.Settings), open)
	moved := slices.ContainsFunc(kind.Settings, func(f field.Field) bool { return f.Destination && c.Settings[f.Name] != clean[f.Name] })
	for _, f := range field.Secrets(kind.Settings) {
		typed, stored := secrets[f.Name] != "", slices.Contains(c.Secrets, f.Name)
		if problem := f.Problem(secrets[f.Name].Reveal()); problem != "" && (typed || !stored) {
			errs[f.Name] = problem
		}
		if moved && stored && !typed {
			errs[f.Name] = "Type it again: where it is sent has changed."
		}
	}
	c.Settings = clean
	return c, secrets, errs
}

// tryPatience bounds the trial of a channel.
const tryPatience = 20 * time.Second

// TryChannel tries a channel as it is stored and says how it went.
func (s *Service) TryChannel(ctx context.Context, who access.Actor, id domain.ID, to string) (string, error) {
	var c domain.Channel
	var secrets domain.Secrets
	err := s.desk.Do(ctx, who, tryChannel, func(w *act.Work) (err error) {
		if err := w.Whole(); err != nil {
			return err
		}
		c, secrets, err = w.Channels.One(ctx, id)
		return err
	})
	if err != nil {
		return "", err
	}
	kind, _ := s.kinds.Of(c.Kind)
	if to = strings.TrimSpace(to); kind.Recipient != nil {
		if problem := kind.Recipient.Problem(to); problem != "" {
			return "", domain.FieldErrors{"to": problem}
		}
	}
	ctx, cancel := context.WithTimeout(ctx, tryPatience)
	defer cancel()
	return s.tryer.Try(ctx, c.Kind, channel.Opened{Settings: c.Settings, Secrets: secrets}, to)
}
