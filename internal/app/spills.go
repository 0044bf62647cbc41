package app

import (
	"log/slog"
	"os"
	"path/filepath"

	"tirelessowl/internal/engine"
	"tirelessowl/internal/store/spill"
)

// What the files may take that stand in for the database while it is away, and
// what they take from the disk beforehand.
const (
	spillLimit   = 128 << 20
	spillReserve = 8 << 20
)

// spillFiles opens the files of the engine. Where the disk has no room to reserve,
// they are used without.
func spillFiles(dir string, log *slog.Logger) (f engine.Files, err error) {
	dir = filepath.Join(dir, "spill")
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return f, err
	}
	f.Looks = filepath.Join(dir, "looks")
	for name, file := range map[string]**spill.File{"collected": &f.Aside, "judged": &f.Judged, "sent": &f.Sent} {
		var short error
		if *file, short, err = spill.Open(filepath.Join(dir, name), spill.Options{Limit: spillLimit, Reserve: spillReserve}); err != nil {
			return f, err
		}
		if short != nil {
			log.Warn("no room could be reserved for the time when the database is away", "file", name, "error", short)
		}
	}
	return f, nil
}
