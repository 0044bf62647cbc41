package usm

import (
	"crypto/aes"
	gocipher "crypto/cipher"
	"crypto/des"
	"crypto/subtle"
	"encoding/binary"
	"hash"
)

// Privacy is how messages are encrypted.
type Privacy string

// The ways to encrypt. For AES with longer keys there is no standard, and vendors lengthen
// the key in two ways: by hashing it again, or by making another key from it as from a
// password.
const (
	NoPrivacy     Privacy = "none"
	DES           Privacy = "des"            // RFC 3414 section 8
	AES128        Privacy = "aes128"         // RFC 3826
	AES192        Privacy = "aes192"         // hashed again
	AES256        Privacy = "aes256"         // hashed again
	AES192Chained Privacy = "aes192-chained" // as from a password
	AES256Chained Privacy = "aes256-chained" // as from a password
	saltSize              = 8                // of both, in bytes
)

// cipher is an algorithm with the length of its key, in bytes, and how a key that is too
// short is lengthened.
type cipher struct {
	key     int
	des     bool
	chained bool
}

var ciphers = map[Privacy]cipher{
	DES:           {key: 16, des: true},
	AES128:        {key: 16},
	AES192:        {key: 24},
	AES256:        {key: 32},
	AES192Chained: {key: 24, chained: true},
	AES256Chained: {key: 32, chained: true},
}

// lengthened is a localized key of the length that a cipher needs.
func (c cipher) lengthened(h func() hash.Hash, key, engine []byte) []byte {
	for last := key; len(key) < c.key; key = append(key, last...) {
		if c.chained {
			last = localized(h, fromPassword(h, last), engine)
			continue
		}
		sum := h()
		sum.Write(key)
		last = sum.Sum(nil)
	}
	return key[:c.key]
}

// Encrypt encrypts what is inside of a message. Boots and seconds are those of the engine
// that stand in the message, salt must be another one each time. It returns what the message
// tells of the salt, too.
func (k Keys) Encrypt(plain []byte, boots, seconds uint32, salt uint64) (data, params []byte) {
	params = binary.BigEndian.AppendUint64(nil, salt)
	if k.des {
		binary.BigEndian.PutUint32(params, boots) // RFC 3414 section 8.1.1.1
		block, iv := k.desBlock(params)
		padded := append([]byte(nil), plain...)
		padded = append(padded, make([]byte, (des.BlockSize-len(plain)%des.BlockSize)%des.BlockSize)...)
		gocipher.NewCBCEncrypter(block, iv).CryptBlocks(padded, padded)
		return padded, params
	}
	return feedback(k.priv, ivOf(boots, seconds, params), plain, true), params
}

// Decrypt is the opposite. Behind what was encrypted some bytes may stand that fill a block.
func (k Keys) Decrypt(data []byte, boots, seconds uint32, params []byte) ([]byte, error) {
	if len(params) != saltSize || k.priv == nil {
		return nil, ErrEncrypted
	}
	if !k.des {
		return feedback(k.priv, ivOf(boots, seconds, params), data, false), nil
	}
	if len(data)%des.BlockSize != 0 {
		return nil, ErrEncrypted
	}
	block, iv := k.desBlock(params)
	plain := make([]byte, len(data))
	gocipher.NewCBCDecrypter(block, iv).CryptBlocks(plain, data)
	return plain, nil
}

// desBlock is the cipher, and where it begins: the second half of the key tells it together
// with the salt (RFC 3414 section 8.1.1.1).
func (k Keys) desBlock(salt []byte) (gocipher.Block, []byte) {
	block, err := des.NewCipher(k.priv[:des.BlockSize])
	if err != nil {
		panic(err) // only a wrong length of the key can bring it
	}
	iv := make([]byte, des.BlockSize)
	subtle.XORBytes(iv, k.priv[des.BlockSize:2*des.BlockSize], salt)
	return block, iv
}

// ivOf is where AES begins: boots, seconds and salt (RFC 3826 section 3.1.2.1).
func ivOf(boots, seconds uint32, salt []byte) []byte {
	iv := binary.BigEndian.AppendUint32(nil, boots)
	iv = binary.BigEndian.AppendUint32(iv, seconds)
	return append(iv, salt...)
}

// feedback is AES in cipher feedback mode of 128 bits (RFC 3826 section 3.1.3), which the
// library of the language has given up.
func feedback(key, iv, in []byte, encrypt bool) []byte {
	block, err := aes.NewCipher(key)
	if err != nil {
		panic(err) // only a wrong length of the key can bring it
	}
	out, pad := make([]byte, len(in)), make([]byte, aes.BlockSize)
	for at := 0; at < len(in); at += aes.BlockSize {
		block.Encrypt(pad, iv)
		end := min(at+aes.BlockSize, len(in))
		subtle.XORBytes(out[at:end], in[at:end], pad)
		iv = in[at:end]
		if encrypt {
			iv = out[at:end]
		}
	}
	return out
}
