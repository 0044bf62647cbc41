package people_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/testkit"
)

const tablet = "Lantern/3.1 (a tablet of the night watch)"

// comesIn signs in the administrator of the setup.
func comesIn(t *testing.T, s *people.Service, a people.Arrival) (people.Entered, access.Actor) {
	t.Helper()
	in, _, err := s.SignIn(t.Context(), "harbour", "night-watch", a)
	require.NoError(t, err)
	who, _, err := s.Present(t.Context(), in.SignIn.ID, "192.0.2.1")
	require.NoError(t, err)
	return in, who
}

func TestInABrowserThatIsNotTrustedOnlyLookingRemains(t *testing.T) {
	s, _ := setup(t)
	in, who := comesIn(t, s, people.Arrival{Agent: tablet})
	assert.Empty(t, in.Key)
	assert.True(t, who.Untrusted)
	assert.True(t, who.Lowered)
	assert.Equal(t, domain.AccessSee, who.Level(domain.AreaRun, domain.At(0)))
	_, trace := who.Explain(domain.AreaRun, access.Asked{})
	assert.Equal(t, "This browser is not trusted, so that only looking remains", trace.Facts[len(trace.Facts)-1].Text)

	assert.ErrorIs(t, s.ChangePassword(t.Context(), who, "night-watch", "gannet-watch"), domain.ErrForbidden)
	_, _, err := s.MakeToken(t.Context(), who, domain.Token{Name: "t", Grant: domain.Grant{Level: domain.AccessSee}})
	assert.ErrorIs(t, err, domain.ErrForbidden)
	assert.ErrorIs(t, s.EndSignIn(t.Context(), who, who.SignIn), domain.ErrForbidden)

	_, _, err = s.Trust(t.Context(), who, people.Proof{Password: "guess"}, tablet)
	assert.ErrorAs(t, err, new(domain.FieldErrors))
	key, _, err := s.Trust(t.Context(), who, people.Proof{Password: "night-watch"}, tablet)
	require.NoError(t, err)
	assert.NotEmpty(t, key)
	who, _, err = s.Present(t.Context(), in.SignIn.ID, "192.0.2.1")
	require.NoError(t, err)
	assert.False(t, who.Untrusted)
	assert.Equal(t, domain.AccessAdminister, who.Level(domain.AreaRun, domain.At(0)))
}

func TestWhoMayOnlyLookAnywayIsNotLowered(t *testing.T) {
	s, _ := setup(t)
	_, err := s.Enrol(t.Context(), testkit.Anyone, people.Draft{Name: "onlooker", Secret: "night-watch"}, domain.AccessSee)
	require.NoError(t, err)
	in, _, err := s.SignIn(t.Context(), "onlooker", "night-watch", people.Arrival{})
	require.NoError(t, err)
	who, _, err := s.Present(t.Context(), in.SignIn.ID, "")
	require.NoError(t, err)
	assert.True(t, who.Untrusted)
	assert.False(t, who.Lowered)
}

func TestTrustIsKnownByItsKeyAndEndsWithoutUse(t *testing.T) {
	s, now := setup(t)
	in, _ := comesIn(t, s, people.Arrival{Agent: tablet, Trust: true})
	kept := func(domain.ID) domain.Secret { return in.Key }
	again, _ := comesIn(t, s, people.Arrival{Kept: kept})
	assert.Equal(t, in.SignIn.BrowserID, again.SignIn.BrowserID)
	assert.Empty(t, again.Key, "the browser has it already")

	*now = now.Add(89 * 24 * time.Hour)
	again, _ = comesIn(t, s, people.Arrival{Kept: kept})
	assert.NotZero(t, again.SignIn.BrowserID)
	*now = now.Add(91 * 24 * time.Hour)
	_, who := comesIn(t, s, people.Arrival{Kept: kept})
	assert.True(t, who.Untrusted, "90 days without use")

	// What one person trusts says nothing about another.
	ines, _, err := s.SignIn(t.Context(), "ines", "night-watch", people.Arrival{Kept: kept})
	require.NoError(t, err)
	assert.Zero(t, ines.SignIn.BrowserID)
}

