package respond_test

import (
	"testing"
	"time"

	"tirelessowl/internal/testkit"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/plan"
	"tirelessowl/internal/domain"
)

// twice is the world with a second rule of the same cause, and a plan whose
// tickets are kept up to date as usual.
func twice(t *testing.T) (w, other world) {
	t.Helper()
	w, ctx := setup(t), t.Context()
	other = w
	other.rule.ID, other.rule.Name, other.rule.Title = 0, "Loses requests", "{device} loses requests"
	var err error
	other.rule, err = w.store.Rules.Save(ctx, other.rule)
	require.NoError(t, err)
	plans, err := w.store.Plans.All(ctx)
	require.NoError(t, err)
	p := plans[0]
	p.Steps = plan.Usual(1, 1, "a@kittiwake.example")
	for i := range p.Steps {
		p.Steps[i].ChannelID = 0
	}
	_, err = w.store.Plans.Save(ctx, p)
	require.NoError(t, err)
	return w, other
}

func (w world) deliveries(t *testing.T) (out []string) {
	t.Helper()
	in, err := w.Incident(t.Context(), testkit.Anyone, w.incidents(t)[0].ID)
	require.NoError(t, err)
	for _, d := range in.Deliveries {
		out = append(out, string(d.Kind)+" "+string(d.Event)+" "+d.Level.String())
	}
	return out
}

// A lesser notice keeps the incident open while what was critical ends and comes
// back: its level follows, down and up, and each change is told.
func TestALevelThatFellAndRisesAgainIsToldAgain(t *testing.T) {
	w, other := twice(t)
	ctx := t.Context()
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 0, false)))
	require.NoError(t, w.Record(ctx, 0, other.change(0, domain.LevelWarning, time.Minute, false)))
	require.NoError(t, w.Record(ctx, 0, w.change(domain.LevelCritical, 0, 2*time.Minute, false)))
	in := w.incidents(t)[0]
	assert.Equal(t, domain.LevelWarning, in.Level)
	assert.Equal(t, domain.LevelCritical, in.Worst)
	assert.Equal(t, "np-edge-1 loses requests", in.Title, "of what lasts")
	assert.Equal(
		t,
		[]string{"message alert critical", "ticket alert critical", "note alert critical", "note eased warning"},
		w.deliveries(t),
	)

	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 3*time.Minute, false)))
	in = w.incidents(t)[0]
	assert.Equal(t, domain.LevelCritical, in.Level)
	assert.Equal(t, "np-edge-1 does not answer", in.Title)
	assert.Equal(t, []string{"message raised critical", "note raised critical"}, w.deliveries(t)[4:], "told again, and noted")

	require.NoError(t, w.Record(ctx, 0, other.change(domain.LevelWarning, 0, 4*time.Minute, false)))
	assert.Equal(t, []string{"note eased critical"}, w.deliveries(t)[6:], "the ticket hears of each alert that ends")
	require.NoError(t, w.Record(ctx, 0, w.change(domain.LevelCritical, 0, 5*time.Minute, false)))
	in = w.incidents(t)[0]
	assert.Equal(t, domain.IncidentResolved, in.State)
	assert.Equal(t, domain.LevelCritical, in.Level, "what is over is known by its worst")
	assert.Equal(t, []string{"note recovered critical", "message recovered critical"}, w.deliveries(t)[7:])
}

// One alert moves between levels: down is noted, up again is told again.
func TestAnAlertThatEasesAndGetsWorseIsToldAgain(t *testing.T) {
	w, _ := twice(t)
	ctx := t.Context()
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 0, false)))
	require.NoError(t, w.Record(ctx, 0, w.change(domain.LevelCritical, domain.LevelNotice, time.Minute, false)))
	assert.Equal(t, domain.LevelNotice, w.incidents(t)[0].Level)
	require.NoError(t, w.Record(ctx, 0, w.change(domain.LevelNotice, domain.LevelWarning, 2*time.Minute, false)))
	require.NoError(t, w.Record(ctx, 0, w.change(domain.LevelWarning, domain.LevelCritical, 3*time.Minute, false)))
	assert.Equal(
		t,
		[]string{"message alert critical", "ticket alert critical", "note eased notice", "message raised warning", "note raised warning",
			"message raised critical", "note raised critical"},
		w.deliveries(t),
	)
}
