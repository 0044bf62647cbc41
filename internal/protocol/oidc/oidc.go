// Package oidc asks a provider of OpenID Connect who a person is (OpenID Connect Core 1.0,
// the authorization code flow of section 3.1, with PKCE, RFC 7636).
package oidc

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"sync"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/protocol/dial"
)

// patience is how long one request to the provider may take, maxAnswer how many bytes it
// may answer, and freshness for how long what it says of itself is believed.
const (
	patience  = 5 * time.Second
	maxAnswer = 1 << 20
	freshness = 10 * time.Minute
)

// Client asks providers. It is safe for concurrent use.
type Client struct {
	http *http.Client
	now  func() time.Time
	mu   sync.Mutex
	at   time.Time
	of   *oidc.Provider
	name string // its issuer
}

// New returns a client that connects by a given way; now is the present time, by which what
// is issued may have ended.
func New(now func() time.Time, by dial.Func) *Client {
	c := dial.Client(by, patience)
	c.Transport = bounded{c.Transport}
	return &Client{http: c, now: now}
}

// bounded cuts answers that are too long.
type bounded struct{ next http.RoundTripper }

type cut struct {
	io.Reader
	io.Closer
}

// RoundTrip implements http.RoundTripper.
func (b bounded) RoundTrip(r *http.Request) (*http.Response, error) {
	res, err := b.next.RoundTrip(r)
	if err == nil {
		res.Body = cut{io.LimitReader(res.Body, maxAnswer), res.Body}
	}
	return res, err
}

// Asked is one question: what the provider must say again, and what only we know.
type Asked struct {
	State    string
	Nonce    string
	Verifier string
	Return   string // the address to come back to
	// Again asks that the person signs in anew, even where the provider knows him still.
	Again bool
	At    time.Time
}

// NewAsked returns a question that nobody can guess.
func NewAsked(back string, again bool, now time.Time) Asked {
	return Asked{
		State:    oauth2.GenerateVerifier(),
		Nonce:    oauth2.GenerateVerifier(),
		Verifier: oauth2.GenerateVerifier(),
		Return:   back,
		Again:    again,
		At:       now,
	}
}

// Check tells whether the provider can be reached and says that it is who it should be.
func (c *Client) Check(ctx context.Context, p domain.Provider) error {
	c.forget()
	_, err := c.provider(ctx, p.Issuer)
	return err
}

func (c *Client) forget() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.of = nil
}

// provider returns what a provider says of itself, from the last minutes or anew.
func (c *Client) provider(ctx context.Context, issuer string) (*oidc.Provider, error) {
	c.mu.Lock()
	known := c.of
	if known != nil && (c.name != issuer || c.now().Sub(c.at).Abs() > freshness) {
		known = nil
	}
	c.mu.Unlock()
	if known != nil {
		return known, nil
	}
	// Its keys are fetched later, when this request is over; the client gives up by itself.
	found, err := oidc.NewProvider(oidc.ClientContext(context.WithoutCancel(ctx), c.http), issuer)
	if err != nil {
		return nil, fmt.Errorf("the provider does not answer as one: %w", short(err))
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.of, c.name, c.at = found, issuer, c.now()
	return found, nil
}

// short keeps what others say within bounds.
func short(err error) error {
	const most = 300
	if text := err.Error(); len(text) > most {
		return errors.New(text[:most] + " …")
	}
	return err
}

func (c *Client) config(p domain.Provider, secret domain.Secret, found *oidc.Provider, a Asked) oauth2.Config {
	return oauth2.Config{
		ClientID:     p.ClientID,
		ClientSecret: secret.Reveal(),
		Endpoint:     found.Endpoint(),
		RedirectURL:  a.Return,
		Scopes:       []string{oidc.ScopeOpenID, "profile", "groups"},
	}
}

// Address returns where to send the person.
func (c *Client) Address(ctx context.Context, p domain.Provider, a Asked) (string, error) {
	found, err := c.provider(ctx, p.Issuer)
	if err != nil {
		return "", err
	}
	options := []oauth2.AuthCodeOption{oidc.Nonce(a.Nonce), oauth2.S256ChallengeOption(a.Verifier)}
	if a.Again {
		options = append(options, oauth2.SetAuthURLParam("prompt", "login"), oauth2.SetAuthURLParam("max_age", "0"))
	}
	config := c.config(p, "", found, a)
	return config.AuthCodeURL(a.State, options...), nil
}

// ErrLies is told where what a provider says cannot be believed.
var ErrLies = errors.New("what the provider says is not to be believed")

// Person exchanges a code for who the person is.
func (c *Client) Person(ctx context.Context, p domain.Provider, secret domain.Secret, a Asked, code string) (domain.Identity, error) {
	found, err := c.provider(ctx, p.Issuer)
	if err != nil {
		return domain.Identity{}, err
	}
	ctx, cancel := context.WithTimeout(oidc.ClientContext(ctx, c.http), 2*patience)
	defer cancel()
	config := c.config(p, secret, found, a)
	token, err := config.Exchange(ctx, code, oauth2.VerifierOption(a.Verifier))
	if err != nil {
		return domain.Identity{}, fmt.Errorf("the provider does not take the code: %w", short(err))
	}
	raw, _ := token.Extra("id_token").(string)
	checked, err := found.VerifierContext(ctx, &oidc.Config{ClientID: p.ClientID, Now: c.now}).Verify(ctx, raw)
	if err != nil {
		return domain.Identity{}, fmt.Errorf("%w: %w", ErrLies, short(err))
	}
	if checked.Nonce != a.Nonce {
		return domain.Identity{}, fmt.Errorf("%w: it answers another question", ErrLies)
	}
	return identity(p, a, checked)
}

// slack is by how much the clocks of the provider and ours may differ.
const slack = time.Minute

func identity(p domain.Provider, a Asked, checked *oidc.IDToken) (out domain.Identity, err error) {
	var said map[string]any
	if err := checked.Claims(&said); err != nil {
		return out, fmt.Errorf("%w: %w", ErrLies, short(err))
	}
	if a.Again {
		at, ok := said["auth_time"].(float64)
		if !ok || time.Unix(int64(at), 0).Before(a.At.Add(-slack)) {
			return out, fmt.Errorf("%w: the person did not sign in anew there", ErrLies)
		}
	}
	out = domain.Identity{Issuer: checked.Issuer, Subject: checked.Subject}
	out.Name, _ = said["preferred_username"].(string)
	out.Display, _ = said["name"].(string)
	list, _ := said[p.GroupsClaim].([]any)
	for _, g := range list {
		if group, ok := g.(string); ok && len(out.Groups) < mostGroups {
			out.Groups = append(out.Groups, group)
		}
	}
	return out, nil
}

// mostGroups bounds in how many groups somebody is believed to be.
const mostGroups = 1000
