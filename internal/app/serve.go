package app

import (
	"context"
	"fmt"
	"log/slog"
	"time"

	"tirelessowl/internal/config"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/access"
)

// Serve runs the application for real devices until the context ends.
func Serve(ctx context.Context, c config.Config, log *slog.Logger) error {
	s, closeStore, err := Database(ctx, c, true, func(text string) { log.Info(text) })
	if err != nil {
		return err
	}
	defer closeStore()
	a, err := New(c, s, nil, log)
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

// CreateToken makes a key for the API and prints it.
func CreateToken(ctx context.Context, c config.Config, name, level string) error {
	return withAccess(ctx, c, func(svc *access.Service) error {
		token, err := svc.CreateToken(ctx, name, domain.Access(level))
		if err != nil {
			return err
		}
		fmt.Println(token.Reveal())
		return nil
	})
}

// AddUser stores a person who may sign in.
func AddUser(ctx context.Context, c config.Config, name, display, level string, password domain.Secret) error {
	return withAccess(ctx, c, func(svc *access.Service) error {
		return svc.AddUser(ctx, domain.User{Name: name, Display: display, Level: domain.Access(level)}, password)
	})
}

func withAccess(ctx context.Context, c config.Config, f func(*access.Service) error) error {
	s, closeStore, err := Database(ctx, c, false, func(string) {})
	if err != nil {
		return err
	}
	defer closeStore()
	return f(access.New(s, time.Now))
}
