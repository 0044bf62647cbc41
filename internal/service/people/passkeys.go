package people

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	neturl "net/url"
	"slices"
	"strings"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

var (
	addPasskey  = act.Deed{Name: "add a passkey"}
	takePasskey = act.Deed{Name: "take away a passkey"}
)

// Ceremony is a passkey being made or used: between its two steps a browser asks its
// device, and we keep what was asked.
type Ceremony struct {
	Options any    // for the browser
	Kept    []byte // for the second step
}

// ErrNoName is told where passkeys cannot be: they belong to a name, not to an address.
var ErrNoName = fmt.Errorf("%w: passkeys need a name in the address of the application (OWL_URL)", domain.ErrConflict)

// keysOf checks passkeys of the application at an address; nil where that has no name.
func keysOf(url string) *webauthn.WebAuthn {
	at, err := neturl.Parse(url)
	if err != nil || at.Hostname() == "" || net.ParseIP(at.Hostname()) != nil {
		return nil
	}
	keys, err := webauthn.New(&webauthn.Config{
		RPID:          at.Hostname(),
		RPDisplayName: issuer,
		RPOrigins:     []string{at.Scheme + "://" + at.Host},
		AuthenticatorSelection: protocol.AuthenticatorSelection{
			ResidentKey:      protocol.ResidentKeyRequirementRequired,
			UserVerification: protocol.VerificationRequired,
		},
		Timeouts: webauthn.TimeoutsConfig{
			Login:        webauthn.TimeoutConfig{Enforce: true},
			Registration: webauthn.TimeoutConfig{Enforce: true},
		},
	})
	if err != nil {
		return nil
	}
	return keys
}

// Passkeys tells whether there can be passkeys.
func (s *Service) Passkeys() bool { return s.keys != nil }

// keyOwner is a person as the library sees one.
type keyOwner struct {
	domain.User
	keys        []domain.Passkey
	credentials []webauthn.Credential
}

func (o keyOwner) WebAuthnID() []byte                         { return binary.BigEndian.AppendUint64(nil, uint64(o.ID)) }
func (o keyOwner) WebAuthnName() string                       { return o.Name }
func (o keyOwner) WebAuthnDisplayName() string                { return o.Called() }
func (o keyOwner) WebAuthnCredentials() []webauthn.Credential { return o.credentials }

func (s *Service) keyOwner(ctx context.Context, user domain.ID) (o keyOwner, err error) {
	if o.User, err = s.store.Users.One(ctx, user); err != nil {
		return o, err
	}
	if o.keys, err = s.store.Factors.Passkeys(ctx, user); err != nil {
		return o, err
	}
	for _, k := range o.keys {
		var c webauthn.Credential
		if err := json.Unmarshal(k.Credential, &c); err != nil {
			return o, err
		}
		o.credentials = append(o.credentials, c)
	}
	return o, nil
}

func ceremony(options any, session *webauthn.SessionData, err error) (Ceremony, error) {
	if err != nil {
		return Ceremony{}, err
	}
	kept, err := json.Marshal(session)
	return Ceremony{options, kept}, err
}

func kept(data []byte) (session webauthn.SessionData, err error) {
	if len(data) == 0 || json.Unmarshal(data, &session) != nil {
		return session, errPasskey
	}
	return session, nil
}

var errPasskey = domain.FieldErrors{"passkey": "This passkey was not accepted. Try again."}

// BeginPasskey begins to make a passkey of a person.
func (s *Service) BeginPasskey(ctx context.Context, who access.Actor) (c Ceremony, err error) {
	if s.keys == nil {
		return c, ErrNoName
	}
	err = s.desk.Do(ctx, who, addPasskey, func(w *act.Work) error {
		if _, err := s.self(ctx, w, who); err != nil {
			return err
		}
		o, err := s.keyOwner(ctx, who.ID)
		if err != nil {
			return err
		}
		there := webauthn.WithExclusions(webauthn.Credentials(o.credentials).CredentialDescriptors())
		options, session, err := s.keys.BeginRegistration(o, there)
		c, err = ceremony(options, session, err)
		return err
	})
	return c, err
}

// AddPasskey stores the passkey that a device has made.
func (s *Service) AddPasskey(ctx context.Context, who access.Actor, name string, data, answer []byte) (k domain.Passkey, err error) {
	if s.keys == nil {
		return k, ErrNoName
	}
	name = strings.TrimSpace(name)
	err = s.desk.Do(ctx, who, addPasskey, func(w *act.Work) error {
		u, err := s.self(ctx, w, who)
		if err != nil {
			return err
		}
		if name == "" || len(name) > maxName {
			return domain.FieldErrors{"name": fmt.Sprintf("Give the passkey a name of at most %d characters.", maxName)}
		}
		credential, err := s.made(ctx, who.ID, data, answer)
		if err != nil {
			return err
		}
		k = domain.Passkey{UserID: who.ID, Name: name, KeyID: credential.ID, Since: s.now().UTC()}
		if k.Credential, err = json.Marshal(credential); err != nil {
			return err
		}
		k, err = w.Factors.AddPasskey(ctx, k)
		if errors.Is(err, domain.ErrConflict) {
			return domain.FieldErrors{"passkey": "This passkey is there already."}
		}
		w.NoteFor(thing(u), nil, nil, name)
		return err
	})
	return k, err
}

