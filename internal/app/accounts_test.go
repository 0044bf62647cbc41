package app

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/config"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

// Who has lost the password gets in again by the command line, beside the application.
func TestAccountsByCommand(t *testing.T) {
	ctx := t.Context()
	c := config.Config{DatabaseURL: testkit.URL(t), DataDir: t.TempDir(), URL: "http://127.0.0.1:8470"}
	said := func(f func(Accounts) error) (string, error) {
		var out bytes.Buffer
		err := WithAccounts(ctx, c, "a command", &out, f)
		return out.String(), err
	}
	_, err := said(func(a Accounts) error {
		return a.AddUser(ctx, "runa", "Runa", "administer", "a lamp on the pier")
	})
	require.NoError(t, err)
	out, err := said(func(a Accounts) error { return a.Users(ctx) })
	require.NoError(t, err)
	assert.Regexp(t, `NAME +SHOWN AS +STATE +LAST SIGN-IN\s+runa +Runa +may sign in +never`, out)

	_, err = said(func(a Accounts) error { return a.SetPassword(ctx, "runa", "short", false) })
	assert.ErrorAs(t, err, new(domain.FieldErrors))
	_, err = said(func(a Accounts) error { return a.SetPassword(ctx, "nobody", "a lamp at the quay", false) })
	assert.ErrorContains(t, err, "no person")
	_, err = said(func(a Accounts) error { return a.SetPassword(ctx, "runa", "a lamp at the quay", true) })
	require.NoError(t, err)

	key, err := said(func(a Accounts) error { return a.CreateToken(ctx, "a script", "see") })
	require.NoError(t, err)
	out, err = said(func(a Accounts) error { return a.Tokens(ctx) })
	require.NoError(t, err)
	assert.Regexp(t, `ID +NAME +LEVEL +ENDS +LAST USED\s+1 +a script +see +never +never`, out)
	assert.NotContains(t, out, key[:len(key)-1])
	_, err = said(func(a Accounts) error { return a.RemoveToken(ctx, 1) })
	require.NoError(t, err)
	_, err = said(func(a Accounts) error { return a.RemoveToken(ctx, 1) })
	assert.ErrorContains(t, err, "no key 1")

	s, closeStore, err := Database(ctx, c, false, func(string) {})
	require.NoError(t, err)
	defer closeStore()
	noted, err := s.Audit.Find(ctx, domain.EntryFilter{Limit: 20})
	require.NoError(t, err)
	for _, e := range noted {
		assert.Equal(t, "a command", e.Actor)
	}
	assert.NotEmpty(t, noted)
}
