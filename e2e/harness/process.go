package harness

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"

	"grotta/api"
	"grotta/client"
)

// Command is a command of the program, of a file, that reads no settings of the person who runs the tests.
func Command(binary string, args ...string) *exec.Cmd {
	cmd := exec.Command(binary, args...)
	cmd.Env = append(os.Environ(), "GROTTA_CONFIG="+filepath.Join(os.TempDir(), "grotta-no-settings.yaml"))
	return cmd
}

// AddUser makes maren in a folder of data.
func AddUser(binary, data string) error {
	cmd := Command(binary, "user", "add", "maren", "--password-stdin", "--data", data)
	cmd.Stdin = strings.NewReader(Password + "\n")
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	return nil
}

// Process is the program, as a service or a worker.
type Process struct {
	Cmd *exec.Cmd
	URL string // of a service
	Log *Log   // what it says on standard error
}

// Log is text that grows while it is read.
type Log struct {
	mu   sync.Mutex
	text bytes.Buffer
}

// Write is part of io.Writer.
func (l *Log) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.Write(p)
}

func (l *Log) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.String()
}

// Spawn starts the program with so many threads, 0 for all, and waits for its first line.
func Spawn(binary string, threads int, args ...string) (*Process, error) {
	p := &Process{Cmd: Command(binary, args...), Log: &Log{}}
	if threads > 0 {
		p.Cmd.Env = append(p.Cmd.Env, fmt.Sprintf("GOMAXPROCS=%d", threads))
	}
	p.Cmd.Stderr = p.Log
	out, err := p.Cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := p.Cmd.Start(); err != nil {
		return nil, err
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		p.Kill()
		return nil, fmt.Errorf("%v: %w: %s", args, err, p.Log)
	}
	p.URL = strings.TrimSpace(strings.TrimPrefix(line, "Grotta is at "))
	return p, nil
}

// Kill ends it at once, as a power cut would. One that has ended is no error.
func (p *Process) Kill() {
	_ = p.Cmd.Process.Signal(syscall.SIGKILL)
	_ = p.Cmd.Wait()
}

// SignIn is a client of a service for maren.
func (p *Process) SignIn() (*client.Client, error) {
	c := &client.Client{URL: p.URL}
	token, err := c.SignIn(context.Background(), "maren", Password, api.NewToken{Name: "test"})
	c.Token = token.Secret
	return c, err
}
