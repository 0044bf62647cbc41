package main

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestSwitchesBecomeChains(t *testing.T) {
	for name, c := range map[string]struct{ in, want string }{
		"conditions": {
			"switch {\ncase a < 1, b:\n\treturn 1\ncase c:\ndefault:\n\treturn 2\n}",
			"\nif (a < 1) || (b) {\n\treturn 1\n} else if (c) {\n} else {\n\treturn 2\n}",
		},
		"one in another": {
			"switch {\ncase a:\n\tswitch {\n\tcase b:\n\t}\n}",
			"\nif (a) {\n\t\n\tif (b) {\n\t}\n}",
		},
		"a value stays":             {"switch a {\ncase 1:\n}", "switch a {\ncase 1:\n}"},
		"one that is left stays":    {"switch {\ncase a:\n\tif b {\n\t\tbreak\n\t}\n}", "switch {\ncase a:\n\tif b {\n\t\tbreak\n\t}\n}"},
		"a loop's break is its own": {"switch {\ncase a:\n\tfor {\n\t\tbreak\n\t}\n}", "\nif (a) {\n\tfor {\n\t\tbreak\n\t}\n}"},
		"an early default stays":    {"switch {\ndefault:\ncase a:\n}", "switch {\ndefault:\ncase a:\n}"},
	} {
		got, err := unswitch([]byte("package p\nfunc f() {\n" + c.in + "\n}\n"))
		require.NoError(t, err, name)
		assert.Equal(t, "package p\nfunc f() {\n"+c.want+"\n}\n", string(got), name)
	}
	_, err := unswitch([]byte("package"))
	assert.Error(t, err)
}
