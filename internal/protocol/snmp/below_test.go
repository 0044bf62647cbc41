package snmp

import (
	"testing"

	"github.com/gosnmp/gosnmp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What an agent has is asked for at once; one that has no room for that, or of version 1 knows only
// that one of them is the last, is asked for each.
func TestWhatAnAgentHasBelow(t *testing.T) {
	roots := []string{"1.3.9.1.2", "1.3.9.1.7", "1.3.10.0", "1.3.11", "1.3.9.1.1"}
	want := []bool{true, false, false, false, true}
	for name, s := range map[string]*shelf{
		"at once":     {vars: table(2, 3)},
		"no room":     {vars: table(2, 3), fits: 1},
		"a version 1": {vars: table(2, 3), version: gosnmp.Version1},
	} {
		target, c := peer(t, s.answer), client(t)
		target.First = s.version == gosnmp.Version1 && name == "a version 1"
		found, err := c.Below(t.Context(), target, roots)
		require.NoError(t, err, name)
		assert.Equal(t, want, found, name)
		assert.Equal(t, len(roots), s.widest, name)
	}
	s := &shelf{vars: table(2, 3)[:6], version: gosnmp.Version1}
	target, c := peer(t, s.answer), client(t)
	target.First = true
	found, err := c.Below(t.Context(), target, []string{"1.3.11", "1.3.9.1.1"})
	require.NoError(t, err)
	assert.Equal(t, []bool{false, true}, found, "the first is beyond the end, which refuses the whole")
}
