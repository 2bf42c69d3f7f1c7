package auth

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestPasswords(t *testing.T) {
	phc := HashPassword("salt-marsh-light")
	assert.True(t, strings.HasPrefix(phc, "$argon2id$v=19$m=65536,t=3,p=4$"))
	assert.NotEqual(t, phc, HashPassword("salt-marsh-light"), "salted")
	assert.True(t, CheckPassword(phc, "salt-marsh-light"))
	assert.False(t, CheckPassword(phc, "salt-marsh-ligh"))
	for _, broken := range []string{"", "x", "$argon2id$v=19$m=,t=,p=$a$b", strings.Replace(phc, "m=65536", "m=many", 1), phc[:len(phc)-50] + "$"} {
		assert.False(t, CheckPassword(broken, "salt-marsh-light"), broken)
	}
}

func TestSecretsAreNotRepeatedAndNotKept(t *testing.T) {
	seen := map[string]bool{}
	for range 1000 {
		s := NewSecret()
		assert.False(t, seen[s])
		seen[s] = true
	}
	assert.NotContains(t, HashSecret("grotta_abc"), "abc")
	assert.Len(t, NewID(), 16)
}
