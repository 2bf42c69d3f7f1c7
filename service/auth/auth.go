// Package auth makes and checks secrets: passwords with argon2id, random tokens
// kept only as hashes. It stores nothing.
package auth

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"
	"sync/atomic"

	"github.com/alexedwards/argon2id"
)

// cost of a password: RFC 9106's second recommended choice.
var cost = argon2id.Params{Memory: 64 * 1024, Iterations: 3, Parallelism: 4, SaltLength: 16, KeyLength: 32}

// SetCost sets the memory, in KiB, and the passes of every new password. Tests call it before anything
// else; a service keeps the values above.
func SetCost(memoryKiB, passes uint32) {
	cost.Memory, cost.Iterations = memoryKiB, passes
	noPassword = fmt.Sprintf("$argon2id$v=19$m=%d,t=%d,p=4$AAAAAAAAAAAAAAAAAAAAAA$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA", memoryKiB, passes)
}

// MinPassword is the shortest password, in characters.
const MinPassword = 10

// ErrBusy says that so many passwords wait to be checked that another one is not taken.
var ErrBusy = errors.New("too many people are signing in; try again in a few seconds")

// lane bounds how many passwords are hashed at once, as each takes 64 MiB, and how many
// wait for that.
type lane struct {
	slots   chan struct{}
	waiting atomic.Int32
	most    int32
}

func newLane(slots int, most int32) *lane {
	return &lane{slots: make(chan struct{}, slots), most: most}
}

func (l *lane) do(hash func()) error {
	if l.waiting.Add(1) > l.most {
		l.waiting.Add(-1)
		return ErrBusy
	}
	l.slots <- struct{}{}
	defer func() { <-l.slots; l.waiting.Add(-1) }()
	hash()
	return nil
}

// Names that there are and names that there are not wait apart, so that a flood of wrong
// names cannot hold up a right one.
var known, unknown = newLane(2, 32), newLane(1, 4)

// HashPassword gives the PHC string of a password with fresh salt. ErrBusy where too
// many are hashed already.
func HashPassword(password string) (phc string, err error) {
	if busy := known.do(func() { phc, err = argon2id.CreateHash(password, &cost) }); busy != nil {
		return "", busy
	}
	return phc, err
}

// noPassword is the PHC string of a password that nobody has.
var noPassword = "$argon2id$v=19$m=65536,t=3,p=4$AAAAAAAAAAAAAAAAAAAAAA$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"

// CheckPassword tells whether a password fits a PHC string. With an empty string
// it takes as long as a check would and fails, so that an unknown name cannot be
// told from a wrong password. ErrBusy where too many wait already.
func CheckPassword(phc, password string) (fits bool, err error) {
	lane := known
	if phc == "" {
		lane, phc = unknown, noPassword
	}
	err = lane.do(func() {
		if params, _, key, err := argon2id.DecodeHash(phc); err != nil || len(key) == 0 || params.Memory > 1<<20 {
			return // a broken string fits nothing
		}
		fits, _ = argon2id.ComparePasswordAndHash(password, phc)
	})
	return fits, err
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
