package config

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func env(pairs map[string]string) func(string) string {
	return func(k string) string { return pairs[k] }
}

func TestDefaults(t *testing.T) {
	c, rest, err := Load([]string{"x"}, env(nil))
	require.NoError(t, err)
	assert.Equal(t, []string{"x"}, rest)
	assert.Equal(t, "http://127.0.0.1:8470", c.URL)
	assert.Equal(t, 16077, c.DemoPort, "16000 + 77")
}

func TestFlagsBeatEnvironment(t *testing.T) {
	c, _, err := Load([]string{"--listen", "0.0.0.0:9000"}, env(map[string]string{"OWL_LISTEN": "127.0.0.1:1", "OWL_DEMO_BASE": "127.78.0.0"}))
	require.NoError(t, err)
	assert.Equal(t, "0.0.0.0:9000", c.Listen)
	assert.Equal(t, "http://127.0.0.1:9000", c.URL)
	assert.Equal(t, 16078, c.DemoPort)
}

func TestBadSettingsAreNamed(t *testing.T) {
	for key, value := range map[string]string{"OWL_LISTEN": "nowhere", "OWL_DEMO_BASE": "192.0.2.1", "OWL_KEEP_DAYS": "0"} {
		_, _, err := Load(nil, env(map[string]string{key: value}))
		assert.ErrorContains(t, err, key)
	}
	_, _, err := Load([]string{"--wobble"}, env(nil))
	assert.Error(t, err)
}

func TestHelpNamesEverySetting(t *testing.T) {
	var b bytes.Buffer
	Help(&b)
	for _, s := range settings() {
		assert.Contains(t, b.String(), s.env)
	}
}
