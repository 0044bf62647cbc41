package usm

import (
	"bytes"
	"encoding/hex"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
)

func raw(t *testing.T, text string) []byte {
	t.Helper()
	b, err := hex.DecodeString(strings.ReplaceAll(text, " ", ""))
	require.NoError(t, err)
	return b
}

// engine is that of the examples of RFC 3414 section A.3.
const engine = "00 00 00 00 00 00 00 00 00 00 00 02"

// The password “maplesyrup” at the engine above: Ku and Kul of RFC 3414, A.3.1 and A.3.2.
func TestKeysOfTheStandard(t *testing.T) {
	for _, c := range []struct {
		auth    Auth
		ku, kul string
	}{
		{MD5, "9f af 32 83 88 4e 92 83 4e bc 98 47 d8 ed d9 63", "52 6f 5e ed 9f cc e2 6f 89 64 c2 93 07 87 d8 2b"},
		{SHA1, "9f b5 cc 03 81 49 7b 37 93 52 89 39 ff 78 8d 5d 79 14 52 11",
			"66 95 fe bc 92 88 e3 62 82 23 5f c7 15 1f 12 84 97 b3 8f 3f"},
	} {
		ku := fromPassword(digests[c.auth].hash, []byte("maplesyrup"))
		assert.Equal(t, raw(t, c.ku), ku, c.auth)
		assert.Equal(t, raw(t, c.kul), localized(digests[c.auth].hash, ku, raw(t, engine)), c.auth)
	}
}

func user(auth Auth, privacy Privacy) User {
	return User{Name: "owl", Auth: auth, AuthPassword: "maplesyrup", Privacy: privacy, PrivPassword: "sugarmaple"}
}

func keys(t *testing.T, u User) Keys {
	t.Helper()
	m, err := u.Masters()
	require.NoError(t, err)
	return m.At(raw(t, engine))
}

func TestCodesAreAsLongAsTheStandardsSay(t *testing.T) {
	for auth, n := range map[Auth]int{NoAuth: 0, MD5: 12, SHA1: 12, SHA224: 16, SHA256: 24, SHA384: 32, SHA512: 48} {
		assert.Equal(t, n, keys(t, user(auth, NoPrivacy)).Code(), auth)
	}
}

func TestAMessageThatWasChangedIsNotAuthentic(t *testing.T) {
	for auth := range digests {
		k := keys(t, user(auth, NoPrivacy))
		message := append([]byte("head"), make([]byte, k.Code())...)
		message = append(message, "and what it says"...)
		k.Sign(message, 4)
		assert.True(t, k.Authentic(message, 4), auth)
		for i := range message {
			other := bytes.Clone(message)
			other[i] ^= 1
			assert.False(t, k.Authentic(other, 4), "%s, byte %d", auth, i)
		}
		for _, at := range []int{-1, len(message) - k.Code() + 1, len(message) + 7} {
			assert.False(t, k.Authentic(message, at), "%s at %d", auth, at)
		}
		other := user(auth, NoPrivacy)
		other.AuthPassword = "maplesyrup!"
		assert.False(t, keys(t, other).Authentic(message, 4), auth)
		m, err := user(auth, NoPrivacy).Masters()
		require.NoError(t, err)
		assert.False(t, m.At([]byte("another engine")).Authentic(message, 4), auth)
	}
	assert.False(t, Keys{}.Authentic([]byte("anything"), 0), "without a key nothing is authentic")
}

