package gather

import "testing"

// InGroupsOf sets how many texels are gathered together, until the end of a test.
func InGroupsOf(t testing.TB, n int) {
	was := groupTexels
	groupTexels = n
	t.Cleanup(func() { groupTexels = was })
}
