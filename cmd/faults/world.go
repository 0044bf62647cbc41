package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/netip"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"tirelessowl/internal/sim"
)

const (
	base    = "127.66.0.0"
	listen  = "127.0.0.1:18491"
	simPort = "16066"
)

// The application promises to end within longestStop. A start that takes longer than
// longestStart will not come, on the busiest machine.
const (
	longestStop  = 10 * time.Second
	longestStart = 60 * time.Second
)

// world is the estate and the application, each a process of its own.
type world struct {
	program, dir string
	mounted      bool
	estate, owl  *exec.Cmd
	log          *os.File
	mu           sync.Mutex
	kills        []span // from a kill, or a stop, to the next start that was ready
	offsets      []offset
	stops        []time.Duration
	starts       []time.Duration
}

// span is a time, and whether it began with a kill.
type span struct {
	from, to time.Time
	killed   bool
}

// offset is by how much the application's clock is off since a time.
type offset struct {
	since time.Time
	by    time.Duration
}

func newWorld(ctx context.Context, program string) (*world, error) {
	dir, err := os.MkdirTemp("", "owl-faults-")
	if err != nil {
		return nil, err
	}
	w := &world{program: program, dir: dir, offsets: []offset{{}}}
	if err := os.Chmod(dir, 0o755); err != nil {
		return nil, err
	}
	// A disk of its own, which can be filled; without the right to mount one, that
	// fault is left out.
	if os.Geteuid() == 0 {
		w.mounted = syscall.Mount("faults", dir, "tmpfs", 0, "size=900m,mode=755") == nil
	}
	w.log, err = os.Create(dir + ".log")
	return w, err
}

func (w *world) close(keep bool) {
	for _, p := range []*exec.Cmd{w.owl, w.estate} {
		if p != nil {
			_ = p.Process.Signal(syscall.SIGTERM)
			_, _ = p.Process.Wait()
		}
	}
	w.log.Close()
	if keep {
		fmt.Println("kept:", w.dir, w.dir+".log")
		return
	}
	if w.mounted {
		_ = syscall.Unmount(w.dir, syscall.MNT_DETACH)
	}
	_ = os.RemoveAll(w.dir)
	_ = os.Remove(w.dir + ".log")
}

func (w *world) path(name string) string { return filepath.Join(w.dir, name) }

func (w *world) command(args ...string) *exec.Cmd {
	cmd := exec.Command(w.program, args...)
	cmd.Env = append(
		os.Environ(),
		"OWL_DATA_DIR="+w.path("data"),
		"OWL_LISTEN="+listen,
		"OWL_DEMO_BASE="+base,
		"OWL_DEMO_PORT="+simPort,
		"OWL_CLOCK_FILE="+w.path("clock"),
		"OWL_ALLOW_ADDRESSES=127.0.0.0/8",
	)
	cmd.Stdout, cmd.Stderr = w.log, w.log
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGTERM}
	return cmd
}

// prepare loads the demo world once, and then runs the estate apart, so that it
// lives on when the application is killed.
func (w *world) prepare(ctx context.Context) error {
	fmt.Println("loading the demo world")
	demo := w.command("demo")
	if err := demo.Start(); err != nil {
		return err
	}
	if err := ready(ctx, 3*time.Minute); err != nil {
		return err
	}
	if err := demo.Process.Signal(syscall.SIGTERM); err != nil {
		return err
	}
	if err := demo.Wait(); err != nil {
		return fmt.Errorf("the demo: %w", err)
	}
	w.estate = w.command("sim", "--origin", time.Now().UTC().Format(time.RFC3339))
	return w.estate.Start()
}

// ready waits until the application says so.
func ready(ctx context.Context, patience time.Duration) error {
	for began := time.Now(); time.Since(began) < patience; time.Sleep(20 * time.Millisecond) {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if status, _ := get(ctx, "http://"+listen+"/readyz", ""); status == http.StatusOK {
			return nil
		}
	}
	_, said := get(ctx, "http://"+listen+"/readyz", "")
	return errors.New("it is not ready: " + strings.TrimSpace(said))
}