func TestWhatIsEncryptedIsRead(t *testing.T) {
	for privacy := range ciphers {
		k := keys(t, user(SHA256, privacy))
		for _, n := range []int{0, 1, 7, 8, 15, 16, 17, 1500} {
			plain := bytes.Repeat([]byte{0x30}, n)
			data, params := k.Encrypt(plain, 7, 1234, 99)
			require.Len(t, params, 8)
			if n > 6 {
				assert.NotContains(t, string(data), string(plain), privacy)
			}
			got, err := k.Decrypt(data, 7, 1234, params)
			require.NoError(t, err)
			require.GreaterOrEqual(t, len(got), n)
			assert.Equal(t, plain, got[:n], privacy)
			assert.Less(t, len(got)-n, 8, "only a block is filled")
			again, _ := k.Encrypt(plain, 7, 1234, 100)
			if n > 0 {
				assert.NotEqual(t, data, again, "another salt makes another text")
			}
		}
		_, err := k.Decrypt([]byte("seven b"), 7, 1234, []byte("short"))
		assert.ErrorIs(t, err, ErrEncrypted)
	}
	_, err := keys(t, user(SHA256, DES)).Decrypt([]byte("seven b"), 7, 1234, make([]byte, 8))
	assert.ErrorIs(t, err, ErrEncrypted, "DES comes in whole blocks")
	_, err = keys(t, user(SHA256, NoPrivacy)).Decrypt(nil, 7, 1234, make([]byte, 8))
	assert.ErrorIs(t, err, ErrEncrypted)
}

// CFB128 of AES-128, NIST SP 800-38A section F.3.13.
func TestFeedbackOfTheStandard(t *testing.T) {
	key, iv := raw(t, "2b7e151628aed2a6abf7158809cf4f3c"), raw(t, "000102030405060708090a0b0c0d0e0f")
	plain := raw(t, "6bc1bee22e409f96e93d7e117393172a ae2d8a571e03ac9c9eb76fac45af8e51")
	want := raw(t, "3b3fd92eb72dad20333449f8e83cfb4a c8a64537a0b3a93fcde3cdad9f1ce58b")
	assert.Equal(t, want, feedback(key, iv, plain, true))
	assert.Equal(t, plain, feedback(key, iv, want, false))
	assert.Equal(t, want[:21], feedback(key, iv, plain[:21], true), "a block that is not whole")
}

// A SHA-1 key has 20 bytes. Hashed again 32 are Kul || SHA-1(Kul), cut; chained they are Kul
// and the key that Kul makes as a password.
func TestKeysAreLengthenedInBothWays(t *testing.T) {
	h := digests[SHA1].hash
	kul := localized(h, fromPassword(h, []byte("sugarmaple")), raw(t, engine))
	sum := h()
	sum.Write(kul)
	hashed := append(bytes.Clone(kul), sum.Sum(nil)...)[:32]
	chained := append(bytes.Clone(kul), localized(h, fromPassword(h, kul), raw(t, engine))...)[:32]
	assert.Equal(t, hashed, keys(t, user(SHA1, AES256)).priv)
	assert.Equal(t, chained, keys(t, user(SHA1, AES256Chained)).priv)
	assert.Equal(t, hashed[:24], keys(t, user(SHA1, AES192)).priv)
	assert.Equal(t, chained[:24], keys(t, user(SHA1, AES192Chained)).priv)
	assert.Equal(t, kul[:16], keys(t, user(SHA1, AES128)).priv)
	assert.Len(t, keys(t, user(SHA512, AES256)).priv, 32)
}

func TestUsersThatCannotBe(t *testing.T) {
	for name, change := range map[string]func(*User){
		"no name":                        func(u *User) { u.Name = "" },
		"a long name":                    func(u *User) { u.Name = strings.Repeat("x", 33) },
		"an unknown way":                 func(u *User) { u.Auth = "sha3" },
		"unknown privacy":                func(u *User) { u.Privacy = "rc4" },
		"privacy without authentication": func(u *User) { u.Auth = NoAuth },
		"a short password":               func(u *User) { u.AuthPassword = "seven b" },
		"a short one for privacy":        func(u *User) { u.PrivPassword = domain.Secret("seven b") },
	} {
		u := user(SHA256, AES128)
		change(&u)
		_, err := u.Masters()
		assert.ErrorIs(t, err, ErrUser, name)
	}
	_, err := User{Name: "open", Auth: NoAuth, Privacy: NoPrivacy}.Masters()
	assert.NoError(t, err)
}
