package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"syscall"
	"time"
)

const (
	listen = "127.0.0.1:8495"
	base   = "127.85.0.0"
	at     = "http://" + listen
)

// world is a demo that is attacked.
type world struct {
	program string
	dir     string
	log     *os.File
	owl     *exec.Cmd
	token   string
	person  *http.Client // somebody who is signed in, and only looks
}

func newWorld(ctx context.Context, program string) (*world, error) {
	dir, err := os.MkdirTemp("", "owl-attack-")
	if err != nil {
		return nil, err
	}
	w := &world{program: program, dir: dir}
	if err := os.Chmod(dir, 0o755); err != nil { // the private database runs as another user
		return nil, err
	}
	if w.log, err = os.Create(dir + ".log"); err != nil {
		return nil, err
	}
	if err := w.start(ctx); err != nil {
		w.close()
		return nil, fmt.Errorf("%w; see %s.log", err, dir)
	}
	return w, nil
}

func (w *world) command(args ...string) *exec.Cmd {
	cmd := exec.Command(w.program, args...)
	cmd.Env = append(os.Environ(), "OWL_DATA_DIR="+filepath.Join(w.dir, "data"), "OWL_LISTEN="+listen, "OWL_DEMO_BASE="+base)
	cmd.Stderr = w.log
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGTERM}
	return cmd
}

// start loads the demo and waits until it answers, for programs and for a person.
func (w *world) start(ctx context.Context) error {
	w.owl = w.command("demo")
	w.owl.Stdout = w.log
	if err := w.owl.Start(); err != nil {
		return err
	}
	if err := until(ctx, 3*time.Minute, func() bool { return status(ctx, http.DefaultClient, at+"/readyz") == http.StatusOK }); err != nil {
		return err
	}
	said, err := w.command("token", "create", "--name", "attack", "--level", "administer").Output()
	if err != nil {
		return fmt.Errorf("a token: %w", err)
	}
	if w.token = regexp.MustCompile(`owl_\w+`).FindString(string(said)); w.token == "" {
		return errors.New("no token was made")
	}
	w.person, err = signedIn(ctx)
	return err
}

// signedIn is a browser of somebody of the demo.
func signedIn(ctx context.Context) (*http.Client, error) {
	jar, err := cookiejar.New(nil)
	if err != nil {
		return nil, err
	}
	c := &http.Client{Jar: jar, Timeout: 10 * time.Second, Transport: &http.Transport{MaxIdleConnsPerHost: 4}}
	form := url.Values{"name": {"marek"}, "password": {"night-watch"}}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, at+"/signin", strings.NewReader(form.Encode()))
	if err != nil {
		return nil, err
	}
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	res, err := c.Do(req)
	if err != nil {
		return nil, err
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusOK || res.Request.URL.Path == "/signin" {
		return nil, fmt.Errorf("nobody could sign in: %d", res.StatusCode)
	}
	return c, nil
}

func (w *world) close() {
	if w.owl != nil && w.owl.Process != nil {
		_ = w.owl.Process.Signal(syscall.SIGTERM)
		_ = w.owl.Wait()
	}
	_ = w.log.Close()
	_ = os.RemoveAll(w.dir)
}

// status is that of an answer; zero where none came.
func status(ctx context.Context, c *http.Client, address string) int {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return 0
	}
	res, err := c.Do(req)
	if err != nil {
		return 0
	}
	defer res.Body.Close()
	_, _ = io.Copy(io.Discard, res.Body)
	return res.StatusCode
}

func until(ctx context.Context, patience time.Duration, is func() bool) error {
	for end := time.Now().Add(patience); time.Now().Before(end); time.Sleep(50 * time.Millisecond) {
		if is() {
			return nil
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
	}
	return errors.New("it does not answer")
}

// memory is what the application takes now, and forgetPeak lets mostMemory begin anew
// (proc(5): VmRSS, VmHWM and clear_refs).
func (w *world) memory() int64     { return w.proc("VmRSS") }
func (w *world) mostMemory() int64 { return w.proc("VmHWM") }

func (w *world) forgetPeak() error {
	return os.WriteFile(fmt.Sprintf("/proc/%d/clear_refs", w.owl.Process.Pid), []byte("5"), 0)
}

func (w *world) proc(field string) int64 {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", w.owl.Process.Pid))
	if err != nil {
		return 0
	}
	for line := range strings.Lines(string(text)) {
		if value, ok := strings.CutPrefix(line, field+":"); ok {
			kilobytes, _ := strconv.ParseInt(strings.Fields(value)[0], 10, 64)
			return kilobytes << 10
		}
	}
	return 0
}
