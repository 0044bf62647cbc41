// Package localpg runs a private PostgreSQL server on loopback from the
// programs that the system's package installed.
package localpg

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"sort"
	"strconv"
	"strings"
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
		s.URL, s.ours = address(password, s.port), opt.Adopt
		opt.Log("using the database server that is running")
		err = s.ready(ctx)
		if err == nil || ctx.Err() != nil {
			s.supervise()
			return s, err
		}
		opt.Log("it ended") // while we waited
	}
	if s.port, err = freePort(); err != nil {
		return nil, err
	}
	s.URL, s.ours = address(password, s.port), true
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
	args := []string{"-D", s.data, "-p", strconv.Itoa(s.port), "-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories=",
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

// spawn starts the process and waits for its end, both on a thread that is
// kept: the kernel sends the death signal when the thread that started ends.
func spawn(cmd *exec.Cmd) (ended chan struct{}, err error) {
	started := make(chan error)
	ended = make(chan struct{})
	go func() {
		runtime.LockOSThread()
		err := cmd.Start()
		started <- err
		if err == nil {
			_ = cmd.Wait()
			close(ended)
		}
	}()
	return ended, <-started
}

// How long a stop waits for a shutdown in order, then for one at once; whoever
// does not end by then is killed. The server recovers at its next start.
const (
	fastLimit      = 3 * time.Second
	immediateLimit = time.Second
	killLimit      = time.Second
)

// Stop ends the server; it may be called twice. A server that was found running
// is left alone unless it was adopted.
func (s *Server) Stop() {
	if s == nil {
		return
	}
	s.stopOnce.Do(func() {
		close(s.stopping)
		s.watching.Wait()
		if !s.ours || !s.lives() {
			return
		}
		all := family(s.pid)            // before it ends: those that it leaves behind are nobody's
		signal(syscall.SIGCONT, all...) // what stands still hears nothing
		for _, step := range []struct {
			signal  syscall.Signal
			whom    []int
			patient time.Duration
		}{{syscall.SIGINT, []int{s.pid}, fastLimit}, {syscall.SIGQUIT, []int{s.pid}, immediateLimit}, {syscall.SIGKILL, all, killLimit}} {
			signal(step.signal, step.whom...)
			if s.gone(step.patient) {
				return
			}
		}
	})
}

func signal(what syscall.Signal, whom ...int) {
	for _, pid := range whom {
		_ = syscall.Kill(pid, what)
	}
}

// family is a process and its children, each of which has a session of its own.
func family(pid int) []int {
	all := []int{pid}
	stats, _ := filepath.Glob("/proc/[0-9]*/stat")
	for _, path := range stats {
		text, err := os.ReadFile(path)
		if err != nil {
			continue // it has ended
		}
		// Behind the name in brackets stand the state and the parent (proc(5)).
		fields := strings.Fields(string(text[strings.LastIndexByte(string(text), ')')+1:]))
		if len(fields) > 1 && fields[1] == strconv.Itoa(pid) {
			child, _ := strconv.Atoi(filepath.Base(filepath.Dir(path)))
			all = append(all, child)
		}
	}
	return all
}

// lives tells whether the process is there.
func (s *Server) lives() bool {
	s.mu.Lock()
	pid, ended := s.pid, s.ended
	s.mu.Unlock()
	if ended == nil {
		return alive(pid, s.data)
	}
	select {
	case <-ended:
		return false
	default:
		return pid > 0
	}
}

// gone waits until the process has ended.
func (s *Server) gone(patience time.Duration) bool {
	for began := time.Now(); s.lives(); time.Sleep(10 * time.Millisecond) {
		if time.Since(began) > patience {
			return false
		}
	}
	return true
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

// prepare makes the cluster once and returns its password.
func prepare(ctx context.Context, bin, dir, data string, opt Options) (string, error) {
	secret := filepath.Join(dir, "password")
	if text, err := os.ReadFile(secret); err == nil {
		if _, err := os.Stat(filepath.Join(data, "PG_VERSION")); err == nil {
			return strings.TrimSpace(string(text)), nil
		}
	}
	opt.Log("making a private database cluster")
	if err := os.MkdirAll(filepath.Dir(dir), ThroughOnly()); err != nil {
		return "", err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", err
	}
	password := rand.Text()
	if err := os.WriteFile(secret, []byte(password+"\n"), 0o600); err != nil {
		return "", err
	}
	if err := own(dir, secret); err != nil {
		return "", err
	}
	cmd := exec.CommandContext(ctx, filepath.Join(bin, "initdb"), "-D", data, "-U", "owl", "--pwfile", secret,
		"--auth", "scram-sha-256", "--encoding", "UTF8", "--locale", "C.UTF-8", "--no-sync")
	cmd.Dir = "/"
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Credential: credential()}
	if out, err := cmd.CombinedOutput(); err != nil {
		return "", fmt.Errorf("initdb: %w: %s", err, out)
	}
	return password, nil
}

func address(password string, port int) string {
	return fmt.Sprintf("postgres://owl:%s@127.0.0.1:%d/postgres?sslmode=disable", password, port)
}

// running returns process and port of a server that uses the cluster, or zeros.
func running(data string) (pid, port int) {
	text, err := os.ReadFile(filepath.Join(data, "postmaster.pid"))
	if err != nil {
		return 0, 0
	}
	lines := strings.Split(string(text), "\n")
	if len(lines) < 4 {
		return 0, 0
	}
	pid, _ = strconv.Atoi(lines[0])
	port, _ = strconv.Atoi(lines[3])
	return pid, port
}

// alive tells whether a process is a server of the cluster: its number may be
// another's by now.
func alive(pid int, data string) bool {
	if pid <= 0 || syscall.Kill(pid, 0) == syscall.ESRCH {
		return false
	}
	line, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
	return err != nil || strings.Contains(string(line), data)
}

// programs finds the newest installed server.
func programs() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	if len(found) == 0 {
		if path, err := exec.LookPath("postgres"); err == nil {
			return filepath.Dir(path), nil
		}
		return "", ErrNotInstalled
	}
	version := func(path string) int {
		n, _ := strconv.Atoi(filepath.Base(filepath.Dir(filepath.Dir(path))))
		return n
	}
	sort.Slice(found, func(i, j int) bool { return version(found[i]) > version(found[j]) })
	return filepath.Dir(found[0]), nil
}

// credential is the user that the server runs as: it refuses root, so root
// uses the user that the package made. Others use their own rights.
func credential() *syscall.Credential {
	uid, gid, ok := serverUser()
	if !ok {
		return nil
	}
	return &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
}

func serverUser() (uid, gid int, ok bool) {
	if os.Geteuid() != 0 {
		return 0, 0, false
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return 0, 0, false
	}
	uid, _ = strconv.Atoi(u.Uid)
	gid, _ = strconv.Atoi(u.Gid)
	return uid, gid, true
}

// ThroughOnly is the mode of folders above the cluster: readable by their owner alone, and
// such that the server's own user gets through where that is another one.
func ThroughOnly() os.FileMode {
	if _, _, ok := serverUser(); ok {
		return 0o711
	}
	return 0o700
}

func own(paths ...string) error {
	uid, gid, ok := serverUser()
	if !ok {
		return nil
	}
	for _, p := range paths {
		if err := os.Chown(p, uid, gid); err != nil {
			return err
		}
	}
	return nil
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}
