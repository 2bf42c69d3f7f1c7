// Package auth makes and checks secrets: passwords with argon2id, random tokens
// kept only as hashes. It stores nothing.
package auth

import (
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"strings"

	"golang.org/x/crypto/argon2"
)

// Cost of a password: RFC 9106's second recommended choice.
const (
	passes  = 3
	memory  = 64 * 1024 // KiB
	lanes   = 4
	keySize = 32
)

// MinPassword is the shortest password, in characters.
const MinPassword = 10

// slots bounds how many passwords are hashed at once, as each takes 64 MiB.
var slots = make(chan struct{}, 2)

func derive(password string, salt []byte, t, m uint32, p uint8, size uint32) []byte {
	slots <- struct{}{}
	defer func() { <-slots }()
	return argon2.IDKey([]byte(password), salt, t, m, p, size)
}

// HashPassword gives the PHC string of a password with fresh salt.
func HashPassword(password string) string {
	salt := make([]byte, 16)
	rand.Read(salt)
	key := derive(password, salt, passes, memory, lanes, keySize)
	b64 := base64.RawStdEncoding.EncodeToString
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, memory, passes, lanes, b64(salt), b64(key))
}

// CheckPassword tells whether a password fits a PHC string. With an empty string
// it takes as long as a check would and fails, so that an unknown name cannot be
// told from a wrong password.
func CheckPassword(phc, password string) bool {
	parts := strings.Split(phc, "$")
	if len(parts) != 6 {
		derive(password, make([]byte, 16), passes, memory, lanes, keySize)
		return false
	}
	var m, t uint32
	var p uint8
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &m, &t, &p); err != nil {
		return false
	}
	salt, err1 := base64.RawStdEncoding.DecodeString(parts[4])
	want, err2 := base64.RawStdEncoding.DecodeString(parts[5])
	if err1 != nil || err2 != nil || len(want) == 0 {
		return false
	}
	got := derive(password, salt, t, m, p, uint32(len(want)))
	return subtle.ConstantTimeCompare(got, want) == 1
}

// TokenPrefix begins every token's secret, so that a leaked one is recognised.
const TokenPrefix = "grotta_"

// NewSecret is 130 random bits as text.
func NewSecret() string { return strings.ToLower(rand.Text()) }

// NewID is a random id, 80 bits.
func NewID() string { return NewSecret()[:16] }

// HashSecret is what is kept of a secret.
func HashSecret(secret string) string {
	sum := sha256.Sum256([]byte(secret))
	return hex.EncodeToString(sum[:])
}
