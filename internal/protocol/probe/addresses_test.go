package probe

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// InetAddressType and InetAddress as an index: RFC 4001, section 4.
func TestAddressesInIndexes(t *testing.T) {
	for index, want := range map[string]string{
		"1.4.192.0.2.7": "192.0.2.7",
		"2.16.32.1.13.184.0.0.0.0.0.0.0.0.0.0.0.1":   "2001:db8::1",
		"2.16.0.0.0.0.0.0.0.0.0.0.255.255.192.0.2.7": "192.0.2.7",
		"1.4.192.0.2":     "",
		"1.5.192.0.2.7":   "",
		"1.4.192.0.2.256": "",
		"1.4.192.0.2.x":   "",
		"1":               "",
		"16.3.97.46.98":   "", // a name
		"4.20.254.128.0.0.0.0.0.0.0.0.0.0.0.0.0.1.0.0.0.3": "", // with a zone
	} {
		a, ok := inetAddress(strings.Split(index, "."))
		assert.Equal(t, want != "", ok, index)
		if ok {
			assert.Equal(t, want, a.String(), index)
		}
	}
}
