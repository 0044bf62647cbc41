package identity

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestWhatDevicesSayIsBoundedAndCleaned(t *testing.T) {
	long := strings.Repeat("é\x00\n", 20_000)
	own := make([]netip.Addr, 5000)
	a := Answer{
		Responder: Responder{
			Name:     long,
			ObjectID: strings.Repeat("1.", 6000),
			EngineID: strings.Repeat("80", 6000),
			Serial:   long,
			Own:      own,
		},
		Description: long,
		Location:    "quay\r\n<b>\x1b[31mred\u202e",
		Parts:       map[string]int{"interfaces": 1 << 31, "volumes": -5},
	}.Cleaned()
	assert.LessOrEqual(t, len(a.Name), 200)
	assert.LessOrEqual(t, len(a.Description), 1000)
	assert.LessOrEqual(t, len(a.Serial), 100)
	assert.Equal(t, "quay <b> [31mred", a.Location, "one line, nothing that steers a terminal or turns the text around")
	assert.Empty(t, a.EngineID, "RFC 3411 allows 32 octets")
	assert.Empty(t, a.ObjectID)
	assert.Len(t, a.Own, 1000)
	assert.Equal(t, map[string]int{"interfaces": 100_000, "volumes": 0}, a.Parts)
	right := Answer{
		Responder: Responder{Name: "gr-sw-1", ObjectID: "1.3.6.1.4.1.63000.1", EngineID: "80001f8880e9630000", Serial: "SN 7123"},
	}
	assert.Equal(t, right, right.Cleaned())
}
