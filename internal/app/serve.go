package app

import (
	"context"
	"log/slog"

	"tirelessowl/internal/config"
)

// Serve runs the application for real devices until the context ends.
func Serve(ctx context.Context, c config.Config, log *slog.Logger) error {
	s, closeStore, err := Database(ctx, c, true, func(text string) { log.Info(text) })
	if err != nil {
		return err
	}
	defer closeStore()
	a, err := New(c, s, log)
	if err != nil {
		return err
	}
	defer a.Stop()
	if err := a.Start(ctx, nil); err != nil {
		return err
	}
	if n, err := s.Users.Count(ctx); err == nil && n == 0 {
		log.Warn("nobody can sign in yet: make the first user with “owl user add”")
	}
	log.Info("ready", "url", c.URL)
	<-ctx.Done()
	log.Info("stopping")
	return nil
}
