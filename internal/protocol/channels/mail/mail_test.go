package mail

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestAddressesThatServersTake(t *testing.T) {
	for value, right := range map[string]bool{
		"owl@kittiwake.example":              true,
		"Shore desk <owl@kittiwake.example>": true,
		"night.shift+2@kittiwake.example":    true,
		`"<x>"@x.example`:                    false,
		`"a b"@x.example`:                    false,
		"@x.example":                         false,
		"x":                                  false,
		"a@b.example\r\nBcc: c@d.example":    false,
		"":                                   false,
	} {
		assert.Equal(t, right, address(value) == "", value)
	}
}
