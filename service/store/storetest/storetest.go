// Package storetest fills stores for tests and benchmarks.
package storetest

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"grotta/demo"
	"grotta/service/store"
)

// Levels makes one person and so many levels of theirs: each is the demo with names of its own for lights and blocks, so
// that no two share the pieces of those. It returns the person and the last level's id.
func Levels(tb testing.TB, st *store.Store, count int) (maren store.Asker, last string) {
	tb.Helper()
	require.NoError(tb, st.AddUser("maren", "salt-marsh-light"))
	maren = store.Asker{ID: 1, Name: "maren"}
	for i := range count {
		l := demo.Saltmarsh()
		for j := range l.Lights {
			l.Lights[j].Name = fmt.Sprintf("%s %d", l.Lights[j].Name, i)
		}
		for j := range l.Solids {
			l.Solids[j].Name = fmt.Sprintf("%s %d", l.Solids[j].Name, i)
		}
		info, err := st.CreateLevel(maren, l, "create")
		require.NoError(tb, err)
		last = info.ID
	}
	return maren, last
}
