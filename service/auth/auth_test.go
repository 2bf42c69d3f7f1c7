package auth

import (
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPasswords(t *testing.T) {
	phc, err := HashPassword("salt-marsh-light")
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(phc, "$argon2id$v=19$m=65536,t=3,p=4$"))
	other, err := HashPassword("salt-marsh-light")
	require.NoError(t, err)
	assert.NotEqual(t, phc, other, "salted")
	fits := func(phc, password string) bool {
		ok, err := CheckPassword(phc, password)
		require.NoError(t, err)
		return ok
	}
	assert.True(t, fits(phc, "salt-marsh-light"))
	assert.False(t, fits(phc, "salt-marsh-ligh"))
	for _, broken := range []string{"", "x", "$argon2id$v=19$m=,t=,p=$a$b", strings.Replace(phc, "m=65536", "m=many", 1), phc[:len(phc)-50] + "$"} {
		assert.False(t, fits(broken, "salt-marsh-light"), broken)
	}
	assert.True(t, fits("$argon2id$v=19$m=65536,t=3,p=4$O4Rc/castzGAER9gOUnJqA$P5Dcd/PkeJFeJKRwwHUKJ1OtY3XFwf6nywswHWtPh5I", "salt-marsh-light"), "one of an earlier version")
}

// A flood of unknown names fills its own lane and leaves the other one free.
func TestUnknownNamesWaitApart(t *testing.T) {
	phc, err := HashPassword("salt-marsh-light")
	require.NoError(t, err)
	var flood sync.WaitGroup
	busy := make(chan error, 64)
	for range 64 {
		flood.Go(func() {
			_, err := CheckPassword("", "guess")
			busy <- err
		})
	}
	fits, err := CheckPassword(phc, "salt-marsh-light")
	assert.NoError(t, err)
	assert.True(t, fits)
	flood.Wait()
	close(busy)
	refused := 0
	for err := range busy {
		if err != nil {
			assert.ErrorIs(t, err, ErrBusy)
			refused++
		}
	}
	assert.Greater(t, refused, 32, "most of a flood is refused at once")
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
