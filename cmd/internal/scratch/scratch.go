// Package scratch gives benchmarks a database of their own.
package scratch

import (
	"context"
	"os"
	"path/filepath"

	"tirelessowl/internal/localpg"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
)

// Database starts a private server with durable settings, as in earnest. open
// connects to it; stop ends it and removes its files.
func Database(ctx context.Context) (open func() (*store.Store, error), stop func(), err error) {
	dir, err := os.MkdirTemp("", "owl-bench-")
	if err != nil {
		return nil, nil, err
	}
	remove := func() { _ = os.RemoveAll(dir) }
	if err := os.Chmod(dir, 0o755); err != nil { // the server's own user must get through
		remove()
		return nil, nil, err
	}
	server, err := localpg.Start(ctx, filepath.Join(dir, "pg"), localpg.Options{})
	if err != nil {
		remove()
		return nil, nil, err
	}
	stop = func() { server.Stop(); remove() }
	keys, err := store.OpenVault(filepath.Join(dir, "key"))
	if err != nil {
		stop()
		return nil, nil, err
	}
	return func() (*store.Store, error) { return store.Open(ctx, server.URL, keys) }, stop, nil
}

// Store is a store on such a server, with the newest tables, that takes samples; stop ends
// both.
func Store(ctx context.Context) (s *store.Store, stop func(), err error) {
	open, stopDatabase, err := Database(ctx)
	if err != nil {
		return nil, nil, err
	}
	if s, err = open(); err != nil {
		stopDatabase()
		return nil, nil, err
	}
	end := func() { s.Close(); stopDatabase() }
	if _, err = s.Migrate(ctx); err == nil {
		err = s.Samples.Start(ctx, samples.Options{})
	}
	if err != nil {
		end()
		return nil, nil, err
	}
	return s, func() { s.Samples.Stop(); end() }, nil
}
