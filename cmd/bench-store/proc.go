package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"
)

// databaseCPU adds up the processor time of the database server and of all
// its processes that live; 0 where /proc does not tell.
func (b *bench) databaseCPU(ctx context.Context) time.Duration {
	var pid int
	if err := b.db.Pool().QueryRow(ctx, "SELECT pg_backend_pid()").Scan(&pid); err != nil {
		return 0
	}
	parent := field(pid, 4)
	if parent == 0 {
		return 0
	}
	files, _ := filepath.Glob("/proc/[0-9]*/stat")
	ticks := 0
	for _, f := range files {
		n, _ := strconv.Atoi(filepath.Base(filepath.Dir(f)))
		if n == parent || field(n, 4) == parent {
			// Fields 14 to 17: user and system time, own and of children that ended.
			ticks += field(n, 14) + field(n, 15) + field(n, 16) + field(n, 17)
		}
	}
	return time.Duration(ticks) * 10 * time.Millisecond
}

// field reads a numbered field of /proc/PID/stat (proc(5)).
func field(pid, n int) int {
	data, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return 0
	}
	_, rest, _ := strings.Cut(string(data), ") ")
	parts := strings.Fields(rest)
	if n-3 >= len(parts) {
		return 0
	}
	v, _ := strconv.Atoi(parts[n-3])
	return v
}
