package app

import (
	"context"
	"fmt"
	"log/slog"

	"tirelessowl/internal/config"
	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// RotateKey seals every secret with a new key in the place of the present one. It can be
// killed at any moment: what it began is ended by the next start.
func RotateKey(ctx context.Context, c config.Config, progress func(string)) error {
	unlock, err := lock(c.DataDir) // nobody shall seal with the old one meanwhile
	if err != nil {
		return err
	}
	if err = store.BeginRotation(c.KeyFile()); err != nil {
		unlock()
		return err
	}
	unlock()
	_, stop, err := Database(ctx, c, true, progress) // which ends the rotation
	if err != nil {
		return err
	}
	stop()
	progress("the old key opens nothing any more, save in back-ups of the database that were made before")
	return nil
}

// endRotation seals everything with the next key, where there is one.
func endRotation(ctx context.Context, c config.Config, s *store.Store, keys *store.Vault, progress func(string)) error {
	if !keys.Rotating() {
		return nil
	}
	n, err := s.Reseal(ctx)
	if err != nil {
		return fmt.Errorf("the next key: %w", err)
	}
	if err := store.EndRotation(c.KeyFile()); err != nil {
		return err
	}
	entry := domain.Entry{Act: "rotate the key", Kind: "key", Reason: fmt.Sprintf("%d secrets are sealed with a new one", n)}
	act.NewDesk(s, func(domain.News) {}, slog.Default()).Record(ctx, access.Itself("the command line"), entry)
	progress(fmt.Sprintf("sealed %d secrets with the new key", n))
	return nil
}
