// Package store keeps everything in PostgreSQL, through GORM.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store/samples"
)

//go:embed migrations/*.sql
var migrationFiles embed.FS

// Store is the database. It is safe for concurrent use.
type Store struct {
	db   *gorm.DB
	sql  *sql.DB
	pool *pgxpool.Pool
	keys *Vault
	// words are the texts that were seen last.
	words *lastWords
	// Samples are the values of all series.
	Samples *samples.Store
}

// maxConnections bounds what one process takes of the server.
const maxConnections = 16

// Open connects; it does not migrate.
func Open(ctx context.Context, url string, keys *Vault) (*Store, error) {
	cfg, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, errors.New("the database URL cannot be read") // the cause may show the password
	}
	cfg.MaxConns = maxConnections
	cfg.ConnConfig.RuntimeParams["timezone"] = "UTC"
	cfg.ConnConfig.RuntimeParams["application_name"] = "tireless-owl"
	pool, err := pgxpool.NewWithConfig(ctx, cfg)
	if err != nil {
		return nil, fmt.Errorf("connect: %w", err)
	}
	db := stdlib.OpenDBFromPool(pool)
	g, err := gorm.Open(postgres.New(postgres.Config{Conn: db}), &gorm.Config{
		Logger: logger.Discard, SkipDefaultTransaction: true, TranslateError: true,
		NowFunc: func() time.Time { return time.Now().UTC() },
	})
	if err != nil {
		pool.Close()
		return nil, fmt.Errorf("connect: %w", err)
	}
	s := &Store{db: g, sql: db, pool: pool, keys: keys, words: &lastWords{of: map[int64]lastWord{}}}
	s.Samples = samples.New(pool, s.plans)
	return s, nil
}

// Close gives all connections back.
func (s *Store) Close() {
	s.sql.Close()
	s.pool.Close()
}

// Pool gives the connections to libraries that need them.
func (s *Store) Pool() *pgxpool.Pool { return s.pool }

// Ping tells whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return s.pool.Ping(ctx) }

func (s *Store) provider() (*goose.Provider, error) {
	files, err := fs.Sub(migrationFiles, "migrations")
	if err != nil {
		return nil, err
	}
	return goose.NewProvider(goose.DialectPostgres, s.sql, files)
}

// Migrate brings the schema to the newest version and returns it.
func (s *Store) Migrate(ctx context.Context) (int64, error) {
	p, err := s.provider()
	if err != nil {
		return 0, err
	}
	if _, err := p.Up(ctx); err != nil {
		return 0, fmt.Errorf("migrate: %w", err)
	}
	return p.GetDBVersion(ctx)
}

// MigrateTo brings the schema up or down to one version, for tests of migrations.
func (s *Store) MigrateTo(ctx context.Context, version int64) error {
	p, err := s.provider()
	if err != nil {
		return err
	}
	now, err := p.GetDBVersion(ctx)
	if err == nil && now > version {
		_, err = p.DownTo(ctx, version)
	} else if err == nil {
		_, err = p.UpTo(ctx, version)
	}
	return err
}

// Wipe removes everything, for a fresh start of the demo.
func (s *Store) Wipe(ctx context.Context) error {
	_, err := s.pool.Exec(ctx, "DROP SCHEMA public CASCADE; CREATE SCHEMA public")
	return err
}

// InTx runs f within one transaction.
func (s *Store) InTx(ctx context.Context, f func(*Store) error) error {
	return s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		inner := *s
		inner.db = tx
		return f(&inner)
	})
}

func (s *Store) q(ctx context.Context) *gorm.DB { return s.db.WithContext(ctx) }

// known turns the database's errors into those of the domain.
func known(err error) error {
	switch {
	case errors.Is(err, gorm.ErrRecordNotFound):
		return domain.ErrNotFound
	case errors.Is(err, gorm.ErrDuplicatedKey):
		return fmt.Errorf("%w: %w", domain.ErrConflict, err)
	}
	return err
}

// must tells of a change that hit no row.
func must(res *gorm.DB) error {
	if res.Error == nil && res.RowsAffected == 0 {
		return domain.ErrNotFound
	}
	return known(res.Error)
}

// null is an id where zero means none.
func null(id domain.ID) *int64 {
	if id == 0 {
		return nil
	}
	return &id
}

func orZero(id *int64) domain.ID {
	if id == nil {
		return 0
	}
	return *id
}

// moment is a time where the zero time means none.
func moment(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func orNever(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return t.UTC()
}

// Setting returns a stored value; empty when it was never set.
func (s *Store) Setting(ctx context.Context, key string) (string, error) {
	var value []string
	err := s.q(ctx).Table("settings").Where("key = ?", key).Pluck("value", &value).Error
	if err != nil || len(value) == 0 {
		return "", err
	}
	return value[0], nil
}

// SetSetting stores a value.
func (s *Store) SetSetting(ctx context.Context, key, value string) error {
	return s.q(ctx).Exec("INSERT INTO settings (key, value) VALUES (?, ?) ON CONFLICT (key) DO UPDATE SET value = excluded.value", key, value).Error
}