// made checks what a device has made.
func (s *Service) made(ctx context.Context, user domain.ID, data, answer []byte) (*webauthn.Credential, error) {
	o, err := s.keyOwner(ctx, user)
	if err != nil {
		return nil, err
	}
	session, err := kept(data)
	if err != nil {
		return nil, err
	}
	parsed, err := protocol.ParseCredentialCreationResponseBytes(answer)
	if err != nil {
		return nil, errPasskey
	}
	credential, err := s.keys.CreateCredential(o, session, parsed)
	if err != nil {
		return nil, errPasskey
	}
	return credential, nil
}

// TakePasskey takes one's own passkey away.
func (s *Service) TakePasskey(ctx context.Context, who access.Actor, id domain.ID) error {
	return s.desk.Do(ctx, who, takePasskey, func(w *act.Work) error {
		k, err := w.Factors.Passkey(ctx, id)
		if err != nil {
			return w.Missing(err)
		}
		if k.UserID != who.ID || who.Kind != access.Person {
			return w.Missing(domain.ErrNotFound)
		}
		u, err := s.self(ctx, w, who)
		if err != nil {
			return err
		}
		w.NoteFor(thing(u), nil, nil, k.Name)
		return w.Factors.DropPasskey(ctx, id)
	})
}

// BeginPasskeySignIn begins a sign-in with a passkey, whoever it is of.
func (s *Service) BeginPasskeySignIn() (Ceremony, error) {
	if s.keys == nil {
		return Ceremony{}, ErrNoName
	}
	options, session, err := s.keys.BeginDiscoverableLogin(webauthn.WithUserVerification(protocol.VerificationRequired))
	return ceremony(options, session, err)
}

// PasskeySignIn signs in whose passkey was used. It needs no password: the device has
// made sure who uses it, and the person has the device.
func (s *Service) PasskeySignIn(ctx context.Context, data, answer []byte, a Arrival) (Entered, error) {
	o, used, err := s.used(ctx, data, answer, 0)
	if err != nil {
		if o.ID != 0 || errors.As(err, new(domain.FieldErrors)) {
			s.noteFailed(ctx, o.User, o.Name, a.From, "the passkey was not right")
		}
		return Entered{}, err
	}
	return s.enter(ctx, o.User, a, func(w *act.Work) error { return w.Factors.UsedPasskey(ctx, used) })
}

// BeginPasskeyTrust begins to show once more by a passkey who is signed in.
func (s *Service) BeginPasskeyTrust(ctx context.Context, who access.Actor) (c Ceremony, err error) {
	if s.keys == nil {
		return c, ErrNoName
	}
	err = s.desk.Do(ctx, who, trustBrowser, func(w *act.Work) error {
		if _, err := s.self(ctx, w, who); err != nil {
			return err
		}
		o, err := s.keyOwner(ctx, who.ID)
		if err != nil {
			return err
		}
		if len(o.keys) == 0 {
			return domain.FieldErrors{"passkey": "You have no passkey."}
		}
		options, session, err := s.keys.BeginLogin(o, webauthn.WithUserVerification(protocol.VerificationRequired))
		c, err = ceremony(options, session, err)
		return err
	})
	return c, err
}

// PasskeyTrust makes the browser of a sign-in a trusted one, when the passkey was one of
// the person who is signed in. It returns the key for the browser to keep.
func (s *Service) PasskeyTrust(ctx context.Context, who access.Actor, data, answer []byte, agent string) (key domain.Secret, err error) {
	err = s.desk.Do(ctx, who, trustBrowser, func(w *act.Work) error {
		u, err := s.self(ctx, w, who)
		if err != nil {
			return err
		}
		_, used, err := s.used(ctx, data, answer, who.ID)
		if err != nil {
			return err
		}
		if err := w.Factors.UsedPasskey(ctx, used); err != nil {
			return err
		}
		key, err = s.trust(ctx, w, who, u, agent)
		return err
	})
	return key, err
}

// used checks the answer of a device, and returns whose passkey it used, as it is known
// since; of is the person whose it must be, zero for anybody.
func (s *Service) used(ctx context.Context, data, answer []byte, of domain.ID) (o keyOwner, used domain.Passkey, err error) {
	if s.keys == nil {
		return o, used, ErrNoName
	}
	session, err := kept(data)
	if err != nil {
		return o, used, err
	}
	parsed, err := protocol.ParseCredentialRequestResponseBytes(answer)
	if err != nil {
		return o, used, errPasskey
	}
	credential, err := s.checked(ctx, &o, session, parsed, of)
	if err != nil || credential.Authenticator.CloneWarning {
		return o, used, errPasskey // also where two devices seem to have the same key
	}
	at := slices.IndexFunc(o.keys, func(k domain.Passkey) bool { return slices.Equal(k.KeyID, credential.ID) })
	if at < 0 {
		return o, used, errPasskey
	}
	used = o.keys[at]
	used.UsedAt = s.now().UTC()
	used.Credential, err = json.Marshal(credential)
	return o, used, err
}

func (s *Service) checked(
	ctx context.Context,
	o *keyOwner,
	session webauthn.SessionData,
	answer *protocol.ParsedCredentialAssertionData,
	of domain.ID,
) (credential *webauthn.Credential, err error) {
	if of != 0 {
		if *o, err = s.keyOwner(ctx, of); err != nil {
			return nil, err
		}
		return s.keys.ValidateLogin(*o, session, answer)
	}
	find := func(_, handle []byte) (webauthn.User, error) {
		if len(handle) != 8 {
			return nil, errPasskey
		}
		*o, err = s.keyOwner(ctx, domain.ID(binary.BigEndian.Uint64(handle)))
		return *o, err
	}
	_, credential, err = s.keys.ValidatePasskeyLogin(find, session, answer)
	return credential, err
}
