// Package localpg runs a private PostgreSQL server on loopback from the
// programs that the system's package installed.
package localpg

import (
	"cmp"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"sync"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// ErrNotInstalled: the programs of the server are not on this machine.
var ErrNotInstalled = errors.New("PostgreSQL is not installed (package postgresql)")

// Server is a private server. It is kept running: when its process ends, it is
// started again, with growing pauses, until Stop.
type Server struct {
	URL string

	bin, dir, data string
	port           int
	opt            Options
	mu             sync.Mutex
	pid            int
	// ended is closed when the process has ended; nil for one that is not our child.
	ended chan struct{}
	// ours tells that Stop ends the server.
	ours     bool
	stopping chan struct{}
	stopOnce sync.Once
	watching sync.WaitGroup
	status   string
}

// Options change how the server runs.
type Options struct {
	// Adopt takes over a server that was left running (its owner was killed),
	// so that Stop ends it, too. The caller makes sure that it is the only one.
	Adopt bool
	// Throwaway trades durability for speed, for tests only; the server ends
	// with this process, however that ends.
	Throwaway bool
	// Host and Port are where it listens; 127.0.0.1 and a free port where they are not set.
	Host string
	Port int
	// CopyOf is a server that a new cluster is copied from, to follow it as its standby (streaming replication).
	CopyOf *Server
	// Settings are further ones of the server, as name=value.
	Settings []string
	// Log receives a line for each phase; may be nil.
	Log func(string)
}

// Start makes a cluster in dir unless there is one, and runs it on a free
// port of 127.0.0.1. A server that runs there already is used, and waited for
// as long as it lives: it may be slow, or recover from a crash.
func Start(ctx context.Context, dir string, opt Options) (*Server, error) {
	if opt.Log == nil {
		opt.Log = func(string) {}
	}
	opt.Host = cmp.Or(opt.Host, "127.0.0.1")
	bin, err := programs()
	if err != nil {
		return nil, err
	}
	dir, err = filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	dir = reachable(dir)
	s := &Server{bin: bin, dir: dir, data: filepath.Join(dir, "data"), opt: opt, stopping: make(chan struct{})}
	password, err := prepare(ctx, bin, dir, s.data, opt)
	if err != nil {
		return nil, err
	}
	if s.pid, s.port = running(s.data); alive(s.pid, s.data) && s.port > 0 {
		s.URL, s.ours = address(password, opt.Host, s.port), opt.Adopt
		opt.Log("using the database server that is running")
		err = s.ready(ctx)
		if err == nil || ctx.Err() != nil {
			s.supervise()
			return s, err
		}
		opt.Log("it ended") // while we waited
	}
	if s.port = opt.Port; s.port == 0 {
		if s.port, err = freePort(); err != nil {
			return nil, err
		}
	}
	s.URL, s.ours = address(password, opt.Host, s.port), true
	if err := s.launch(); err != nil {
		return nil, err
	}
	if err := s.ready(ctx); err != nil {
		s.Stop()
		return nil, fmt.Errorf("the database server did not become ready, see %s: %w", s.logFile(), err)
	}
	s.supervise()
	return s, nil
}

// reachable returns the folder itself, or, where the server's own user could
// not get through to it (a folder below root's home), one below /var/lib.
func reachable(dir string) string {
	if _, _, other := serverUser(); !other {
		return dir
	}
	for at := filepath.Dir(dir); at != "/"; at = filepath.Dir(at) {
		if info, err := os.Stat(at); err == nil && info.Mode().Perm()&0o001 == 0 {
			return filepath.Join("/var/lib", fmt.Sprintf("tireless-owl-%x", sha256.Sum256([]byte(dir)))[:29])
		}
	}
	return dir
}

func (s *Server) logFile() string { return filepath.Join(s.dir, "server.log") }

// largestLog is from which size on the log begins anew; one old one is kept.
const largestLog = 4 << 20

func (s *Server) openLog() (*os.File, error) {
	if info, err := os.Stat(s.logFile()); err == nil && info.Size() > largestLog {
		_ = os.Rename(s.logFile(), s.logFile()+".1")
	}
	return os.OpenFile(s.logFile(), os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o600)
}

// launch starts the process.
func (s *Server) launch() error {
	log, err := s.openLog()
	if err != nil {
		return err
	}
	defer log.Close()
	// At the minimal level a crash takes numbers back that were given in a table made
	// in the same transaction.
	args := []string{"-D", s.data, "-p", strconv.Itoa(s.port), "-c", "listen_addresses=" + s.opt.Host, "-c", "unix_socket_directories=",
		"-c", "shared_buffers=256MB", "-c", "max_wal_size=4GB", "-c", "checkpoint_timeout=15min", "-c", "wal_level=replica", "-c",
		"max_wal_senders=0",
		"-c", "maintenance_work_mem=128MB", "-c", "random_page_cost=1.1", "-c", "log_timezone=UTC", "-c", "timezone=UTC", "-c", "jit=off"}
	if s.opt.Throwaway {
		args = append(
			args,
			"-c",
			"fsync=off",
			"-c",
			"synchronous_commit=off",
			"-c",
			"full_page_writes=off",
			"-c",
			"shared_buffers=64MB",
			"-c",
			"max_connections=60",
		)
	}
	for _, setting := range s.opt.Settings { // the last one counts
		args = append(args, "-c", setting)
	}
	cmd := exec.Command(filepath.Join(s.bin, "postgres"), args...)
	cmd.Stdout, cmd.Stderr, cmd.Dir = log, log, "/"
	// A group of its own: Ctrl-C must reach us only, so that we can flush first.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Credential: credential()}
	if s.opt.Throwaway {
		cmd.SysProcAttr.Pdeathsig = syscall.SIGINT
	}
	ended, err := spawn(cmd)
	if err != nil {
		return fmt.Errorf("start the database server: %w", err)
	}
	s.mu.Lock()
	s.pid, s.ended = cmd.Process.Pid, ended
	s.mu.Unlock()
	return nil
}

// How long one try to connect may take, and how often it is told that the server
// is not ready yet.
const (
	connectLimit = 2 * time.Second
	tellEvery    = 5 * time.Second
)

// ready waits until the server answers, as long as it lives.
func (s *Server) ready(ctx context.Context) error {
	told := time.Now()
	for {
		err := s.connect(ctx)
		if err == nil {
			return nil
		}
		if !s.lives() {
			return fmt.Errorf("it ended: %w", err)
		}
		if time.Since(told) > tellEvery {
			told = time.Now()
			s.opt.Log("the database server runs and is not ready yet: " + err.Error())
		}
		select {
		case <-s.stopping:
			return errors.New("it is being stopped")
		case <-ctx.Done():
			return err
		case <-time.After(50 * time.Millisecond):
		}
	}
}

func (s *Server) connect(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, connectLimit)
	defer cancel()
	conn, err := pgx.Connect(ctx, s.URL)
	if err != nil {
		return err
	}
	return conn.Close(ctx)
}
