package config

import (
	"path/filepath"
	"testing"

	"github.com/alecthomas/kong"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// load reads flags and environment as the program does.
func load(t *testing.T, env map[string]string, args ...string) (Config, error) {
	t.Helper()
	for k, v := range env {
		t.Setenv(k, v)
	}
	var cli struct {
		Config
	}
	p, err := kong.New(&cli)
	require.NoError(t, err)
	_, err = p.Parse(args)
	return cli.Config, err
}

func TestDefaults(t *testing.T) {
	c, err := load(t, nil)
	require.NoError(t, err)
	assert.Equal(t, "http://localhost:8470", c.URL)
	assert.Equal(t, 16077, c.DemoPort, "16000 + 77")
	assert.Equal(t, 90, c.KeepDays)
	assert.Equal(t, "info", c.LogLevel)
}

func TestFlagsBeatEnvironment(t *testing.T) {
	c, err := load(t, map[string]string{"OWL_LISTEN": "127.0.0.1:1", "OWL_DEMO_BASE": "127.78.0.0"}, "--listen", "0.0.0.0:9000")
	require.NoError(t, err)
	assert.Equal(t, "0.0.0.0:9000", c.Listen)
	assert.Equal(t, "http://localhost:9000", c.URL)
	assert.Equal(t, 16078, c.DemoPort)
}

func TestBadSettingsAreNamed(t *testing.T) {
	for _, bad := range []struct{ env, flag, value string }{
		{"OWL_LISTEN", "--listen", "nowhere"},
		{"OWL_DEMO_BASE", "--demo-base", "192.0.2.1"},
		{"OWL_DEMO_BASE", "--demo-base", "::1"},
		{"OWL_DEMO_BASE", "--demo-base", "loopback"},
		{"OWL_DEMO_PORT", "--demo-port", "65536"},
		{"OWL_KEEP_DAYS", "--keep-days", "0"},
		{"OWL_KEEP_DAYS", "--keep-days", "90abc"},
		{"OWL_KEEP_DAYS", "--keep-days", "3651"},
		{"OWL_LOG_LEVEL", "--log-level", "chatty"},
	} {
		t.Run(bad.env+"="+bad.value, func(t *testing.T) {
			_, err := load(t, nil, bad.flag, bad.value)
			assert.ErrorContains(t, err, bad.flag)
			_, err = load(t, map[string]string{bad.env: bad.value})
			assert.ErrorContains(t, err, bad.flag)
		})
	}
	_, err := load(t, nil, "--wobble")
	assert.Error(t, err)
}

func TestAnEmptyVariableIsNone(t *testing.T) {
	t.Setenv("OWL_KEEP_DAYS", "")
	t.Setenv("OWL_DATA_DIR", "")
	t.Setenv("OWL_LISTEN", "127.0.0.1:2")
	ForgetEmpty()
	c, err := load(t, nil)
	require.NoError(t, err)
	assert.Equal(t, 90, c.KeepDays)
	assert.Equal(t, "var", filepath.Base(c.DataDir))
	assert.Equal(t, "127.0.0.1:2", c.Listen)
}
