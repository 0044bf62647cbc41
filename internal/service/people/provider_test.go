package people_test

import (
	"context"
	"errors"
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/testkit"
)

// asker is a provider that says what the test wants.
type asker struct {
	who    domain.Identity
	err    error
	secret domain.Secret
}

func (a *asker) Check(context.Context, domain.Provider) error { return a.err }

func (a *asker) Begin(_ context.Context, p domain.Provider, back string, _ bool) (string, []byte, error) {
	return p.Issuer + "/authorize?back=" + back, []byte("kept"), a.err
}

func (a *asker) Finish(_ context.Context, _ domain.Provider, secret domain.Secret, _ []byte, _ url.Values) (domain.Identity, error) {
	a.secret = secret
	return a.who, a.err
}

// elsewhere is a service whose provider makes the group “shore” members of a team.
func elsewhere(t *testing.T) (*people.Service, *asker, domain.Team) {
	t.Helper()
	a := &asker{who: domain.Identity{Issuer: "https://a.example", Subject: "1", Name: "Oda", Display: "Oda H.", Groups: []string{"shore"}}}
	s, _ := setupWith(t, a)
	team, err := s.SaveTeam(t.Context(), testkit.Anyone, domain.Team{Name: "Shore", Grants: []domain.Grant{{Level: domain.AccessOperate}}})
	require.NoError(t, err)
	p := domain.Provider{
		Title: "Accounts", Issuer: "https://a.example", ClientID: "owl", GroupsClaim: "groups", Enabled: true,
		Groups: map[domain.ID][]string{team.ID: {"shore"}},
	}
	require.NoError(t, s.SaveProvider(t.Context(), testkit.Anyone, p, "hush"))
	return s, a, team
}

func members(t *testing.T, s *people.Service, team domain.ID) []domain.ID {
	t.Helper()
	now, err := s.Team(t.Context(), testkit.Anyone, team)
	require.NoError(t, err)
	return now.Members
}

func TestGroupsDecideAboutTeamsEachTime(t *testing.T) {
	s, a, team := elsewhere(t)
	to, kept, err := s.BeginElsewhere(t.Context(), false)
	require.NoError(t, err)
	assert.Equal(t, "https://a.example/authorize?back=http://localhost:8470/signin/back", to)
	in, err := s.SignInElsewhere(t.Context(), kept, nil, people.Arrival{})
	require.NoError(t, err)
	assert.Equal(t, domain.Secret("hush"), a.secret)
	assert.Equal(t, "oda", in.User.Name)
	assert.Equal(t, "Oda H.", in.User.Called())
	assert.Zero(t, in.SignIn.BrowserID)
	assert.Equal(t, []domain.ID{in.User.ID}, members(t, s, team.ID))
	_, _, err = s.SignIn(t.Context(), "oda", "", people.Arrival{})
	assert.ErrorIs(t, err, domain.ErrSignIn, "there is no password")

	again, err := s.SignInElsewhere(t.Context(), kept, nil, people.Arrival{Trust: true})
	require.NoError(t, err)
	assert.Equal(t, in.User.ID, again.User.ID)
	assert.NotZero(t, again.SignIn.BrowserID)

	a.who.Groups = []string{"canteen"}
	_, err = s.SignInElsewhere(t.Context(), kept, nil, people.Arrival{})
	assert.ErrorContains(t, err, "none of your groups")

	other, err := s.SaveTeam(t.Context(), testkit.Anyone, domain.Team{Name: "Pier", Grants: []domain.Grant{{Level: domain.AccessSee}}})
	require.NoError(t, err)
	p, err := s.Provider(t.Context(), testkit.Anyone)
	require.NoError(t, err)
	p.Groups[other.ID] = []string{"canteen"}
	require.NoError(t, s.SaveProvider(t.Context(), testkit.Anyone, p, ""))
	_, err = s.SignInElsewhere(t.Context(), kept, nil, people.Arrival{})
	require.NoError(t, err)
	assert.Empty(t, members(t, s, team.ID))
	assert.Equal(t, []domain.ID{in.User.ID}, members(t, s, other.ID))
}

