package find_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

func TestASweepBeginsAgainByItself(t *testing.T) {
	w := setup(t)
	d := draft("192.0.2.0/30")
	d.Every = time.Hour
	sweep, finds := w.sweep(t, d)
	assert.Empty(t, finds)
	w.network.devices["192.0.2.1"] = answer("new", "aa")
	begin := func(after time.Duration) (domain.Sweep, int) {
		t.Helper()
		require.NoError(t, w.BeginDue(t.Context(), sweep.StartedAt.Add(after)))
		now, finds := w.finish(t, sweep.ID)
		return now, len(finds)
	}
	now, n := begin(time.Hour - time.Second)
	assert.Equal(t, sweep.StartedAt, now.StartedAt, "not yet")
	assert.Zero(t, n)
	now, n = begin(time.Hour)
	assert.True(t, now.StartedAt.After(sweep.StartedAt))
	assert.Equal(t, 1, n)
	assert.Equal(t, domain.SweepDone, now.State)

	never := draft("192.0.2.0/30")
	never.Name = "once"
	once, _ := w.sweep(t, never)
	require.NoError(t, w.BeginDue(t.Context(), time.Now().Add(1000*time.Hour)))
	w.finish(t, sweep.ID)
	is, err := w.Sweep(t.Context(), testkit.Anyone, once.ID)
	require.NoError(t, err)
	assert.Equal(t, once.StartedAt, is.StartedAt)

	d.Every = 7 * time.Second
	_, err = w.Create(t.Context(), testkit.Anyone, d)
	var errs domain.FieldErrors
	require.ErrorAs(t, err, &errs)
	assert.NotEmpty(t, errs["every"])
}
