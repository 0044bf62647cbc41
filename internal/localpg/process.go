package localpg

import (
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"syscall"
	"time"
)

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