func TestAPersonOfTheSameNameIsAnotherOne(t *testing.T) {
	s, a, _ := elsewhere(t)
	a.who.Name = "harbour"
	_, err := s.SignInElsewhere(t.Context(), nil, nil, people.Arrival{})
	assert.ErrorContains(t, err, "somebody else is called harbour")
}

func TestWhoIsLockedOrRemovedHereDoesNotComeInFromElsewhere(t *testing.T) {
	s, a, _ := elsewhere(t)
	in, err := s.SignInElsewhere(t.Context(), nil, nil, people.Arrival{})
	require.NoError(t, err)
	u := in.User
	require.NoError(t, s.Change(t.Context(), testkit.Anyone, u.ID, people.Draft{Locked: true, Version: u.Version}))
	_, err = s.SignInElsewhere(t.Context(), nil, nil, people.Arrival{})
	assert.ErrorIs(t, err, domain.ErrSignIn)
	require.NoError(t, s.Remove(t.Context(), testkit.Anyone, u.ID, 0))
	in, err = s.SignInElsewhere(t.Context(), nil, nil, people.Arrival{})
	require.NoError(t, err)
	assert.NotEqual(t, u.ID, in.User.ID, "somebody new")
	a.who.Name, a.who.Subject = "\x00\u202e", "2"
	in, err = s.SignInElsewhere(t.Context(), nil, nil, people.Arrival{})
	require.NoError(t, err)
	assert.Equal(t, "2", in.User.Name, "the name that never changes, where the other says nothing")
}

func TestPasswordsWorkWhileTheProviderDoesNot(t *testing.T) {
	s, a, _ := elsewhere(t)
	a.err = errors.New("connection refused")
	_, _, err := s.BeginElsewhere(t.Context(), false)
	assert.ErrorContains(t, err, "does not answer now")
	_, err = s.SignInElsewhere(t.Context(), nil, nil, people.Arrival{})
	assert.ErrorContains(t, err, "did not confirm who you are")
	trace, err := s.TryProvider(t.Context(), testkit.Anyone)
	require.NoError(t, err)
	assert.Equal(t, "It cannot be reached as it should.", trace.Answer)
	_, _, err = s.SignIn(t.Context(), "harbour", "night-watch", people.Arrival{})
	assert.NoError(t, err)
}

func TestTheProviderIsChecked(t *testing.T) {
	s, _, team := elsewhere(t)
	p, err := s.Provider(t.Context(), testkit.Anyone)
	require.NoError(t, err)
	require.True(t, p.Stored)
	for field, spoil := range map[string]func(*domain.Provider){
		"issuer":                   func(p *domain.Provider) { p.Issuer = "accounts.example" },
		"title":                    func(p *domain.Provider) { p.Title = " " },
		"client_id":                func(p *domain.Provider) { p.ClientID = "" },
		"groups_claim":             func(p *domain.Provider) { p.GroupsClaim = "" },
		"secret":                   func(p *domain.Provider) { p.Issuer = "https://evil.example" },
		"enabled":                  func(p *domain.Provider) { p.Groups = map[domain.ID][]string{987654: {"x"}} },
		"group-" + idText(team.ID): func(p *domain.Provider) { p.Groups = map[domain.ID][]string{team.ID: {""}} },
	} {
		bad := p
		spoil(&bad)
		err := s.SaveProvider(t.Context(), testkit.Anyone, bad, "")
		var errs domain.FieldErrors
		require.ErrorAs(t, err, &errs, field)
		assert.Contains(t, errs, field)
	}
	stale := p
	stale.Title = "Other accounts"
	require.NoError(t, s.SaveProvider(t.Context(), testkit.Anyone, p, ""))
	assert.ErrorIs(t, s.SaveProvider(t.Context(), testkit.Anyone, stale, ""), domain.ErrChanged)
	in, err := s.SignInElsewhere(t.Context(), nil, nil, people.Arrival{})
	require.NoError(t, err)
	who, err := s.Actor(t.Context(), in.User.ID, "")
	require.NoError(t, err)
	_, err = s.Provider(t.Context(), who)
	assert.ErrorIs(t, err, domain.ErrForbidden)
	assert.ErrorIs(t, s.SaveProvider(t.Context(), access.Actor{}, p, ""), domain.ErrForbidden)
}