func get(ctx context.Context, url, accept string) (status int, body string) {
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, url, nil)
	if err != nil {
		return 0, err.Error()
	}
	req.Header.Set("Accept", accept)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return 0, err.Error()
	}
	defer res.Body.Close()
	text, _ := io.ReadAll(res.Body)
	return res.StatusCode, string(text)
}

// patience is how long the world may take to answer us, where the machine is busy.
const patience = time.Minute

// insist gets what the world tells, which is there but may be slow.
func insist(ctx context.Context, url, accept string) string {
	for began := time.Now(); ; {
		status, body := get(ctx, url, accept)
		if status == http.StatusOK || time.Since(began) > patience || pause(ctx, time.Second) != nil {
			return body
		}
	}
}

// start runs the application until it listens; while the database is broken it
// need not be ready.
func (w *world) start(ctx context.Context) error {
	began := time.Now()
	w.owl = w.command("serve")
	if err := w.owl.Start(); err != nil {
		return err
	}
	for ; ; time.Sleep(10 * time.Millisecond) {
		if status, _ := get(ctx, "http://"+listen+"/healthz", ""); status == http.StatusOK {
			break
		}
		if err := syscall.Kill(w.owl.Process.Pid, 0); err != nil || ended(w.owl) {
			return errors.New("the start failed, see the log")
		}
		if took := time.Since(began); took > longestStart {
			return fmt.Errorf("the start takes longer than %s", longestStart)
		}
	}
	now := time.Now()
	w.mu.Lock()
	defer w.mu.Unlock()
	w.starts = append(w.starts, now.Sub(began))
	if n := len(w.kills); n > 0 && w.kills[n-1].to.IsZero() {
		w.kills[n-1].to = now
	}
	return nil
}

// ended tells whether a child is a zombie (proc(5)).
func ended(p *exec.Cmd) bool {
	stat, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", p.Process.Pid))
	return err != nil || strings.Contains(string(stat), ") Z ")
}

// kill ends the application as a lost machine does.
func (w *world) kill() {
	w.down(true)
	_ = w.owl.Process.Kill()
	_ = w.owl.Wait()
}

// stop ends the application in order, and tells when that takes too long.
func (w *world) stop() error {
	w.down(false)
	began := time.Now()
	_ = w.owl.Process.Signal(syscall.SIGTERM)
	done := make(chan error, 1)
	go func() { done <- w.owl.Wait() }()
	select {
	case err := <-done:
		w.stops = append(w.stops, time.Since(began))
		return err
	case <-time.After(2 * longestStop):
		_ = w.owl.Process.Kill()
		<-done
		w.stops = append(w.stops, time.Since(began))
		return fmt.Errorf("it did not stop within %s", 2*longestStop)
	}
}

func (w *world) down(killed bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.kills = append(w.kills, span{from: time.Now(), killed: killed})
}

// setClock sets the application's clock off by a time.
func (w *world) setClock(by time.Duration) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.offsets = append(w.offsets, offset{time.Now(), by})
	return os.WriteFile(w.path("clock"), []byte(fmt.Sprint(by.Seconds())), 0o600)
}

// server returns the process and the address of the database server.
func (w *world) server() (pid int, url string, err error) {
	dir := w.path("data/postgres")
	text, err := os.ReadFile(filepath.Join(dir, "data/postmaster.pid"))
	if err != nil {
		return 0, "", err
	}
	password, err := os.ReadFile(filepath.Join(dir, "password"))
	if err != nil {
		return 0, "", err
	}
	lines := strings.Split(string(text), "\n")
	if len(lines) < 4 {
		return 0, "", errors.New("the database server is just starting")
	}
	pid, err = strconv.Atoi(lines[0])
	return pid, fmt.Sprintf("postgres://owl:%s@127.0.0.1:%s/", strings.TrimSpace(string(password)), lines[3]), err
}

func controlURL() string { return sim.ControlURL(netip.MustParseAddr(base)) }
func mailURL() string    { return sim.MailURL(netip.MustParseAddr(base)) }
