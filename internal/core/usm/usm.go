// Package usm is the user-based security model of SNMPv3 (RFC 3414): keys of users at
// engines, authentication with HMAC (RFC 3414, RFC 7860) and privacy with DES (RFC 3414) and
// AES (RFC 3826 and the two ways in which vendors lengthen its keys). It knows nothing of
// sockets.
package usm

import (
	"crypto/hmac"
	"crypto/md5"
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha512"
	"errors"
	"fmt"
	"hash"

	"tirelessowl/internal/domain"
)

// Auth is how messages are authenticated.
type Auth string

// The ways to authenticate. MD5 and SHA-1 are those of RFC 3414, the others of RFC 7860.
const (
	NoAuth Auth = "none"
	MD5    Auth = "md5"
	SHA1   Auth = "sha1"
	SHA224 Auth = "sha224"
	SHA256 Auth = "sha256"
	SHA384 Auth = "sha384"
	SHA512 Auth = "sha512"
)

// digest is a hash with the length of the code that is made with it, in bytes
// (RFC 3414 section 6.3.1 and 7.3.1, RFC 7860 section 4.1).
type digest struct {
	hash func() hash.Hash
	mac  int
}

var digests = map[Auth]digest{
	MD5:    {md5.New, 12},
	SHA1:   {sha1.New, 12},
	SHA224: {sha256.New224, 16},
	SHA256: {sha256.New, 24},
	SHA384: {sha512.New384, 32},
	SHA512: {sha512.New, 48},
}

// MinPassword is the shortest password, in bytes (RFC 3414 section 11.2).
const MinPassword = 8

// User is somebody known to agents.
type User struct {
	Name         string
	Auth         Auth
	AuthPassword domain.Secret
	Privacy      Privacy
	PrivPassword domain.Secret
}

// Errors of users and messages.
var (
	ErrUser      = errors.New("no such user can be")
	ErrEncrypted = errors.New("the message cannot be decrypted")
)

// Check says what is wrong with a user; privacy needs authentication (RFC 3414 section 1.4.2.1).
func (u User) Check() error {
	auth, private := u.Auth != NoAuth, u.Privacy != NoPrivacy
	switch {
	case u.Name == "" || len(u.Name) > 32:
		return fmt.Errorf("%w: its name must have 1 to 32 characters", ErrUser)
	case auth && digests[u.Auth].hash == nil:
		return fmt.Errorf("%w: there is no authentication %q", ErrUser, u.Auth)
	case private && ciphers[u.Privacy].key == 0:
		return fmt.Errorf("%w: there is no privacy %q", ErrUser, u.Privacy)
	case private && !auth:
		return fmt.Errorf("%w: privacy needs authentication", ErrUser)
	case auth && len(u.AuthPassword) < MinPassword, private && len(u.PrivPassword) < MinPassword:
		return fmt.Errorf("%w: a password must have at least %d characters", ErrUser, MinPassword)
	}
	return nil
}

// Masters are the keys of a user before they are bound to an engine. Making them takes
// milliseconds, on purpose: a megabyte is hashed for each password.
type Masters struct {
	user       User
	auth, priv []byte
}

// Masters makes the keys of a user.
func (u User) Masters() (Masters, error) {
	m := Masters{user: u}
	if err := u.Check(); err != nil {
		return m, err
	}
	if u.Auth == NoAuth {
		return m, nil
	}
	h := digests[u.Auth].hash
	m.auth = fromPassword(h, []byte(u.AuthPassword.Reveal()))
	if u.Privacy != NoPrivacy {
		m.priv = fromPassword(h, []byte(u.PrivPassword.Reveal()))
	}
	return m, nil
}

// megabyte is how much of the repeated password is hashed (RFC 3414 section A.2).
const megabyte = 1 << 20

// fromPassword is Ku of RFC 3414 section 2.6.
func fromPassword(h func() hash.Hash, password []byte) []byte {
	sum := h()
	block := make([]byte, 0, len(password)*(4096/len(password)+1))
	for len(block) < 4096 {
		block = append(block, password...)
	}
	for left := megabyte; left > 0; left -= len(block) {
		sum.Write(block[:min(left, len(block))])
	}
	return sum.Sum(nil)
}

// localized is Kul of RFC 3414 section 2.6: H(Ku || engine || Ku).
func localized(h func() hash.Hash, key, engine []byte) []byte {
	sum := h()
	sum.Write(key)
	sum.Write(engine)
	sum.Write(key)
	return sum.Sum(nil)
}

// Keys are those of a user at one engine. Nil of both means that nothing is authenticated
// and nothing encrypted.
type Keys struct {
	digest
	cipher
	auth, priv []byte
}

// At binds keys to an engine.
func (m Masters) At(engine []byte) Keys {
	k := Keys{digest: digests[m.user.Auth], cipher: ciphers[m.user.Privacy]}
	if m.auth == nil {
		return k
	}
	k.auth = localized(k.hash, m.auth, engine)
	if m.priv != nil {
		k.priv = k.lengthened(k.hash, localized(k.hash, m.priv, engine), engine)
	}
	return k
}

// Authenticates tells whether messages are authenticated, and Encrypts whether they are
// encrypted.
func (k Keys) Authenticates() bool { return k.auth != nil }

// Encrypts tells whether messages are encrypted.
func (k Keys) Encrypts() bool { return k.priv != nil }

// Code is how long the code is that authenticates a message, in bytes; 0 for none.
func (k Keys) Code() int {
	if k.auth == nil {
		return 0
	}
	return k.mac
}

// Sign writes the code of a message into it. At is where the code is; zeros must stand there
// (RFC 3414 section 6.3.1).
func (k Keys) Sign(message []byte, at int) { copy(message[at:at+k.Code()], k.code(message)) }

func (k Keys) code(message []byte) []byte {
	sum := hmac.New(k.hash, k.auth)
	sum.Write(message)
	return sum.Sum(nil)[:k.mac]
}

// Authentic tells whether a message bears its right code at a place.
func (k Keys) Authentic(message []byte, at int) bool {
	n := k.Code()
	if n == 0 || at < 0 || at+n > len(message) {
		return false
	}
	blank := append([]byte(nil), message...)
	clear(blank[at : at+n])
	return hmac.Equal(message[at:at+n], k.code(blank))
}
