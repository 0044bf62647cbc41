package oidc

import (
	"context"
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
)

// liar is a provider that says what the test wants it to say.
type liar struct {
	*httptest.Server
	key, foreign *rsa.PrivateKey
	asked        url.Values // of the last address that a person was sent to
	about        func(map[string]any)
	claims       func(map[string]any)
	sign         func(claims []byte) string
	token        http.HandlerFunc // instead of the usual answer
}

func newLiar(t *testing.T) *liar {
	t.Helper()
	l := &liar{about: func(map[string]any) {}, claims: func(map[string]any) {}}
	for _, key := range []**rsa.PrivateKey{&l.key, &l.foreign} {
		made, err := rsa.GenerateKey(rand.Reader, 2048)
		require.NoError(t, err)
		*key = made
	}
	l.sign = func(claims []byte) string { return signed(t, l.key, claims) }
	mux := http.NewServeMux()
	mux.HandleFunc("GET /.well-known/openid-configuration", func(w http.ResponseWriter, _ *http.Request) {
		about := map[string]any{
			"issuer": l.URL, "authorization_endpoint": l.URL + "/authorize", "token_endpoint": l.URL + "/token",
			"jwks_uri": l.URL + "/keys", "id_token_signing_alg_values_supported": []string{"RS256"},
		}
		l.about(about)
		answer(w, about)
	})
	mux.HandleFunc("GET /keys", func(w http.ResponseWriter, _ *http.Request) {
		answer(w, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: l.key.Public(), KeyID: "k", Algorithm: "RS256", Use: "sig"}}})
	})
	mux.HandleFunc("POST /token", func(w http.ResponseWriter, r *http.Request) {
		if l.token != nil {
			l.token(w, r)
			return
		}
		sum := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
		assert.Equal(t, l.asked.Get("code_challenge"), base64.RawURLEncoding.EncodeToString(sum[:]), "PKCE")
		assert.Equal(t, "the-code", r.PostFormValue("code"))
		now := time.Now()
		claims := map[string]any{
			"iss": l.URL, "sub": "kl-1", "aud": "owl", "iat": now.Unix(), "exp": now.Add(time.Minute).Unix(), "auth_time": now.Unix(),
			"nonce": l.asked.Get("nonce"), "preferred_username": "oda", "name": "Oda", "groups": []string{"shore", "canteen"},
		}
		l.claims(claims)
		text, err := json.Marshal(claims)
		assert.NoError(t, err)
		answer(w, map[string]any{"access_token": "a", "token_type": "Bearer", "id_token": l.sign(text)})
	})
	l.Server = httptest.NewServer(mux)
	t.Cleanup(l.Close)
	return l
}

func answer(w http.ResponseWriter, x any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(x)
}

func signed(t *testing.T, key *rsa.PrivateKey, claims []byte) string {
	t.Helper()
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.RS256, Key: jose.JSONWebKey{Key: key, KeyID: "k"}}, nil)
	require.NoError(t, err)
	token, err := signer.Sign(claims)
	require.NoError(t, err)
	text, err := token.CompactSerialize()
	require.NoError(t, err)
	return text
}

func (l *liar) provider() domain.Provider {
	return domain.Provider{Issuer: l.URL, ClientID: "owl", GroupsClaim: "groups"}
}

// signIn sends a person there and back; spoil changes what comes back.
func (l *liar) signIn(ctx context.Context, c *Client, again bool, spoil func(url.Values)) (domain.Identity, error) {
	to, kept, err := c.Begin(ctx, l.provider(), "http://owl.example/signin/back", again)
	if err != nil {
		return domain.Identity{}, err
	}
	at, err := url.Parse(to)
	if err != nil {
		return domain.Identity{}, err
	}
	l.asked = at.Query()
	back := url.Values{"state": {l.asked.Get("state")}, "code": {"the-code"}}
	if spoil != nil {
		spoil(back)
	}
	return c.Finish(ctx, l.provider(), "secret", kept, back)
}

func TestAPersonIsNamedByTheProvider(t *testing.T) {
	l, c := newLiar(t), New(time.Now, plain)
	require.NoError(t, c.Check(t.Context(), l.provider()))
	id, err := l.signIn(t.Context(), c, false, nil)
	require.NoError(t, err)
	assert.Equal(t, domain.Identity{Issuer: l.URL, Subject: "kl-1", Name: "oda", Display: "Oda", Groups: []string{"shore", "canteen"}}, id)
	assert.Equal(t, "S256", l.asked.Get("code_challenge_method"))
	assert.Equal(t, "code", l.asked.Get("response_type"))
	assert.Empty(t, l.asked.Get("prompt"))
	id, err = l.signIn(t.Context(), c, true, nil)
	require.NoError(t, err)
	assert.Equal(t, "kl-1", id.Subject)
	assert.Equal(t, "login", l.asked.Get("prompt"))
}

