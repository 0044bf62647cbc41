package people_test

import (
	"fmt"
	"log/slog"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

func idText(id domain.ID) string { return strconv.FormatInt(id, 10) }

// setup is a service with two people and a clock that the test moves.
func setup(t *testing.T) (*people.Service, *time.Time) {
	t.Helper()
	return setupWith(t, nil)
}

// setupWith is such a service with a provider of accounts.
func setupWith(t *testing.T, a people.Asker) (*people.Service, *time.Time) {
	t.Helper()
	now := time.Date(2026, 11, 23, 3, 40, 0, 0, time.UTC)
	db := testkit.Store(t)
	s := people.New(people.Parts{
		Store:  db,
		Desk:   testkit.Desk(db),
		Sheets: act.NewSheets(db),
		Now:    func() time.Time { return now },
		URL:    "http://localhost:8470",
		Asker:  a,
		Log:    slog.New(slog.NewTextHandler(t.Output(), nil)),
	})
	_, err := s.Enrol(
		t.Context(),
		testkit.Anyone,
		people.Draft{Name: "harbour", Display: "Harbour", Secret: "night-watch"},
		domain.AccessAdminister,
	)
	require.NoError(t, err)
	_, err = s.Enrol(t.Context(), testkit.Anyone, people.Draft{Name: "Ines", Display: "Ines", Secret: "night-watch"}, domain.AccessOperate)
	require.NoError(t, err)
	return s, &now
}

func TestSignInByNameInAnyCase(t *testing.T) {
	s, _ := setup(t)
	for _, name := range []string{"Ines", "ines", " INES "} {
		in, wait, err := s.SignIn(t.Context(), name, "night-watch", people.Arrival{From: "192.0.2.1"})
		require.NoError(t, err, name)
		assert.Zero(t, wait)
		who, err := s.Actor(t.Context(), in.User.ID, "192.0.2.1")
		require.NoError(t, err)
		assert.Equal(t, domain.AccessOperate, who.Level(domain.AreaWatch, domain.At(0)))
	}
	for _, password := range []domain.Secret{"", "Night-watch", "night-watch "} {
		_, _, err := s.SignIn(t.Context(), "Ines", password, people.Arrival{From: "192.0.2.2"})
		assert.ErrorIs(t, err, domain.ErrSignIn)
	}
	_, _, err := s.SignIn(t.Context(), "nobody", "night-watch", people.Arrival{From: "192.0.2.3"})
	assert.ErrorIs(t, err, domain.ErrSignIn, "an unknown name looks like a wrong password")
}

// After four failures every further one doubles the wait: 1, 2, 4 … seconds,
// at most a quarter of an hour; an hour of quiet forgives.
func TestGuessingDoublesTheWait(t *testing.T) {
	s, now := setup(t)
	guess := func(name, from string) (time.Duration, error) {
		_, wait, err := s.SignIn(t.Context(), name, "wrong", people.Arrival{From: from})
		return wait, err
	}
	for range 4 {
		_, err := guess("Ines", "192.0.2.1")
		require.ErrorIs(t, err, domain.ErrSignIn)
	}
	wait, err := guess("Ines", "192.0.2.1")
	assert.ErrorIs(t, err, domain.ErrSlowDown)
	assert.Equal(t, time.Second, wait)
	_, err = guess("Ines", "198.51.100.9")
	assert.ErrorIs(t, err, domain.ErrSignIn, "who comes from elsewhere is not locked out")
	_, err = guess("marek", "192.0.2.1")
	assert.ErrorIs(t, err, domain.ErrSignIn, "nor is another person behind the same address")

	*now = now.Add(time.Second)
	_, err = guess("Ines", "192.0.2.1")
	require.ErrorIs(t, err, domain.ErrSignIn, "after the wait one more try")
	wait, _ = guess("Ines", "192.0.2.1")
	assert.Equal(t, 2*time.Second, wait)
	for range 20 {
		*now = now.Add(16 * time.Minute)
		_, _ = guess("Ines", "192.0.2.1")
	}
	wait, _ = guess("Ines", "192.0.2.1")
	assert.Equal(t, 15*time.Minute, wait)
	*now = now.Add(61 * time.Minute)
	_, wait, err = s.SignIn(t.Context(), "Ines", "night-watch", people.Arrival{From: "192.0.2.1"})
	require.NoError(t, err)
	assert.Zero(t, wait)
}

// A stranger who keeps guessing at a name from everywhere makes it wait, but not in a browser
// that its owner trusts.
func TestTheOwnersBrowserIsNotLockedOut(t *testing.T) {
	s, _ := setup(t)
	in, _, err := s.SignIn(t.Context(), "Ines", "night-watch", people.Arrival{From: "198.51.100.1", Trust: true})
	require.NoError(t, err)
	for n := range 60 {
		_, _, _ = s.SignIn(t.Context(), "Ines", "wrong", people.Arrival{From: fmt.Sprint("203.0.113.", n)})
	}
	_, wait, err := s.SignIn(t.Context(), "Ines", "night-watch", people.Arrival{From: "198.51.100.2"})
	assert.ErrorIs(t, err, domain.ErrSlowDown)
	assert.LessOrEqual(t, wait, 30*time.Second)
	kept := func(domain.ID) domain.Secret { return in.Key }
	_, _, err = s.SignIn(t.Context(), "Ines", "night-watch", people.Arrival{From: "198.51.100.2", Kept: kept})
	assert.NoError(t, err)
}

func TestSuccessForgivesTheName(t *testing.T) {
	s, _ := setup(t)
	for range 3 {
		_, _, _ = s.SignIn(t.Context(), "Ines", "wrong", people.Arrival{From: "192.0.2.1"})
	}
	_, _, err := s.SignIn(t.Context(), "Ines", "night-watch", people.Arrival{From: "198.51.100.1"})
	require.NoError(t, err)
	for range 4 {
		_, wait, err := s.SignIn(t.Context(), "Ines", "wrong", people.Arrival{From: "203.0.113.1"})
		require.ErrorIs(t, err, domain.ErrSignIn)
		assert.Zero(t, wait, "it counts from the begin again")
	}
}

func TestUsersAreChecked(t *testing.T) {
	s, _ := setup(t)
	for field, c := range map[string]struct {
		draft people.Draft
		level domain.Access
	}{
		"name":     {people.Draft{Name: "  ", Secret: "long-enough-gannet"}, domain.AccessSee},
		"password": {people.Draft{Name: "x", Secret: "short"}, domain.AccessSee},
		"level":    {people.Draft{Name: "x", Secret: "long-enough-gannet"}, "root"},
		"display":  {people.Draft{Name: "x", Display: strings.Repeat("x", 101), Secret: "long-enough-gannet"}, domain.AccessSee},
	} {
		_, err := s.Enrol(t.Context(), testkit.Anyone, c.draft, c.level)
		var fields domain.FieldErrors
		require.ErrorAs(t, err, &fields, field)
		assert.Contains(t, fields, field)
		assert.Len(t, fields, 1)
	}
	// bcrypt reads 72 bytes: more would be cut silently.
	_, err := s.Enrol(
		t.Context(),
		testkit.Anyone,
		people.Draft{Name: "x", Secret: domain.Secret(strings.Repeat("x", 73))},
		domain.AccessSee,
	)
	assert.Error(t, err)
	_, err = s.Enrol(t.Context(), testkit.Anyone, people.Draft{Name: "Ines", Secret: "another-watch"}, domain.AccessSee)
	require.NoError(t, err)
	u, _, err := s.SignIn(t.Context(), "Ines", "another-watch", people.Arrival{From: "192.0.2.1"})
	require.NoError(t, err)
	who, err := s.Actor(t.Context(), u.User.ID, "")
	require.NoError(t, err)
	assert.Equal(t, domain.AccessSee, who.Level(domain.AreaWatch, domain.At(0)), "the same name again replaces")
}

func TestTokensAreStoredAsHashes(t *testing.T) {
	s, _ := setup(t)
	_, key, err := s.MakeToken(t.Context(), testkit.Anyone, domain.Token{Name: " poller ", Grant: domain.Grant{Level: domain.AccessSee}})
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(key.Reveal(), "owl_"))
	assert.Greater(t, len(key.Reveal()), 50, "two of 26 characters of base 32: 260 bits")
	who, err := s.Holder(t.Context(), key, "192.0.2.1")
	require.NoError(t, err)
	assert.Equal(t, "poller", who.Name)
	_, err = s.Holder(t.Context(), key+"x", "192.0.2.1")
	assert.ErrorIs(t, err, domain.ErrSignIn)
	_, _, err = s.MakeToken(t.Context(), testkit.Anyone, domain.Token{Grant: domain.Grant{Level: domain.AccessSee}})
	assert.Error(t, err)
}
