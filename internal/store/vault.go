package store

import (
	"crypto/cipher"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"golang.org/x/crypto/chacha20poly1305"

	"tirelessowl/internal/domain"
)

// Vault seals secrets with a key that lives in a file outside the database.
type Vault struct {
	aead cipher.AEAD
	// before is the key that is being left, nil where none is.
	before cipher.AEAD
}

// nextKey is what the file of the next key ends with, beside that of the present one. As long
// as it is there, secrets may be sealed with either.
const nextKey = ".next"

// OpenVault reads the key file, or makes one that only its owner may read.
func OpenVault(file string) (*Vault, error) {
	key, err := readKey(file)
	if errors.Is(err, os.ErrNotExist) {
		key, err = makeKey(file)
	}
	if err != nil {
		return nil, fmt.Errorf("key file: %w", err)
	}
	aead, err := chacha20poly1305.NewX(key)
	if err != nil {
		return nil, err
	}
	next, err := readKey(file + nextKey)
	if errors.Is(err, os.ErrNotExist) {
		return &Vault{aead, nil}, nil
	}
	if err != nil {
		return nil, fmt.Errorf("next key file: %w", err)
	}
	after, err := chacha20poly1305.NewX(next)
	return &Vault{after, aead}, err
}

// Rotating tells whether a key is being left.
func (v *Vault) Rotating() bool { return v.before != nil }

// BeginRotation makes the next key, unless there is one: a vault that is opened from here on
// seals with it, and opens with both.
func BeginRotation(file string) error {
	if _, err := readKey(file); err != nil {
		return fmt.Errorf("key file: %w", err)
	}
	_, err := readKey(file + nextKey)
	if errors.Is(err, os.ErrNotExist) {
		_, err = makeKey(file + nextKey)
	}
	return err
}

// EndRotation lets the next key be the present one. Everything must be sealed with it.
func EndRotation(file string) error {
	if err := os.Rename(file+nextKey, file); err != nil {
		return err
	}
	return syncDir(filepath.Dir(file))
}

func readKey(file string) ([]byte, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	key, err := hex.DecodeString(strings.TrimSpace(string(text)))
	if err != nil || len(key) != chacha20poly1305.KeySize {
		return nil, fmt.Errorf("%s does not hold a key of %d bytes in hexadecimal", file, chacha20poly1305.KeySize)
	}
	return key, nil
}

func makeKey(file string) ([]byte, error) {
	key := make([]byte, chacha20poly1305.KeySize)
	if _, err := rand.Read(key); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o711); err != nil {
		return nil, err
	}
	return key, writeKey(file, key)
}

// writeKey stores a key so that it is there after the machine lost its power: what is sealed
// with it may be stored before this file is.
func writeKey(file string, key []byte) error {
	part := file + ".part"
	f, err := os.OpenFile(part, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	_, err = f.WriteString(hex.EncodeToString(key) + "\n")
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return err
	}
	if err := os.Rename(part, file); err != nil {
		return err
	}
	return syncDir(filepath.Dir(file))
}

func syncDir(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	return errors.Join(d.Sync(), d.Close())
}

// Seal encrypts a secret (XChaCha20-Poly1305, random nonce in front).
func (v *Vault) Seal(s domain.Secret) ([]byte, error) {
	nonce := make([]byte, v.aead.NonceSize(), v.aead.NonceSize()+len(s)+v.aead.Overhead())
	if _, err := rand.Read(nonce); err != nil {
		return nil, err
	}
	return v.aead.Seal(nonce, nonce, []byte(s.Reveal()), nil), nil
}

// sealed are secrets by the names of their fields, each sealed by itself.
type sealed map[string][]byte

// names returns which secrets there are.
func (s sealed) names() []string { return slices.Sorted(maps.Keys(s)) }

// sealAll seals secrets, in the place of those of the same name before; empty
// ones change nothing.
func (v *Vault) sealAll(before sealed, secrets domain.Secrets) (sealed, error) {
	out := maps.Clone(before)
	if out == nil {
		out = sealed{}
	}
	for name, secret := range secrets {
		if secret == "" {
			continue
		}
		data, err := v.Seal(secret)
		if err != nil {
			return nil, err
		}
		out[name] = data
	}
	return out, nil
}

func (v *Vault) openAll(all sealed) (domain.Secrets, error) {
	out := domain.Secrets{}
	for name, data := range all {
		secret, err := v.Open(data)
		if err != nil {
			return nil, err
		}
		out[name] = secret
	}
	return out, nil
}

// Open decrypts a sealed secret; it fails when the key is another one.
func (v *Vault) Open(sealed []byte) (domain.Secret, error) {
	n := v.aead.NonceSize()
	if len(sealed) < n {
		return "", errors.New("the sealed secret is damaged")
	}
	plain, err := v.aead.Open(nil, sealed[:n], sealed[n:], nil)
	if err != nil && v.before != nil {
		plain, err = v.before.Open(nil, sealed[:n], sealed[n:], nil)
	}
	if err != nil {
		return "", errors.New("the secret cannot be opened: is the key file the right one?")
	}
	return domain.Secret(plain), nil
}
