package app

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestOneOwlAFolder(t *testing.T) {
	dir := t.TempDir()
	unlock, err := lock(dir)
	require.NoError(t, err)
	_, err = lock(dir)
	assert.ErrorContains(t, err, "another owl runs")
	unlock()
	unlock, err = lock(dir)
	require.NoError(t, err, "free again")
	unlock()
}
