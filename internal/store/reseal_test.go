package store_test

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

func opened(t *testing.T, url, file string) *store.Store {
	t.Helper()
	keys, err := store.OpenVault(file)
	require.NoError(t, err)
	s, err := store.Open(t.Context(), url, keys)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s
}

// Everything that is sealed can be opened at each moment of a rotation, and afterwards with
// the new key alone. Killed anywhere, it goes on at the next start.
func TestTheKeyIsRotated(t *testing.T) {
	ctx, url, file := t.Context(), testkit.URL(t), filepath.Join(t.TempDir(), "key")
	s := opened(t, url, file)
	channel := domain.Channel{Name: "Mail", Kind: "mail", Settings: map[string]string{}}
	mail, err := s.Channels.Save(ctx, channel, domain.Secrets{"password": "p"})
	require.NoError(t, err)
	_, err = s.Credentials.Add(ctx, domain.Credential{Name: "site", Kind: "snmp-v2c"}, domain.Secrets{"community": "c", "other": "o"})
	require.NoError(t, err)
	provider := domain.Provider{Title: "Harbour", Issuer: "https://x.example", Groups: map[domain.ID][]string{}}
	require.NoError(t, s.Providers.Save(ctx, provider, "s"))
	u, err := s.Users.Add(ctx, domain.User{Name: "runa", CreatedAt: time.Now()})
	require.NoError(t, err)
	require.NoError(t, s.Factors.SetCodes(ctx, domain.CodeFactor{UserID: u.ID, Secret: "codes"}))
	_, begun, err := s.Answers.Begin(ctx, "token 1", "k", []byte("x"), time.Now())
	require.NoError(t, err)
	require.True(t, begun)
	require.NoError(t, s.Answers.End(ctx, "token 1", "k", domain.Answer{Status: 200, Body: []byte("link")}))

	whole := func(s *store.Store, when string) {
		_, secrets, err := s.Channels.One(ctx, mail.ID)
		require.NoError(t, err, when)
		assert.Equal(t, domain.Secret("p"), secrets["password"], when)
		all, err := s.Credentials.Secrets(ctx)
		require.NoError(t, err, when)
		assert.Len(t, all, 1, when)
		secret, err := s.Providers.Secret(ctx)
		require.NoError(t, err, when)
		assert.Equal(t, domain.Secret("s"), secret, when)
		codes, err := s.Factors.Codes(ctx, u.ID)
		require.NoError(t, err, when)
		assert.Equal(t, domain.Secret("codes"), codes.Secret, when)
		answer, _, err := s.Answers.Begin(ctx, "token 1", "k", []byte("x"), time.Now())
		require.NoError(t, err, when)
		assert.Equal(t, "link", string(answer.Body), when)
	}
	before, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, store.BeginRotation(file))
	whole(opened(t, url, file), "before anything is sealed anew")
	n, err := opened(t, url, file).Reseal(ctx)
	require.NoError(t, err)
	assert.Equal(t, 6, n)
	whole(opened(t, url, file), "killed when all was sealed")
	require.NoError(t, store.BeginRotation(file), "it goes on with the key that it began with")
	n, err = opened(t, url, file).Reseal(ctx)
	require.NoError(t, err)
	assert.Equal(t, 6, n)
	require.NoError(t, store.EndRotation(file))
	whole(opened(t, url, file), "at the end")
	after, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.NotEqual(t, before, after)
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	require.NoError(t, os.WriteFile(file, before, 0o600))
	_, _, err = opened(t, url, file).Channels.One(ctx, mail.ID)
	assert.ErrorContains(t, err, "key file", "the old key opens nothing")
}

// A new column of sealed things must be sealed anew, too.
func TestEverySealedColumnIsKnown(t *testing.T) {
	s := testkit.Store(t)
	query := "SELECT table_name || '.' || column_name FROM information_schema.columns WHERE table_schema = 'public' AND " +
		"column_name IN ('sealed', 'secrets') ORDER BY 1"
	rows, err := s.Pool().Query(t.Context(), query)
	require.NoError(t, err)
	columns, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	assert.Equal(t, []string{"channels.secrets", "code_factors.sealed", "credentials.secrets", "providers.sealed"}, columns)
}