func TestTrustTakenBackHoldsAtOnce(t *testing.T) {
	s, _ := setup(t)
	in, who := comesIn(t, s, people.Arrival{Agent: tablet, Trust: true})
	p, err := s.Presence(t.Context(), who, who.ID)
	require.NoError(t, err)
	require.Len(t, p.Browsers, 1)
	require.Len(t, p.SignIns, 1)
	assert.Equal(t, "Lantern 3.1", p.Browsers[0].Agent)
	require.NoError(t, s.Distrust(t.Context(), who, p.Browsers[0].ID))
	who, _, err = s.Present(t.Context(), in.SignIn.ID, "")
	require.NoError(t, err)
	assert.True(t, who.Untrusted)
}

// Use moves the end of a sign-in, noted a minute at a time, up to a week after its
// beginning: 12 hours without use end it.
func TestUseProlongsASignIn(t *testing.T) {
	s, now := setup(t)
	began := *now
	in, _ := comesIn(t, s, people.Arrival{Trust: true})
	used := func(after time.Duration) (time.Duration, error) {
		*now = began.Add(after)
		_, in, err := s.Present(t.Context(), in.SignIn.ID, "192.0.2.9")
		return in.EndsAt.Sub(began), err
	}
	const hour, day = time.Hour, 24 * time.Hour
	for _, c := range []struct{ used, end time.Duration }{
		{50 * time.Second, 12 * hour},
		{70 * time.Second, 12*hour + 70*time.Second},
		{11 * hour, 23 * hour},
		{22 * hour, 34 * hour},
	} {
		end, err := used(c.used)
		require.NoError(t, err)
		assert.Equal(t, c.end, end, "used after %s", c.used)
	}
	for at := 30 * hour; at < 7*day; at += 10 * hour {
		end, err := used(at)
		require.NoError(t, err)
		assert.Equal(t, min(at+12*hour, 7*day), end)
	}
	_, err := used(7 * day)
	assert.ErrorIs(t, err, domain.ErrNotFound)
	_, err = used(0)
	require.NoError(t, err, "a clock that was set back ends nothing")
}

