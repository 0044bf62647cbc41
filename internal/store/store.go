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

	"github.com/jackc/pgx/v5"
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
	Areas
	sql  *sql.DB
	pool *pgxpool.Pool
	keys *Vault
	// Samples are the values of all series; Values reads them for people.
	Samples *samples.Store
	Values  Values
	Words   *Words
	Sizes   Sizes
	// Vigil knows whether the database is there.
	Vigil    *Vigil
	standing *standing
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
	cfg.ConnConfig.Tracer = tracer{}
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
	s := &Store{Areas: areasOf(g, keys), sql: db, pool: pool, keys: keys, standing: &standing{}}
	s.Samples = samples.New(pool, s.Keeps.plans)
	s.Words = newWords(s.area)
	s.Values = Values{s.area, s.Samples, s.Words}
	s.Sizes = Sizes{s.area, s.Samples}
	s.Vigil = newVigil(cfg.ConnConfig)
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
	if err := s.realign(ctx); err != nil {
		return 0, fmt.Errorf("migrate: %w", err)
	}
	if _, err := p.Up(ctx); err != nil {
		return 0, fmt.Errorf("migrate: %w", err)
	}
	return p.GetDBVersion(ctx)
}

// realign lets no sequence give a number that a row has already. A server at the
// minimal level of wal_level, which the first releases ran, takes numbers back when
// it crashes.
func (s *Store) realign(ctx context.Context) error {
	rows, err := s.pool.Query(
		ctx,
		`SELECT quote_ident(table_name), quote_ident(column_name), pg_get_serial_sequence(quote_ident(table_name), column_name)
		FROM information_schema.columns WHERE table_schema = current_schema() AND is_identity = 'YES'`,
	)
	if err != nil {
		return err
	}
	type identity struct{ Table, Column, Sequence string }
	all, err := pgx.CollectRows(rows, pgx.RowToStructByPos[identity])
	if err != nil {
		return err
	}
	for _, x := range all {
		_, err := s.pool.Exec(ctx, fmt.Sprintf(`SELECT setval('%s', given.most) FROM (SELECT max(%s) AS most FROM %s) given, %s s
			WHERE given.most > s.last_value OR given.most = s.last_value AND NOT s.is_called`, x.Sequence, x.Column, x.Table, x.Sequence))
		if err != nil {
			return err
		}
	}
	return nil
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

// InTx runs f within one transaction. What f reaches is within it.
func (s *Store) InTx(ctx context.Context, f func(*Areas) error) error {
	return s.q(ctx).Transaction(func(tx *gorm.DB) error {
		inner := areasOf(tx, s.keys)
		return f(&inner)
	})
}

// Attempt runs a part of a transaction: what f does is taken back where it fails, and the transaction goes on.
func (a *Areas) Attempt(ctx context.Context, f func() error) error {
	const name = "attempt"
	if err := a.q(ctx).Exec("SAVEPOINT " + name).Error; err != nil {
		return err
	}
	if err := f(); err != nil {
		return errors.Join(err, a.q(ctx).Exec("ROLLBACK TO SAVEPOINT "+name).Error)
	}
	return a.q(ctx).Exec("RELEASE SAVEPOINT " + name).Error
}

// ForgetSeries drops what is in memory of series that were deleted.
func (s *Store) ForgetSeries(series []domain.ID) {
	s.Samples.Forget(series)
	s.Words.forget(series)
}
