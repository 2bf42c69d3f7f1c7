package replica

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// What was copied within a tick of its last change may miss another one of the same time.
func TestFreshStampsAreCopiedAgain(t *testing.T) {
	at := time.Now()
	for age, fresh := range map[time.Duration]bool{0: true, 4 * time.Millisecond: true, -4 * time.Millisecond: true, time.Second: false, -time.Hour: false} {
		changed := at.Add(-age).UnixNano()
		assert.Equal(t, fresh, stamp{db: changed - int64(time.Hour), wal: changed}.isFresh(at), age)
	}
	assert.False(t, stamp{}.isFresh(at), "no files yet")
}