func TestSignInsEndOneByOne(t *testing.T) {
	s, _ := setup(t)
	lost, _ := comesIn(t, s, people.Arrival{Agent: tablet})
	_, who := comesIn(t, s, people.Arrival{Trust: true})
	require.NoError(t, s.EndSignIn(t.Context(), who, lost.SignIn.ID))
	_, _, err := s.Present(t.Context(), lost.SignIn.ID, "")
	assert.ErrorIs(t, err, domain.ErrNotFound)
	assert.Error(t, s.EndSignIn(t.Context(), who, lost.SignIn.ID), "it is over already")
	require.NoError(t, s.SignOut(t.Context(), who))
	_, _, err = s.Present(t.Context(), who.SignIn, "")
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

func TestANewPasswordEndsAllElse(t *testing.T) {
	s, _ := setup(t)
	other, _ := comesIn(t, s, people.Arrival{Trust: true})
	here, who := comesIn(t, s, people.Arrival{Trust: true})
	require.NoError(t, s.ChangePassword(t.Context(), who, "night-watch", "gannet-watch"))
	_, _, err := s.Present(t.Context(), other.SignIn.ID, "")
	assert.ErrorIs(t, err, domain.ErrNotFound)
	still, _, err := s.Present(t.Context(), here.SignIn.ID, "")
	require.NoError(t, err)
	assert.False(t, still.Untrusted)
	kept := func(domain.ID) domain.Secret { return other.Key }
	in, _, err := s.SignIn(t.Context(), "harbour", "gannet-watch", people.Arrival{Kept: kept})
	require.NoError(t, err)
	assert.Zero(t, in.SignIn.BrowserID, "the trust in the other browser is over")
}

func TestLockingEndsAllSignIns(t *testing.T) {
	s, _ := setup(t)
	in, _, err := s.SignIn(t.Context(), "ines", "night-watch", people.Arrival{})
	require.NoError(t, err)
	u := in.User
	require.NoError(t, s.Change(t.Context(), testkit.Anyone, u.ID, people.Draft{Locked: true, Version: u.Version}))
	require.NoError(t, s.Change(t.Context(), testkit.Anyone, u.ID, people.Draft{Version: u.Version + 1}))
	_, _, err = s.Present(t.Context(), in.SignIn.ID, "")
	assert.ErrorIs(t, err, domain.ErrNotFound, "also when the lock is off again")
}

func TestALinkSetsAPasswordOnce(t *testing.T) {
	s, now := setup(t)
	u, err := s.Add(t.Context(), testkit.Anyone, people.Draft{Name: "marek"})
	require.NoError(t, err)
	_, _, err = s.SignIn(t.Context(), "marek", "", people.Arrival{})
	require.ErrorIs(t, err, domain.ErrSignIn, "without a password nobody comes in")
	first, _, err := s.MakeLink(t.Context(), testkit.Anyone, u.ID)
	require.NoError(t, err)
	key, until, err := s.MakeLink(t.Context(), testkit.Anyone, u.ID)
	require.NoError(t, err)
	assert.Equal(t, now.Add(72*time.Hour), until)
	_, err = s.Linked(t.Context(), first)
	assert.ErrorIs(t, err, domain.ErrNotFound, "the one before has ended")
	_, err = s.UseLink(t.Context(), key, "short", "")
	assert.ErrorAs(t, err, new(domain.FieldErrors))
	_, err = s.UseLink(t.Context(), key, "gannet-watch", "")
	require.NoError(t, err, "what went wrong has not used it up")
	_, err = s.UseLink(t.Context(), key, "gannet-watch-2", "")
	assert.ErrorIs(t, err, domain.ErrNotFound)
	_, _, err = s.SignIn(t.Context(), "marek", "gannet-watch", people.Arrival{})
	require.NoError(t, err)

	late, _, err := s.MakeLink(t.Context(), testkit.Anyone, u.ID)
	require.NoError(t, err)
	*now = now.Add(73 * time.Hour)
	_, err = s.Linked(t.Context(), late)
	assert.ErrorIs(t, err, domain.ErrNotFound, "three days are over")
}

func TestAgentsAreSaidInAFewWords(t *testing.T) {
	s, _ := setup(t)
	for said, shown := range map[string]string{
		"":                                "an unnamed program",
		"Lantern/3.1 (X11; Linux x86_64)": "Lantern 3.1 on Linux",
		"\x00\x1b[31m\u202e":              "an unnamed program",
	} {
		in, _ := comesIn(t, s, people.Arrival{Agent: said})
		assert.Equal(t, shown, in.SignIn.Agent, "%q", said)
	}
	in, _ := comesIn(t, s, people.Arrival{Agent: strings.Repeat("Lantern", 1000)})
	assert.LessOrEqual(t, len([]rune(in.SignIn.Agent)), 81)
}

func TestAllOtherSignInsEndTogether(t *testing.T) {
	s, _ := setup(t)
	for range 3 {
		comesIn(t, s, people.Arrival{Agent: tablet})
	}
	_, who := comesIn(t, s, people.Arrival{Trust: true})
	p, err := s.Presence(t.Context(), who, who.ID)
	require.NoError(t, err)
	assert.EqualValues(t, 4, p.Total)
	require.NoError(t, s.EndSignIns(t.Context(), who, who.ID))
	p, err = s.Presence(t.Context(), who, who.ID)
	require.NoError(t, err)
	require.Len(t, p.SignIns, 1)
	assert.Equal(t, who.SignIn, p.SignIns[0].ID, "the own one stays")
	require.NoError(t, s.EndSignIns(t.Context(), testkit.Anyone, who.ID))
	_, _, err = s.Present(t.Context(), who.SignIn, "")
	assert.ErrorIs(t, err, domain.ErrNotFound, "who administers a person ends all")
}
