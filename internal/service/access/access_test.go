package access_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/access"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// setup is a service with one user and a clock that the test moves.
func setup(t *testing.T) (*access.Service, *time.Time) {
	t.Helper()
	now := time.Date(2026, 11, 23, 3, 40, 0, 0, time.UTC)
	s := access.New(testkit.Store(t), func() time.Time { return now })
	require.NoError(t, s.AddUser(t.Context(), domain.User{Name: "Ines", Display: "Ines", Level: domain.AccessOperate}, "night-watch"))
	return s, &now
}

func TestSignInByNameInAnyCase(t *testing.T) {
	s, _ := setup(t)
	for _, name := range []string{"Ines", "ines", " INES "} {
		u, wait, err := s.SignIn(t.Context(), name, "night-watch", "192.0.2.1")
		require.NoError(t, err, name)
		assert.Zero(t, wait)
		again, err := s.User(t.Context(), u.ID)
		require.NoError(t, err)
		assert.Equal(t, domain.AccessOperate, again.Level)
	}
	for _, password := range []domain.Secret{"", "Night-watch", "night-watch "} {
		_, _, err := s.SignIn(t.Context(), "Ines", password, "192.0.2.2")
		assert.ErrorIs(t, err, domain.ErrSignIn)
	}
	_, _, err := s.SignIn(t.Context(), "nobody", "night-watch", "192.0.2.3")
	assert.ErrorIs(t, err, domain.ErrSignIn, "an unknown name looks like a wrong password")
}

// After four failures every further one doubles the wait: 1, 2, 4 … seconds,
// at most a quarter of an hour; an hour of quiet forgives.
func TestGuessingDoublesTheWait(t *testing.T) {
	s, now := setup(t)
	guess := func(name, from string) (time.Duration, error) {
		_, wait, err := s.SignIn(t.Context(), name, "wrong", from)
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
	assert.ErrorIs(t, err, domain.ErrSlowDown, "another address does not help against one name")
	_, err = guess("marek", "192.0.2.1")
	assert.ErrorIs(t, err, domain.ErrSlowDown, "another name does not help from one address")

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
	_, wait, err = s.SignIn(t.Context(), "Ines", "night-watch", "192.0.2.1")
	require.NoError(t, err)
	assert.Zero(t, wait)
}

func TestSuccessForgivesTheName(t *testing.T) {
	s, _ := setup(t)
	for range 3 {
		_, _, _ = s.SignIn(t.Context(), "Ines", "wrong", "192.0.2.1")
	}
	_, _, err := s.SignIn(t.Context(), "Ines", "night-watch", "198.51.100.1")
	require.NoError(t, err)
	for range 4 {
		_, wait, err := s.SignIn(t.Context(), "Ines", "wrong", "203.0.113.1")
		require.ErrorIs(t, err, domain.ErrSignIn)
		assert.Zero(t, wait, "it counts from the begin again")
	}
}

func TestUsersAreChecked(t *testing.T) {
	s, _ := setup(t)
	for field, c := range map[string]struct {
		user     domain.User
		password domain.Secret
	}{
		"name":     {domain.User{Name: "  ", Level: domain.AccessSee}, "long enough"},
		"password": {domain.User{Name: "x", Level: domain.AccessSee}, "short"},
		"level":    {domain.User{Name: "x", Level: "root"}, "long enough"},
	} {
		var fields domain.FieldErrors
		require.ErrorAs(t, s.AddUser(t.Context(), c.user, c.password), &fields, field)
		assert.Contains(t, fields, field)
		assert.Len(t, fields, 1)
	}
	long := domain.Secret(strings.Repeat("x", 73)) // bcrypt reads 72 bytes: more would be cut silently
	assert.Error(t, s.AddUser(t.Context(), domain.User{Name: "x", Level: domain.AccessSee}, long))
	require.NoError(t, s.AddUser(t.Context(), domain.User{Name: "Ines", Level: domain.AccessSee}, "another-watch"))
	u, _, err := s.SignIn(t.Context(), "Ines", "another-watch", "192.0.2.1")
	require.NoError(t, err)
	assert.Equal(t, domain.AccessSee, u.Level, "the same name again replaces")
}

func TestTokensAreStoredAsHashes(t *testing.T) {
	s, _ := setup(t)
	key, err := s.CreateToken(t.Context(), " poller ", domain.AccessSee)
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(key.Reveal(), "owl_"))
	assert.Greater(t, len(key.Reveal()), 50, "two of 26 characters of base 32: 260 bits")
	got, err := s.Token(t.Context(), key)
	require.NoError(t, err)
	assert.Equal(t, "poller", got.Name)
	_, err = s.Token(t.Context(), key+"x")
	assert.ErrorIs(t, err, domain.ErrSignIn)
	_, err = s.CreateToken(t.Context(), "", domain.AccessSee)
	assert.Error(t, err)
}
