package app

import (
	"context"
	"fmt"
	"log/slog"
	"time"

	"tirelessowl/internal/config"
	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/people"
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
	return withPeople(ctx, c, func(svc *people.Service) error {
		_, key, err := svc.MakeToken(
			ctx,
			access.Itself("owl token create"),
			domain.Token{Name: name, Grant: domain.Grant{Level: domain.Access(level)}},
		)
		if err != nil {
			return err
		}
		fmt.Println(key.Reveal())
		return nil
	})
}

// AddUser stores a person who may sign in.
func AddUser(ctx context.Context, c config.Config, name, display, level string, password domain.Secret) error {
	return withPeople(ctx, c, func(svc *people.Service) error {
		_, err := svc.Enrol(
			ctx,
			access.Itself("owl user add"),
			people.Draft{Name: name, Display: display, Secret: password},
			domain.Access(level),
		)
		return err
	})
}

func withPeople(ctx context.Context, c config.Config, f func(*people.Service) error) error {
	s, closeStore, err := Database(ctx, c, false, func(string) {})
	if err != nil {
		return err
	}
	defer closeStore()
	desk := act.NewDesk(s, func(domain.News) {}, slog.Default())
	return f(people.New(people.Parts{Store: s, Desk: desk, Sheets: act.NewSheets(s), Now: time.Now, URL: c.URL, Log: slog.Default()}))
}
