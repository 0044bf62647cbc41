package localpg

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// folder is one that the server's own user can get through to.
func folder(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "owl-pg-")
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o755))
	t.Cleanup(func() { os.RemoveAll(dir) })
	return filepath.Join(dir, "pg")
}

func answers(t *testing.T, s *Server) bool {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), s.URL)
	if err != nil {
		return false
	}
	return conn.Close(t.Context()) == nil
}

func TestStartStopAndStartAgain(t *testing.T) {
	dir := folder(t)
	var said []string
	opt := Options{Throwaway: true, Log: func(text string) { said = append(said, text) }}
	s, err := Start(t.Context(), dir, opt)
	require.NoError(t, err)
	assert.True(t, answers(t, s))
	assert.Len(t, said, 1, "the cluster is made once")

	beside, err := Start(t.Context(), dir, Options{})
	require.NoError(t, err)
	beside.Stop()
	assert.True(t, answers(t, s), "a command beside it does not end it")
	s.Stop()
	s.Stop()
	assert.False(t, answers(t, s))

	s, err = Start(t.Context(), dir, opt)
	require.NoError(t, err)
	assert.Len(t, said, 1)
	s.stopOnce.Do(func() { close(s.stopping) }) // its owner is killed
	heir, err := Start(t.Context(), dir, Options{Adopt: true})
	require.NoError(t, err)
	heir.Stop()
	assert.False(t, answers(t, s), "an adopted server ends with its heir")
	s.Stop()
}

// A test that panics runs no deferred function and must leave no server.
func TestAThrowawayServerEndsWithItsOwner(t *testing.T) {
	if dir := os.Getenv("OWL_TEST_PANICS_IN"); dir != "" {
		_, err := Start(t.Context(), dir, Options{Throwaway: true})
		require.NoError(t, err)
		panic("as a test does")
	}
	dir := folder(t)
	owner := exec.Command(os.Args[0], "-test.run", "^TestAThrowawayServerEndsWithItsOwner$")
	owner.Env = append(os.Environ(), "OWL_TEST_PANICS_IN="+dir)
	out, err := owner.CombinedOutput()
	require.Error(t, err)
	require.Contains(t, string(out), "as a test does")
	require.Eventually(t, func() bool {
		pid, _ := running(filepath.Join(dir, "data"))
		return pid == 0 // it removes its file when it has ended in order
	}, 20*time.Second, 20*time.Millisecond)
}

func TestRunningReadsThePidFile(t *testing.T) {
	dir := t.TempDir()
	pid, port := running(dir)
	assert.Zero(t, pid+port)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "postmaster.pid"), []byte("77\n/data\n1700000000\n5433\n"), 0o600))
	pid, port = running(dir)
	assert.Equal(t, []int{77, 5433}, []int{pid, port})
}

func start(t *testing.T, dir string, opt Options) *Server {
	t.Helper()
	s, err := Start(t.Context(), dir, opt)
	require.NoError(t, err)
	t.Cleanup(s.Stop)
	return s
}

// A server that ends, for whatever reason, comes back at the same address.
func TestAServerThatEndsIsStartedAgain(t *testing.T) {
	s := start(t, folder(t), Options{Throwaway: true})
	url := s.URL
	for range 2 {
		first := s.process()
		require.NoError(t, syscall.Kill(first, syscall.SIGKILL))
		require.Eventually(t, func() bool { return s.process() != first && answers(t, s) }, 30*time.Second, 20*time.Millisecond)
		require.Eventually(t, func() bool { return s.Status() == "" }, 5*time.Second, 10*time.Millisecond)
	}
	assert.Equal(t, url, s.URL)
	s.Stop()
	assert.False(t, answers(t, s), "our own stop is final")
}

// A server that cannot start is tried again, and what is the matter is told,
// until it can.
func TestAServerThatCannotStartIsTriedAgain(t *testing.T) {
	s := start(t, folder(t), Options{Throwaway: true})
	control := filepath.Join(s.data, "global", "pg_control")
	require.NoError(t, os.Rename(control, control+".away"))
	first := s.process()
	require.NoError(t, syscall.Kill(first, syscall.SIGKILL))
	require.Eventually(t, func() bool { return s.process() != first && strings.Contains(s.Status(), "again in") }, 30*time.Second, 5*time.Millisecond)
	require.NoError(t, os.Rename(control+".away", control))
	require.Eventually(t, func() bool { return answers(t, s) && s.Status() == "" }, 30*time.Second, 20*time.Millisecond)
}

// A server that lives and is slow is waited for: there is no second one, and its
// log goes on. One that stands still is stopped all the same.
func TestASlowServerIsWaitedFor(t *testing.T) {
	dir := folder(t)
	s := start(t, dir, Options{Throwaway: true})
	pid := s.process()
	before, err := os.ReadFile(s.logFile())
	require.NoError(t, err)
	require.NotEmpty(t, before)
	require.NoError(t, syscall.Kill(pid, syscall.SIGSTOP))
	mended := time.AfterFunc(3*time.Second, func() { _ = syscall.Kill(pid, syscall.SIGCONT) })
	defer mended.Stop()
	beside := start(t, dir, Options{})
	assert.Equal(t, pid, beside.process())
	assert.Equal(t, s.URL, beside.URL)
	after, err := os.ReadFile(s.logFile())
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(string(after), string(before)), "what it said is kept")
	beside.Stop()

	require.Greater(t, len(family(pid)), 3)
	signal(syscall.SIGSTOP, family(pid)...)
	began := time.Now()
	s.Stop()
	assert.Less(t, time.Since(began), fastLimit+immediateLimit+killLimit+2*time.Second)
	assert.False(t, alive(pid, s.data))
	start(t, dir, Options{Throwaway: true}) // and nothing stands in the way of the next start
}

// process is the number of the server's process.
func (s *Server) process() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.pid
}
