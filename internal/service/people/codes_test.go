package people_test

import (
	"testing"
	"time"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/testkit"
)

// withCodes sets codes up for the administrator of the setup, and returns the secret and
// the codes for recovery.
func withCodes(t *testing.T, s *people.Service, now *time.Time) (access.Actor, func() string, []domain.Secret) {
	t.Helper()
	_, who := comesIn(t, s, people.Arrival{Trust: true})
	key, err := s.PrepareCodes(t.Context(), who)
	require.NoError(t, err)
	code := func() string {
		c, err := totp.GenerateCode(key.Secret(), *now)
		require.NoError(t, err)
		return c
	}
	_, err = s.UseCodes(t.Context(), who, "000000")
	require.ErrorAs(t, err, new(domain.FieldErrors))
	again, err := s.PreparedCodes(t.Context(), who)
	require.NoError(t, err)
	require.Equal(t, key.Secret(), again.Secret(), "what the program took over still holds")
	recovery, err := s.UseCodes(t.Context(), who, code())
	require.NoError(t, err)
	require.Len(t, recovery, 8)
	return who, code, recovery
}

func TestCodesAreAskedForWhereTheBrowserIsNotTrusted(t *testing.T) {
	s, now := setup(t)
	_, code, recovery := withCodes(t, s, now)
	in, _, err := s.SignIn(t.Context(), "harbour", "night-watch", people.Arrival{})
	require.NoError(t, err)
	require.NotNil(t, in.Asked)
	assert.Zero(t, in.SignIn.ID, "nobody is signed in yet")

	second := func(code string) error {
		in, _, err := s.SignInSecond(t.Context(), in.User.ID, code, people.Arrival{Trust: true, From: "192.0.2.7"})
		if err == nil {
			assert.NotZero(t, in.SignIn.BrowserID)
		}
		return err
	}
	assert.Error(t, second(code()), "the code was used when codes were set up: none is used twice")
	*now = now.Add(30 * time.Second)
	fresh := code()
	require.NoError(t, second(fresh))
	assert.Error(t, second(fresh))
	require.NoError(t, second(recovery[0].Reveal()))
	assert.Error(t, second(recovery[0].Reveal()), "each opens once")
	f, err := s.Factors(t.Context(), testkit.Anyone, in.User.ID)
	require.NoError(t, err)
	assert.EqualValues(t, 7, f.Recovery)
}

func TestGuessingCodesIsSlow(t *testing.T) {
	s, now := setup(t)
	who, code, _ := withCodes(t, s, now)
	*now = now.Add(30 * time.Second)
	for range 4 {
		_, _, err := s.SignInSecond(t.Context(), who.ID, "000000", people.Arrival{From: "192.0.2.7"})
		require.ErrorAs(t, err, new(domain.FieldErrors))
	}
	_, wait, err := s.SignInSecond(t.Context(), who.ID, code(), people.Arrival{From: "198.51.100.7"})
	assert.ErrorIs(t, err, domain.ErrSlowDown)
	assert.Equal(t, time.Second, wait)
}

func TestATrustedBrowserIsAFactor(t *testing.T) {
	s, now := setup(t)
	before, _ := comesIn(t, s, people.Arrival{Trust: true})
	withCodes(t, s, now)
	kept := func(domain.ID) domain.Secret { return before.Key }
	in, _, err := s.SignIn(t.Context(), "harbour", "night-watch", people.Arrival{Kept: kept})
	require.NoError(t, err)
	assert.Nil(t, in.Asked)
	assert.NotZero(t, in.SignIn.BrowserID)
}

func TestTrustNeedsTheSecondFactor(t *testing.T) {
	s, now := setup(t)
	who, code, recovery := withCodes(t, s, now)
	in, _, err := s.SignInSecond(t.Context(), who.ID, recovery[0].Reveal(), people.Arrival{})
	require.NoError(t, err)
	tablet, _, err := s.Present(t.Context(), in.SignIn.ID, "")
	require.NoError(t, err)
	require.True(t, tablet.Untrusted)
	_, _, err = s.Trust(t.Context(), tablet, people.Proof{Password: "night-watch"}, "")
	assert.ErrorAs(t, err, new(domain.FieldErrors))
	*now = now.Add(30 * time.Second)
	_, _, err = s.Trust(t.Context(), tablet, people.Proof{Password: "night-watch", Code: code()}, "")
	assert.NoError(t, err)
}

func TestCodesEnd(t *testing.T) {
	s, now := setup(t)
	who, _, _ := withCodes(t, s, now)
	_, err := s.PrepareCodes(t.Context(), who)
	assert.ErrorAs(t, err, new(domain.FieldErrors), "a new secret would lock the person out")
	assert.ErrorAs(t, s.StopCodes(t.Context(), who, "guess"), new(domain.FieldErrors))
	require.NoError(t, s.StopCodes(t.Context(), who, "night-watch"))
	in, _, err := s.SignIn(t.Context(), "harbour", "night-watch", people.Arrival{})
	require.NoError(t, err)
	assert.Nil(t, in.Asked)
}

func TestAnAdministratorTakesLostFactorsAway(t *testing.T) {
	s, now := setup(t)
	who, _, _ := withCodes(t, s, now)
	require.NoError(t, s.TakeFactors(t.Context(), testkit.Anyone, who.ID))
	f, err := s.Factors(t.Context(), testkit.Anyone, who.ID)
	require.NoError(t, err)
	assert.False(t, f.Any())
	assert.Zero(t, f.Recovery)
}

// What a browser sends is not believed; the walk of the browser tests uses a true device.
func TestPasskeysThatAreNoneAreRefused(t *testing.T) {
	s, _ := setup(t)
	_, who := comesIn(t, s, people.Arrival{Trust: true})
	c, err := s.BeginPasskey(t.Context(), who)
	require.NoError(t, err)
	for _, answer := range []string{"", "{}", `{"id":"AA","rawId":"AA","type":"public-key","response":{}}`} {
		_, err = s.AddPasskey(t.Context(), who, "key", c.Kept, []byte(answer))
		assert.ErrorAs(t, err, new(domain.FieldErrors), answer)
		_, err = s.PasskeySignIn(t.Context(), c.Kept, []byte(answer), people.Arrival{})
		assert.ErrorAs(t, err, new(domain.FieldErrors), answer)
		_, err = s.PasskeySignIn(t.Context(), nil, []byte(answer), people.Arrival{})
		assert.ErrorAs(t, err, new(domain.FieldErrors), answer)
		_, err = s.PasskeyTrust(t.Context(), who, c.Kept, []byte(answer), "")
		assert.ErrorAs(t, err, new(domain.FieldErrors), answer)
	}
	_, err = s.BeginPasskeyTrust(t.Context(), who)
	assert.ErrorAs(t, err, new(domain.FieldErrors), "there is none yet")
}
