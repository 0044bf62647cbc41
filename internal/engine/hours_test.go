package engine_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
)

// openUntil are hours that are open from an hour ago to a minute, in UTC.
func openUntil(minute time.Time) string {
	now := time.Now().UTC()
	return "daily " + now.Add(-time.Hour).Format("15:04") + "-" + minute.Format("15:04")
}

// Outside its hours a device is asked nothing, and is paused with the reason; it goes on by itself.
func TestADeviceIsAskedInItsHoursOnly(t *testing.T) {
	w := setup(t, "reachability")
	w.start(t, answering)
	require.Eventually(t, func() bool { return w.health(t) == domain.Fine }, 10*time.Second, 20*time.Millisecond)
	set := func(hours string) {
		o := domain.Override{PlaceID: w.device.PlaceID, Key: domain.SettingHours, Value: hours}
		require.NoError(t, w.store.Overrides.Set(t.Context(), o, 0))
		require.NoError(t, w.collector.Reload(t.Context(), w.device.ID))
	}
	now := time.Now().UTC()
	set("daily " + now.Add(2*time.Hour).Format("15:04") + "-" + now.Add(3*time.Hour).Format("15:04"))
	require.Eventually(t, func() bool { return w.health(t) == domain.Paused }, 10*time.Second, 20*time.Millisecond)
	d, err := w.store.Devices.One(t.Context(), w.device.ID)
	require.NoError(t, err)
	assert.False(t, d.Paused, "nobody paused it")
	assert.Contains(t, d.HealthNote, "outside the hours of collecting, which begin "+
		now.Add(2*time.Hour).Format("Mon 2006-01-02 15:04 UTC"))
	assert.Zero(t, w.collector.CollectNow(w.device.ID, ""), "nor is it asked by hand")

	set(openUntil(now.Add(2 * time.Hour)))
	require.Eventually(t, func() bool { return w.health(t) == domain.Fine }, 10*time.Second, 20*time.Millisecond)
}
