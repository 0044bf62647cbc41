package oidc

import (
	"context"
	"crypto/subtle"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"time"

	"tirelessowl/internal/domain"
)

// askedTime is for how long a person may take at the provider.
const askedTime = 10 * time.Minute

// Begin returns where to send a person, who comes back to an address of ours, and what to
// keep until then.
func (c *Client) Begin(ctx context.Context, p domain.Provider, back string, again bool) (to string, kept []byte, err error) {
	a := NewAsked(back, again, c.now())
	if to, err = c.Address(ctx, p, a); err != nil {
		return "", nil, err
	}
	kept, err = json.Marshal(a)
	return to, kept, err
}

// Finish returns who came back with the parameters of the address.
func (c *Client) Finish(
	ctx context.Context,
	p domain.Provider,
	secret domain.Secret,
	kept []byte,
	back url.Values,
) (domain.Identity, error) {
	var a Asked
	if len(kept) == 0 || json.Unmarshal(kept, &a) != nil {
		return domain.Identity{}, errors.New("nobody was asked about from this browser")
	}
	if c.now().Sub(a.At).Abs() > askedTime {
		return domain.Identity{}, errors.New("it took too long")
	}
	if subtle.ConstantTimeCompare([]byte(a.State), []byte(back.Get("state"))) != 1 {
		return domain.Identity{}, fmt.Errorf("%w: it answers another question", ErrLies)
	}
	if problem := back.Get("error"); problem != "" {
		return domain.Identity{}, short(fmt.Errorf("it says %q", problem))
	}
	return c.Person(ctx, p, secret, a, back.Get("code"))
}
