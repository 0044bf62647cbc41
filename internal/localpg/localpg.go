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
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// ErrNotInstalled: the programs of the server are not on this machine.
var ErrNotInstalled = errors.New("PostgreSQL is not installed (package postgresql)")

// Server is a running private server.
type Server struct {
	URL string
	cmd *exec.Cmd
	// adopted is the process of a server that was found running; 0 for none.
	adopted int
	// ended is closed when the server's process has ended.
	ended chan struct{}
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
// port of 127.0.0.1. A server that was left running there is used as it is.
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
	data := filepath.Join(dir, "data")
	password, err := prepare(ctx, bin, dir, data, opt)
	if err != nil {
		return nil, err
	}
	if pid, port := running(data); port > 0 {
		s := &Server{URL: address(password, port)}
		if s.ready(ctx, time.Second) == nil {
			opt.Log("using the database server that is running")
			if opt.Adopt {
				s.adopted = pid
			}
			return s, nil
		}
	}
	return launch(ctx, bin, dir, data, password, opt)
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

func launch(ctx context.Context, bin, dir, data, password string, opt Options) (*Server, error) {
	port, err := freePort()
	if err != nil {
		return nil, err
	}
	log, err := os.OpenFile(filepath.Join(dir, "server.log"), os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return nil, err
	}
	defer log.Close()
	args := []string{"-D", data, "-p", strconv.Itoa(port), "-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories=",
		"-c", "shared_buffers=256MB", "-c", "max_wal_size=4GB", "-c", "checkpoint_timeout=15min", "-c", "wal_level=minimal", "-c", "max_wal_senders=0",
		"-c", "maintenance_work_mem=128MB", "-c", "random_page_cost=1.1", "-c", "log_timezone=UTC", "-c", "timezone=UTC", "-c", "jit=off"}
	if opt.Throwaway {
		args = append(args, "-c", "fsync=off", "-c", "synchronous_commit=off", "-c", "full_page_writes=off", "-c", "shared_buffers=64MB", "-c", "max_connections=60")
	}
	cmd := exec.Command(filepath.Join(bin, "postgres"), args...)
	cmd.Stdout, cmd.Stderr, cmd.Dir = log, log, "/"
	// A group of its own: Ctrl-C must reach us only, so that we can flush first.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Credential: credential()}
	if opt.Throwaway {
		cmd.SysProcAttr.Pdeathsig = syscall.SIGINT
	}
	s := &Server{URL: address(password, port), cmd: cmd, ended: make(chan struct{})}
	if err := s.spawn(); err != nil {
		return nil, fmt.Errorf("start the database server: %w", err)
	}
	if err := s.ready(ctx, 30*time.Second); err != nil {
		s.Stop()
		return nil, fmt.Errorf("the database server did not become ready, see %s: %w", log.Name(), err)
	}
	return s, nil
}

// spawn starts the process and waits for its end, both on a thread that is
// kept: the kernel sends the death signal when the thread that started ends.
func (s *Server) spawn() error {
	started := make(chan error)
	go func() {
		runtime.LockOSThread()
		err := s.cmd.Start()
		started <- err
		if err == nil {
			_ = s.cmd.Wait()
			close(s.ended)
		}
	}()
	return <-started
}

// Stop ends the server, waiting for a clean shutdown; it may be called twice.
// A server that was found running is left alone unless it was adopted.
func (s *Server) Stop() {
	if s == nil || s.cmd == nil {
		if s != nil && s.adopted > 0 {
			s.stopAdopted()
		}
		return
	}
	_ = s.cmd.Process.Signal(syscall.SIGINT) // fast shutdown
	select {
	case <-s.ended:
	case <-time.After(20 * time.Second):
		_ = s.cmd.Process.Signal(syscall.SIGQUIT)
		<-s.ended
	}
}

// stopAdopted ends a server that is not our child.
func (s *Server) stopAdopted() {
	_ = syscall.Kill(s.adopted, syscall.SIGINT)
	for start := time.Now(); time.Since(start) < 20*time.Second && syscall.Kill(s.adopted, 0) == nil; {
		time.Sleep(50 * time.Millisecond)
	}
	s.adopted = 0
}

func (s *Server) ready(ctx context.Context, patience time.Duration) error {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	for {
		conn, err := pgx.Connect(ctx, s.URL)
		if err == nil {
			return conn.Close(ctx)
		}
		select {
		case <-s.ended: // nil for a server that we found running: never ready here
			return errors.New("it ended")
		case <-ctx.Done():
			return err
		case <-time.After(50 * time.Millisecond):
		}
	}
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
	if err := os.MkdirAll(dir, 0o755); err != nil {
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
