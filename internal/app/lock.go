package app

import (
	"fmt"
	"os"
	"path/filepath"
	"syscall"

	"tirelessowl/internal/localpg"
)

// readableByOthers tells of a folder that was not made by us.
func readableByOthers(dir string) bool {
	info, err := os.Stat(dir)
	return err == nil && info.Mode().Perm()&0o066 != 0
}

// lock makes sure that one process only runs the application on a folder. The
// kernel gives the lock back when the process ends, however it ends.
func lock(dir string) (unlock func(), err error) {
	if err := os.MkdirAll(dir, localpg.ThroughOnly()); err != nil {
		return nil, err
	}
	f, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		return nil, fmt.Errorf("another owl runs on the folder %s: stop it, or choose another OWL_DATA_DIR", dir)
	}
	return func() { f.Close() }, nil
}
