package respond

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/channel"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/domain"
)

// ChannelKinds are the kinds of channels that can be made.
func (s *Service) ChannelKinds() channel.Kinds { return s.kinds }

// Channels returns all channels, without their secrets.
func (s *Service) Channels(ctx context.Context) ([]domain.Channel, error) {
	return s.store.Channels.All(ctx)
}

// Channel returns one channel with its kind, or ErrNotFound.
func (s *Service) Channel(ctx context.Context, id domain.ID) (domain.Channel, channel.Kind, error) {
	c, _, err := s.store.Channels.One(ctx, id)
	if err != nil {
		return c, channel.Kind{}, err
	}
	kind, ok := s.kinds.Of(c.Kind)
	if !ok {
		kind = channel.Kind{Name: c.Kind, Title: c.Kind}
	}
	return c, kind, nil
}

// AddChannel makes a channel of a kind with the usual settings, to be filled in.
func (s *Service) AddChannel(ctx context.Context, kind string) (domain.Channel, error) {
	k, ok := s.kinds.Of(kind)
	if !ok {
		return domain.Channel{}, domain.ErrNotFound
	}
	have, err := s.store.Channels.All(ctx)
	if err != nil {
		return domain.Channel{}, err
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
	return s.store.Channels.Save(ctx, c, nil)
}

// SaveChannel changes the settings of a channel; the errors are by field. A
// secret that is left empty stays what it is, unless it would be sent
// somewhere else then: it must be typed again.
func (s *Service) SaveChannel(ctx context.Context, id domain.ID, values map[string]string) error {
	c, kind, err := s.Channel(ctx, id)
	if err != nil {
		return err
	}
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
	if len(errs) > 0 {
		return errs
	}
	c.Settings = clean
	_, err = s.store.Channels.Save(ctx, c, secrets)
	return err
}

// tryPatience bounds the trial of a channel.
const tryPatience = 20 * time.Second

// TryChannel tries a channel as it is stored and says how it went.
func (s *Service) TryChannel(ctx context.Context, id domain.ID, to string) (string, error) {
	c, secrets, err := s.store.Channels.One(ctx, id)
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