func TestNoLieIsBelieved(t *testing.T) {
	none := base64.RawURLEncoding.EncodeToString([]byte(`{"alg":"none"}`)) + "."
	for name, lie := range map[string]func(*liar){
		"another question":  func(l *liar) { l.claims = func(c map[string]any) { c["nonce"] = "x" } },
		"no nonce":          func(l *liar) { l.claims = func(c map[string]any) { delete(c, "nonce") } },
		"for somebody else": func(l *liar) { l.claims = func(c map[string]any) { c["aud"] = "another" } },
		"of somebody else":  func(l *liar) { l.claims = func(c map[string]any) { c["iss"] = "http://other.example" } },
		"ended":             func(l *liar) { l.claims = func(c map[string]any) { c["exp"] = time.Now().Add(-time.Hour).Unix() } },
		"long ago": func(l *liar) {
			l.claims = func(c map[string]any) { c["auth_time"] = time.Now().Add(-time.Hour).Unix() }
		},
		"never":                   func(l *liar) { l.claims = func(c map[string]any) { delete(c, "auth_time") } },
		"signed by somebody else": func(l *liar) { l.sign = func(c []byte) string { return signed(t, l.foreign, c) } },
		"not signed": func(l *liar) {
			l.sign = func(c []byte) string { return none + base64.RawURLEncoding.EncodeToString(c) + "." }
		},
		"no token at all": func(l *liar) { l.sign = func([]byte) string { return "" } },
		"rubbish":         func(l *liar) { l.sign = func([]byte) string { return "a.b.c" } },
	} {
		t.Run(name, func(t *testing.T) {
			l := newLiar(t)
			lie(l)
			_, err := l.signIn(t.Context(), New(time.Now, plain), true, nil)
			assert.ErrorIs(t, err, ErrLies)
		})
	}
}

func TestWhoComesBackMustHaveBeenSent(t *testing.T) {
	l, c := newLiar(t), New(time.Now, plain)
	for name, spoil := range map[string]func(url.Values){
		"another state": func(v url.Values) { v.Set("state", "x") },
		"no state":      func(v url.Values) { v.Del("state") },
		"refused there": func(v url.Values) { v.Set("error", strings.Repeat("access_denied ", 100)) },
	} {
		_, err := l.signIn(t.Context(), c, false, spoil)
		require.Error(t, err, name)
		assert.Less(t, len(err.Error()), 500, name)
	}
	_, err := c.Finish(t.Context(), l.provider(), "", nil, url.Values{"state": {""}})
	assert.Error(t, err, "nobody was sent")
	now := time.Now()
	late := New(func() time.Time { return now }, plain)
	_, kept, err := late.Begin(t.Context(), l.provider(), "http://owl.example/", false)
	require.NoError(t, err)
	now = now.Add(11 * time.Minute)
	_, err = late.Finish(t.Context(), l.provider(), "", kept, url.Values{})
	assert.ErrorContains(t, err, "too long")
}

func TestAProviderThatIsGoneSlowOrEndlessIsGivenUp(t *testing.T) {
	l := newLiar(t)
	release := make(chan struct{})
	t.Cleanup(func() { close(release) })
	silent := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { <-release }))
	endless := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		for r.Context().Err() == nil {
			if _, err := w.Write([]byte(strings.Repeat(" ", 1<<16))); err != nil {
				return
			}
		}
	}))
	away := httptest.NewServer(http.RedirectHandler(l.URL+"/.well-known/openid-configuration", http.StatusFound))
	t.Cleanup(func() { endless.Close(); away.Close() })
	gone := httptest.NewServer(http.NotFoundHandler())
	gone.Close()
	for name, at := range map[string]string{"silent": silent.URL, "endless": endless.URL, "gone": gone.URL, "sends away": away.URL} {
		c := New(time.Now, plain)
		c.http.Timeout = 500 * time.Millisecond
		err := c.Check(t.Context(), domain.Provider{Issuer: at})
		assert.ErrorContains(t, err, "does not answer", name)
	}
	l.about = func(m map[string]any) { m["issuer"] = "http://other.example" }
	assert.Error(t, New(time.Now, plain).Check(t.Context(), l.provider()), "it says that it is another one")
}

func TestWhatAProviderSaysOfItselfIsBelievedForMinutes(t *testing.T) {
	l := newLiar(t)
	asked := 0
	l.about = func(map[string]any) { asked++ }
	now := time.Now()
	c := New(func() time.Time { return now }, plain)
	for range 3 {
		_, _, err := c.Begin(t.Context(), l.provider(), "http://owl.example/", false)
		require.NoError(t, err)
	}
	assert.Equal(t, 1, asked)
	now = now.Add(11 * time.Minute)
	_, _, err := c.Begin(t.Context(), l.provider(), "http://owl.example/", false)
	require.NoError(t, err)
	assert.Equal(t, 2, asked)
	now = now.Add(-time.Hour) // the clock was set back
	_, _, err = c.Begin(t.Context(), l.provider(), "http://owl.example/", false)
	require.NoError(t, err)
	assert.Equal(t, 3, asked)
}

func TestFailuresOfTheExchangeAreTold(t *testing.T) {
	l := newLiar(t)
	l.token = func(w http.ResponseWriter, _ *http.Request) {
		w.WriteHeader(http.StatusBadRequest)
		answer(w, map[string]string{"error": "invalid_grant", "error_description": strings.Repeat("no ", 1000)})
	}
	_, err := l.signIn(t.Context(), New(time.Now, plain), false, nil)
	require.ErrorContains(t, err, "does not take the code")
	assert.Less(t, len(err.Error()), 500)
}

var plain = (&net.Dialer{}).DialContext
