package samples_test

import (
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store/samples"
	"tirelessowl/internal/testkit"
)

// The next table of the ring is begun when one is full or old, and both are emptied
// when all their points are in chunks.
func TestTheJournalIsARing(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	s := open(t, db, samples.Options{SealEvery: time.Hour})
	n := 0
	add := func() string {
		n++
		require.NoError(t, s.Append(t.Context(), []domain.SeriesSample{at(float64(n), 1, float64(n))}))
		return s.JournalTable()
	}
	rows := func() (out []int) {
		for _, table := range []string{"journal_0", "journal_1", "journal_2", "journal_3"} {
			var rows int
			require.NoError(t, db.Pool().QueryRow(t.Context(), "SELECT count(*) FROM "+table).Scan(&rows))
			out = append(out, rows)
		}
		return out
	}
	s.AgeJournal(time.Hour, 0)
	assert.Equal(t, "journal_0", add(), "an empty one is not left behind, however old")
	s.AgeJournal(4*time.Minute, 60<<20)
	assert.Equal(t, "journal_0", add())
	s.AgeJournal(time.Minute, 0)
	assert.Equal(t, "journal_1", add(), "it is five minutes old")
	s.AgeJournal(0, 64<<20)
	assert.Equal(t, "journal_2", add(), "it is full with 64 MB")
	assert.Equal(t, "journal_2", add())
	assert.Equal(t, []int{2, 1, 2, 0}, rows())
	_, err := db.Pool().Exec(t.Context(), "ALTER TABLE journal_1 RENAME TO journal_gone")
	require.NoError(t, err)
	assert.ErrorContains(t, s.Seal(t.Context()), "journal_1")
	_, err = db.Pool().Exec(t.Context(), "ALTER TABLE journal_gone RENAME TO journal_1")
	require.NoError(t, err)
	require.NoError(t, s.Seal(t.Context()))
	assert.Equal(t, []int{0, 0, 0, 0}, rows())
	assert.Equal(t, []float64{1, 2, 3, 4, 5}, values(points(t, s, 1)[1]))
}

// A database that answers in time gets the blocks itself: the file is for when it
// does not.
func TestABlockGoesToADatabaseThatAnswers(t *testing.T) {
	s := open(t, testkit.OpenStore(t, testkit.URL(t)), samples.Options{SpillFile: filepath.Join(t.TempDir(), "spill")})
	for n := range 20 {
		before := s.Stats().Spilled
		require.NoError(t, s.Append(t.Context(), []domain.SeriesSample{at(float64(n), 1, 1)}))
		if s.Stats().Spilled == before {
			return
		}
	}
	t.Error("20 blocks in a row were spilled")
}

// Without a file, what the database does not take until the end is refused, so that
// whoever appended knows.
func TestTheEndDoesNotWaitForEver(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	s := open(t, db, samples.Options{})
	_, err := db.Pool().Exec(t.Context(), "ALTER TABLE journal_0 RENAME TO journal_gone")
	require.NoError(t, err)
	refused := make(chan error, 1)
	began := time.Now()
	go func() { refused <- s.Append(t.Context(), []domain.SeriesSample{at(1, 1, 1)}) }()
	require.Eventually(t, func() bool { return s.Stats().Away }, 10*time.Second, time.Millisecond)
	s.Stop()
	assert.ErrorContains(t, <-refused, "could not be stored before the end")
	assert.Greater(t, time.Since(began), 3*time.Second, "the database has three seconds to come back")
	assert.Zero(t, s.Stats().Accepted)
}
