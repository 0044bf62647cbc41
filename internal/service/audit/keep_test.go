package audit_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/audit"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// A shorter time is told before it is set, with what goes; so is one that cannot be.
func TestHowLongTheAuditIsKept(t *testing.T) {
	s := testkit.Store(t)
	svc := audit.New(testkit.Desk(s), nil)
	ctx := t.Context()
	for _, days := range []int{5, 60, 90} {
		at := time.Now().UTC().AddDate(0, 0, -days)
		require.NoError(t, s.Audit.Add(ctx, domain.Entry{At: at, ActorKind: "person", Actor: "ines", Act: "look", Kind: "place"}))
	}
	for _, step := range []struct {
		days   int
		gone   int64
		answer string
	}{
		{0, 0, "Nothing goes: no entry is older than 400 days."},
		{70, 1, "One entry goes for good, within ten minutes."},
		{30, 2, "2 of the entries go for good, within ten minutes."},
	} {
		kept, err := svc.Rehearse(ctx, testkit.Anyone, step.days)
		require.NoError(t, err)
		assert.Equal(t, 400, kept.Days)
		assert.Equal(t, step.gone, kept.Gone)
		assert.Equal(t, step.answer, kept.Why.Answer)
		assert.Contains(t, kept.Why.Facts[0].Text, time.Now().UTC().AddDate(0, 0, -90).Format("2006-01-02"))
	}
	for _, days := range []int{-1, 29, 3651} {
		_, err := svc.Rehearse(ctx, testkit.Anyone, days)
		assert.ErrorContains(t, err, "from 30 to 3650")
		assert.ErrorContains(t, svc.SetKeep(ctx, testkit.Anyone, days), "from 30 to 3650")
	}
	require.NoError(t, svc.SetKeep(ctx, testkit.Anyone, 70))
	require.NoError(t, svc.SetKeep(ctx, testkit.Anyone, 70), "the same again is no change")
	page, err := svc.Find(ctx, testkit.Anyone, domain.EntryFilter{Act: "set how long the audit is kept", Limit: 9})
	require.NoError(t, err)
	assert.Equal(t, 70, page.Days)
	require.Len(t, page.Rows, 1)
	assert.JSONEq(t, `{"days": 400}`, string(page.Rows[0].Before))
	assert.JSONEq(t, `{"days": 70}`, string(page.Rows[0].After))
	assert.ErrorIs(t, svc.SetKeep(ctx, access.Actor{}, 50), domain.ErrForbidden)
}
