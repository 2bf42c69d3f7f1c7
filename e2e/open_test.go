package e2e

import (
	"bufio"
	"io"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// output gathers what a program prints, and waits for words in it.
type output struct {
	mu   sync.Mutex
	text strings.Builder
}

func (o *output) follow(r io.Reader) {
	lines := bufio.NewScanner(r)
	for lines.Scan() {
		o.mu.Lock()
		o.text.WriteString(lines.Text() + "\n")
		o.mu.Unlock()
	}
}

func (o *output) all() string {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.text.String()
}

func (o *output) wait(t *testing.T, words string) string {
	t.Helper()
	until(t, func() bool { return strings.Contains(o.all(), words) }, "%q in %q", words, &o.text)
	return o.all()
}

// One command from a file to the lit level in a browser that is signed in; the file is taken in again
// whenever it is saved.
func TestOpenAFileFromTheEditor(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	hut := filepath.Join(dir, "hut.obj")
	require.NoError(t, os.WriteFile(hut, []byte(hutOBJ), 0o600))
	command := func(args ...string) *exec.Cmd {
		cmd := exec.Command(binary, append([]string{"open", "--data", filepath.Join(dir, "data"), "--no-browser"}, args...)...)
		cmd.Env = append(os.Environ(), "GROTTA_CONFIG="+filepath.Join(dir, "config.yaml"))
		return cmd
	}
	serving := command(hut, "--unit", "cm", "--watch")
	pipe, err := serving.StdoutPipe()
	require.NoError(t, err)
	serving.Stderr = os.Stderr
	require.NoError(t, serving.Start())
	t.Cleanup(func() { serving.Process.Kill() })
	said := &output{}
	go said.follow(pipe)
	text := said.wait(t, "/enter/")
	assert.Contains(t, text, "hut, 2 shapes, 0 lights")
	link := strings.TrimSpace(text[strings.Index(text, "http://127.0.0.1:"+strings.SplitN(strings.SplitN(text, "127.0.0.1:", 2)[1], ".", 2)[0]):])
	link = strings.TrimSpace(link[strings.LastIndex(link, "http://"):])

	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	browser := &http.Client{Jar: jar}
	res, err := browser.Get(link)
	require.NoError(t, err)
	res.Body.Close()
	assert.Contains(t, res.Request.URL.Path, "/levels/")
	session, err := browser.Get(res.Request.URL.Scheme + "://" + res.Request.URL.Host + "/api/v1/session")
	require.NoError(t, err)
	session.Body.Close()
	assert.Equal(t, http.StatusOK, session.StatusCode, "the browser is signed in")

	// The link works once.
	other := &http.Client{}
	res, err = other.Get(link)
	require.NoError(t, err)
	res.Body.Close()
	assert.Equal(t, "/", res.Request.URL.Path)

	require.NoError(t, os.WriteFile(hut, []byte(strings.ReplaceAll(hutOBJ, "250", "320")), 0o600))
	said.wait(t, "1 changed: Wall; 1 as before")
	require.NoError(t, os.WriteFile(hut, []byte("v 0 0 zero\n"+hutOBJ), 0o600))
	require.NoError(t, os.WriteFile(hut, []byte(hutOBJ), 0o600))
	said.wait(t, "revision 3: 1 changed: Wall")

	// Another call finds the service that runs, and the level that is there.
	again := command(hut, "--unit", "cm")
	out, err := again.CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Contains(t, string(out), "hut: 2 as before")

	// A level that is only called the same is left alone.
	yard := filepath.Join(dir, "Yard.obj")
	require.NoError(t, os.WriteFile(yard, []byte(hutOBJ), 0o600))
	renamed := filepath.Join(dir, "shed", "hut.obj")
	require.NoError(t, os.Mkdir(filepath.Dir(renamed), 0o700))
	require.NoError(t, os.WriteFile(renamed, []byte(hutOBJ), 0o600))
	out, err = command(yard).CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Contains(t, string(out), "Yard, 2 shapes, 0 lights")

	// A folder is opened by the file in it, and found again.
	out, err = command(filepath.Dir(renamed), "--unit", "cm").CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Contains(t, string(out), "hut: 2 as before")
	folder := command(filepath.Dir(renamed), "--watch")
	out, err = folder.CombinedOutput()
	assert.Error(t, err)
	assert.Equal(t, 2, folder.ProcessState.ExitCode(), string(out))
	assert.Contains(t, string(out), "is a folder")

	require.NoError(t, serving.Process.Signal(os.Interrupt))
	assert.NoError(t, serving.Wait(), said.all())
	assert.NoFileExists(t, filepath.Join(dir, "data", "open.json"))

	wrong := command("--watch")
	out, err = wrong.CombinedOutput()
	assert.Error(t, err)
	assert.Equal(t, 2, wrong.ProcessState.ExitCode(), string(out))
}

// The demo takes an empty folder that is named, and leaves it there; one with files in it is refused and left as it is.
func TestDemoInAFolderOfOnesOwn(t *testing.T) {
	t.Parallel()
	dir := filepath.Join(t.TempDir(), "demo")
	command := func() *exec.Cmd {
		cmd := exec.Command(binary, "demo", "--data", dir, "--listen", "127.0.0.1:0")
		cmd.Env = append(os.Environ(), "GROTTA_CONFIG="+filepath.Join(t.TempDir(), "config.yaml"))
		return cmd
	}
	serving := command()
	pipe, err := serving.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, serving.Start())
	t.Cleanup(func() { serving.Process.Kill() })
	said := &output{}
	go said.follow(pipe)
	assert.Contains(t, said.wait(t, "Ctrl-C"), "Data: "+dir)
	require.NoError(t, serving.Process.Signal(os.Interrupt))
	require.NoError(t, serving.Wait())
	files, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.NotEmpty(t, files)

	text, err := command().CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(text), dir+" is not empty")
	after, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, after, len(files))
}
