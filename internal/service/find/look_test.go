package find_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/testkit"
)

// Of eight addresses one is a device, four answer otherwise, each in its way, and three are
// silent.
func TestASweepSaysOfEachAddressWhatItMet(t *testing.T) {
	w := setup(t)
	w.network.devices["192.0.2.1"] = answer("sw", "aa")
	w.network.echoes = map[string]bool{"192.0.2.1": true, "192.0.2.2": true, "192.0.2.3": true}
	w.network.ports = map[string]string{
		"192.0.2.3:22":  "SSH-2.0-harbour\r\n",
		"192.0.2.3:443": "",
		"192.0.2.4:22":  "\x1b[31m<b>\x00",
		"192.0.2.5:80":  "not asked for",
	}
	w.network.denies = map[string]bool{"192.0.2.6": true}
	d := draft("192.0.2.0/29")
	d.Ports, d.Echo = "22, 443", true
	sweep, finds := w.sweep(t, d)
	assert.Len(t, finds, 1)
	all, err := w.Sightings(t.Context(), testkit.Anyone, sweep.ID)
	require.NoError(t, err)
	assert.Equal(t, []domain.Sighting{
		{Address: "192.0.2.2", Said: "answers an echo in 1.5 ms"},
		{Address: "192.0.2.3", Said: "answers an echo in 1.5 ms; port 22 is open and says “SSH-2.0-harbour”; port 443 is open"},
		{Address: "192.0.2.4", Said: "port 22 is open and says “[31m<b>”"},
		{Address: "192.0.2.6", Said: "an engine that does not take right"},
	}, all)
	silent, err := w.Silent(t.Context(), testkit.Anyone, sweep.ID)
	require.NoError(t, err)
	assert.Equal(t, find.Silent{Count: 3, Ranges: []string{"192.0.2.0", "192.0.2.5", "192.0.2.7"}}, silent)
}

func TestASweepMayNeedNoCredential(t *testing.T) {
	w := setup(t)
	d := draft("192.0.2.0/30")
	d.Community, d.Ports, d.Echo = "", "22", true
	_, err := w.Create(t.Context(), testkit.Anyone, d)
	var errs domain.FieldErrors
	require.ErrorAs(t, err, &errs)
	assert.Contains(t, errs["echo"], "may not")
	d.Echo = false
	w.network.ports = map[string]string{"192.0.2.10:22": "", "192.0.2.9:22": ""}
	d.Ranges = "192.0.2.0/28"
	sweep, _ := w.sweep(t, d)
	assert.Equal(t, domain.SweepDone, sweep.State)
	all, err := w.Sightings(t.Context(), testkit.Anyone, sweep.ID)
	require.NoError(t, err)
	require.Len(t, all, 2)
	assert.Equal(t, "192.0.2.9", all[0].Address, "in the order of numbers")
	for _, ports := range []string{"0", "ssh", "1-100"} {
		d.Ports = ports
		_, err = w.Create(t.Context(), testkit.Anyone, d)
		require.ErrorAs(t, err, &errs)
		assert.NotEmpty(t, errs["ports"], ports)
	}
}
