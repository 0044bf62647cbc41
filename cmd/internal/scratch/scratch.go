// Package scratch gives benchmarks a database of their own.
package scratch

import (
	"context"
	"os"
	"path/filepath"

	"tirelessowl/internal/localpg"
	"tirelessowl/internal/store"
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
