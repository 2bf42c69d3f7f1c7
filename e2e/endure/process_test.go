// Package endure kills the service, fills its disk and restores its backups, and holds
// what is there afterwards to what was acknowledged before. GROTTA_SOAK=1 runs the long
// form.
package endure

import (
	"context"
	"net/http"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/client"
	"grotta/e2e/harness"
)

const binary = "../../bin/grotta"

// soak tells whether the long form runs.
var soak = os.Getenv("GROTTA_SOAK") != ""

// rounds is how often something is done: few in the short form.
func rounds(short, long int) int {
	if soak {
		return long
	}
	return short
}

// run runs a command of the program that must end well, with something on its input.
func run(t testing.TB, input string, args ...string) string {
	t.Helper()
	cmd := harness.Command(binary, args...)
	cmd.Stdin = strings.NewReader(input)
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%v: %s", args, out)
	return string(out)
}

// newData is a data folder with a user.
func newData(t testing.TB, dir string) {
	t.Helper()
	require.NoError(t, harness.AddUser(binary, dir))
}

// process is a service as a process of its own.
type process struct{ *harness.Process }

// serve starts a service on a folder and waits until it says where it is.
func serve(t testing.TB, data string) process {
	t.Helper()
	p, err := harness.Spawn(binary, 0, "serve", "--data", data, "--listen", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(p.Kill)
	return process{p}
}

// signIn gives a client with a token.
func (p process) signIn(t testing.TB) *client.Client {
	t.Helper()
	c, err := p.SignIn()
	require.NoError(t, err)
	return c
}

// ready is what /readyz answers.
func (p process) ready(t testing.TB) int {
	t.Helper()
	res, err := http.Get(p.URL + "/readyz")
	require.NoError(t, err)
	res.Body.Close()
	return res.StatusCode
}

// ended waits for a bake to be over.
func ended(t testing.TB, c *client.Client, id string) api.Bake {
	t.Helper()
	var b api.Bake
	require.Eventually(t, func() bool {
		var err error
		b, err = c.Bake(context.Background(), id)
		return err == nil && b.Over()
	}, 90*time.Second, 50*time.Millisecond, "bake %s: %+v", id, b)
	return b
}
