package sim

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-jose/go-jose/v4"
)

// Account is a person whom the provider knows.
type Account struct {
	Subject string
	Name    string
	Display string
	Groups  []string
}

// accounts are those of the demo world.
var accounts = []Account{
	{"kl-0001", "oda", "Oda", []string{"shore-desk"}},
	{"kl-0002", "bram", "Bram", []string{"terminal-helpers", "canteen"}},
	{"kl-0003", "liv", "Liv", []string{"canteen"}},
}

// ProviderURL returns where the provider of an estate is reached.
func ProviderURL(base netip.Addr) string {
	return fmt.Sprintf("http://%s:%d", Offset(base, 0, 4), httpPort)
}

// provider says who people are, as OpenID Connect has it (Core 1.0, section 3.1; PKCE of
// RFC 7636). Whoever looks chooses whom to be: it is a stand-in.
type provider struct {
	issuer string
	id     string // of the client that it knows
	secret string
	key    *rsa.PrivateKey
	mu     sync.Mutex
	codes  map[string]grant
}

// grant is what was agreed and not yet fetched.
type grant struct {
	account   Account
	nonce     string
	back      string
	challenge string
	until     time.Time
	at        time.Time
}

func newProvider(issuer, id, secret string) (*provider, error) {
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	return &provider{issuer: issuer, id: id, secret: secret, key: key, codes: map[string]grant{}}, err
}

func (p *provider) handler() http.Handler {
	r := chi.NewRouter()
	r.Get("/.well-known/openid-configuration", p.about)
	r.Get("/keys", p.keys)
	r.Get("/authorize", p.ask)
	r.Post("/authorize", p.agree)
	r.Post("/token", p.token)
	return r
}

func answer(w http.ResponseWriter, status int, x any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(x)
}

func (p *provider) about(w http.ResponseWriter, _ *http.Request) {
	answer(w, http.StatusOK, map[string]any{
		"issuer":                                p.issuer,
		"authorization_endpoint":                p.issuer + "/authorize",
		"token_endpoint":                        p.issuer + "/token",
		"jwks_uri":                              p.issuer + "/keys",
		"response_types_supported":              []string{"code"},
		"subject_types_supported":               []string{"public"},
		"id_token_signing_alg_values_supported": []string{"RS256"},
		"scopes_supported":                      []string{"openid", "profile", "groups"},
		"code_challenge_methods_supported":      []string{"S256"},
	})
}

const keyName = "tide-1"

func (p *provider) keys(w http.ResponseWriter, _ *http.Request) {
	answer(w, http.StatusOK, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{
		{Key: p.key.Public(), KeyID: keyName, Algorithm: "RS256", Use: "sig"},
	}})
}

func (p *provider) ask(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	if q.Get("client_id") != p.id || q.Get("response_type") != "code" || q.Get("redirect_uri") == "" {
		http.Error(w, "This request is none that I know.", http.StatusBadRequest)
		return
	}
	view := map[string]any{"Accounts": accounts, "Action": template.URL("/authorize?" + r.URL.RawQuery)}
	_ = pages.ExecuteTemplate(w, "accounts.html", view)
}

func (p *provider) agree(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	i := slices.IndexFunc(accounts, func(a Account) bool { return a.Subject == r.PostFormValue("subject") })
	back, err := url.Parse(q.Get("redirect_uri"))
	if q.Get("client_id") != p.id || err != nil {
		http.Error(w, "This request is none that I know.", http.StatusBadRequest)
		return
	}
	values := url.Values{"state": {q.Get("state")}}
	if i < 0 {
		values.Set("error", "access_denied")
	} else {
		values.Set("code", p.granted(grant{
			account:   accounts[i],
			nonce:     q.Get("nonce"),
			back:      q.Get("redirect_uri"),
			challenge: q.Get("code_challenge"),
			at:        time.Now(),
			until:     time.Now().Add(time.Minute),
		}))
	}
	back.RawQuery = values.Encode()
	http.Redirect(w, r, back.String(), http.StatusSeeOther)
}

func (p *provider) granted(g grant) string {
	code := rand.Text()
	p.mu.Lock()
	defer p.mu.Unlock()
	p.codes[code] = g
	return code
}

// taken returns what a code stands for; it works once.
func (p *provider) taken(code string) (grant, bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	g, ok := p.codes[code]
	delete(p.codes, code)
	return g, ok && time.Now().Before(g.until)
}

func (p *provider) token(w http.ResponseWriter, r *http.Request) {
	id, secret, basic := r.BasicAuth()
	if !basic {
		id, secret = r.PostFormValue("client_id"), r.PostFormValue("client_secret")
	}
	if id != p.id || subtle.ConstantTimeCompare([]byte(secret), []byte(p.secret)) != 1 {
		answer(w, http.StatusUnauthorized, map[string]string{"error": "invalid_client"})
		return
	}
	g, ok := p.taken(r.PostFormValue("code"))
	sum := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
	if !ok || g.back != r.PostFormValue("redirect_uri") || base64.RawURLEncoding.EncodeToString(sum[:]) != g.challenge {
		answer(w, http.StatusBadRequest, map[string]string{"error": "invalid_grant"})
		return
	}
	token, err := p.signed(g)
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	answer(w, http.StatusOK, map[string]any{"access_token": rand.Text(), "token_type": "Bearer", "expires_in": 60, "id_token": token})
}

func (p *provider) signed(g grant) (string, error) {
	signer, err := jose.NewSigner(
		jose.SigningKey{Algorithm: jose.RS256, Key: jose.JSONWebKey{Key: p.key, KeyID: keyName}},
		(&jose.SignerOptions{}).WithType("JWT"),
	)
	if err != nil {
		return "", err
	}
	now := time.Now()
	claims, err := json.Marshal(map[string]any{
		"iss":                p.issuer,
		"sub":                g.account.Subject,
		"aud":                p.id,
		"iat":                now.Unix(),
		"exp":                now.Add(time.Minute).Unix(),
		"auth_time":          g.at.Unix(),
		"nonce":              g.nonce,
		"preferred_username": g.account.Name,
		"name":               g.account.Display,
		"groups":             g.account.Groups,
	})
	if err != nil {
		return "", err
	}
	token, err := signer.Sign(claims)
	if err != nil {
		return "", err
	}
	return token.CompactSerialize()
}
