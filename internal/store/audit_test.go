package store_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

// noted writes an entry of so many days ago.
func noted(t *testing.T, s *store.Store, act string, days int) {
	t.Helper()
	e := domain.Entry{At: time.Now().UTC().AddDate(0, 0, -days), ActorKind: "person", Actor: "ines", Act: act, Kind: "place"}
	require.NoError(t, s.Audit.Add(t.Context(), e))
}

func acts(t *testing.T, s *store.Store) (out []string) {
	t.Helper()
	found, err := s.Audit.Find(t.Context(), domain.EntryFilter{Limit: 10})
	require.NoError(t, err)
	for _, e := range found {
		out = append(out, e.Act)
	}
	return out
}

// Entries go when their time is over, by the setting but never within 30 days, and
// nothing else removes or changes them.
func TestAuditEntriesStayForTheirTime(t *testing.T) {
	s := testkit.Store(t)
	for act, days := range map[string]int{"today": 0, "day 20": 20, "day 40": 40, "day 399": 399, "day 401": 401} {
		noted(t, s, act, days)
	}
	for _, step := range []struct {
		days string // the setting
		gone int64
		left []string
	}{
		{"", 1, []string{"today", "day 20", "day 40", "day 399"}}, // 400 days are usual
		{"100", 1, []string{"today", "day 20", "day 40"}},
		{"1", 1, []string{"today", "day 20"}}, // 30 days at least
	} {
		if step.days != "" {
			require.NoError(t, s.Settings.Set(t.Context(), "audit.days", step.days))
		}
		gone, err := s.Audit.Drop(t.Context())
		require.NoError(t, err)
		assert.Equal(t, step.gone, gone, step.days)
		assert.ElementsMatch(t, step.left, acts(t, s), step.days)
	}
	for _, sql := range []string{"DELETE FROM audit", "UPDATE audit SET act = 'x'", "TRUNCATE audit"} {
		_, err := s.Pool().Exec(t.Context(), sql)
		assert.ErrorContains(t, err, "what is noted is not changed", sql)
	}
	assert.Len(t, acts(t, s), 2)
}
