package kit

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/why"
)

func texts(t why.Trace) (out []string) {
	for _, f := range t.Facts {
		out = append(out, f.Text)
	}
	return out
}

func TestWhyTellsEachStepOfAReading(t *testing.T) {
	for name, c := range map[string]struct {
		kit, reading string
		want         []string
	}{
		"a rate": {"interfaces", "in", []string{"SNMP walk of hc_in (1.3.6.1.2.1.31.1.1.1.6) or in (1.3.6.1.2.1.2.2.1.10)", "Of several objects the first that the device has is used",
			"A counter becomes a rate a second", "It is multiplied by 8 to give bit/s"}},
		"a share": {"host-resources", "volume_share", []string{"It is expressed as a share of size"}},
		"a mean":  {"host-resources", "cpu", []string{"SNMP walk of load (1.3.6.1.2.1.25.3.3.1.2)", "The mean of all rows is taken"}},
		"a probe": {"reachability", "loss", []string{"A probe of 3 requests measures the answer time and the share that is lost"}},
	} {
		k := shipped(t, c.kit)
		r, ok := k.Reading(c.reading)
		assert.True(t, ok, name)
		got := texts(k.Why(r, derive.State{}))
		for _, want := range c.want {
			assert.Contains(t, got, want, name)
		}
	}
	k := shipped(t, "interfaces")
	r, _ := k.Reading("in")
	r.Source = "nowhere"
	assert.Empty(t, k.Why(r, derive.State{}).Facts)
}
