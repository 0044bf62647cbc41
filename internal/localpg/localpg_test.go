package localpg

import (
	"os"
	"os/exec"
	"path/filepath"
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
