// Package endure kills the service, fills its disk and restores its backups, and holds
// what is there afterwards to what was acknowledged before. GROTTA_SOAK=1 runs the long
// form.
package endure

import (
	"bufio"
	"bytes"
	"context"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/client"
)

const binary = "../../bin/grotta"

const password = "salt-marsh-light"

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
	cmd := exec.Command(binary, args...)
	cmd.Env = append(os.Environ(), "GROTTA_CONFIG="+filepath.Join(t.TempDir(), "none.yaml"))
	cmd.Stdin = strings.NewReader(input)
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%v: %s", args, out)
	return string(out)
}

// newData is a data folder with a user.
func newData(t testing.TB, dir string) {
	t.Helper()
	run(t, password+"\n", "user", "add", "maren", "--password-stdin", "--data", dir)
}

// process is a service as a process of its own.
type process struct {
	cmd *exec.Cmd
	url string
	log *bytes.Buffer
}

// serve starts a service on a folder and waits until it says where it is.
func serve(t testing.TB, data string) *process {
	t.Helper()
	p := &process{cmd: exec.Command(binary, "serve", "--data", data, "--listen", "127.0.0.1:0"), log: &bytes.Buffer{}}
	p.cmd.Env = append(os.Environ(), "GROTTA_CONFIG="+filepath.Join(t.TempDir(), "none.yaml"))
	p.cmd.Stderr = p.log
	out, err := p.cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, p.cmd.Start())
	line, err := bufio.NewReader(out).ReadString('\n')
	require.NoError(t, err, "%s", p.log)
	p.url = strings.TrimSpace(strings.TrimPrefix(line, "Grotta is at "))
	t.Cleanup(p.kill)
	return p
}

// kill ends it at once, as a power cut would.
func (p *process) kill() {
	p.cmd.Process.Signal(syscall.SIGKILL)
	p.cmd.Wait()
}

// signIn gives a client with a token.
func (p *process) signIn(t testing.TB) *client.Client {
	t.Helper()
	c := &client.Client{URL: p.url}
	token, err := c.SignIn(context.Background(), "maren", password, api.NewToken{Name: "test"})
	require.NoError(t, err)
	c.Token = token.Secret
	return c
}

// ready is what /readyz answers.
func (p *process) ready(t testing.TB) int {
	t.Helper()
	res, err := http.Get(p.url + "/readyz")
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
