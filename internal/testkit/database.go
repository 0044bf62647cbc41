// Package testkit is what tests share: a real database, a fake clock.
package testkit

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/localpg"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
)

var (
	server *localpg.Server
	count  atomic.Int64
)

const template = "owl_template"

// Main runs a package's tests with a throw-away database server; call it
// from TestMain.
func Main(m *testing.M) {
	os.Exit(run(m))
}

func run(m *testing.M) int {
	dir, err := os.MkdirTemp("", "owl-test-")
	if err != nil {
		panic(err)
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o755); err != nil { // the server's own user must get through
		panic(err)
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	server, err = localpg.Start(ctx, filepath.Join(dir, "pg"), localpg.Options{Throwaway: true})
	if err != nil {
		panic(err)
	}
	defer server.Stop()
	if err := makeTemplate(ctx, dir); err != nil {
		panic(err)
	}
	return m.Run()
}

func makeTemplate(ctx context.Context, dir string) error {
	if err := admin(ctx, "CREATE DATABASE "+template); err != nil {
		return err
	}
	keys, err := store.OpenVault(filepath.Join(dir, "key"))
	if err != nil {
		return err
	}
	s, err := store.Open(ctx, in(template), keys)
	if err != nil {
		return err
	}
	defer s.Close()
	_, err = s.Migrate(ctx)
	return err
}

func admin(ctx context.Context, sql string) error {
	conn, err := pgx.Connect(ctx, server.URL)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, sql)
	return err
}

func in(database string) string {
	u, err := url.Parse(server.URL)
	if err != nil {
		panic(err)
	}
	u.Path = "/" + database
	return u.String()
}

// URL makes a new database with the newest schema and returns where it is.
func URL(t testing.TB) string { return newDatabase(t, " TEMPLATE "+template) }

// EmptyURL makes a new database without any table.
func EmptyURL(t testing.TB) string { return newDatabase(t, "") }

func newDatabase(t testing.TB, options string) string {
	t.Helper()
	name := fmt.Sprintf("owl_%d", count.Add(1))
	require.NoError(t, admin(context.Background(), "CREATE DATABASE "+name+options))
	t.Cleanup(func() { _ = admin(context.Background(), "DROP DATABASE IF EXISTS "+name+" WITH (FORCE)") })
	return in(name)
}

// Store opens a new database with the newest schema, and takes samples.
func Store(t testing.TB) *store.Store {
	s := OpenStore(t, URL(t))
	require.NoError(t, s.Samples.Start(context.Background(), samples.Options{}))
	t.Cleanup(s.Samples.Stop)
	return s
}

// OpenStore opens the database at a URL.
func OpenStore(t testing.TB, url string) *store.Store {
	t.Helper()
	keys, err := store.OpenVault(filepath.Join(t.TempDir(), "key"))
	require.NoError(t, err)
	s, err := store.Open(context.Background(), url, keys)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s
}

// Away takes the database of a store away, as if its server had ended, until
// back is called.
func Away(t testing.TB, s *store.Store) (back func()) {
	t.Helper()
	name := s.Pool().Config().ConnConfig.Database
	allow := func(yes bool) {
		require.NoError(t, admin(context.Background(), fmt.Sprintf("ALTER DATABASE %s ALLOW_CONNECTIONS %t", name, yes)))
	}
	allow(false)
	require.NoError(t, admin(context.Background(), "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = '"+name+"'"))
	return sync.OnceFunc(func() { allow(true) })
}
