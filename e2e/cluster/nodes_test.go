// Package cluster runs a service with workers on a cluster of three NATS servers, all of them processes, and
// kills and cuts off some of them. GROTTA_SOAK=1 runs the long form.
package cluster

import (
	"bufio"
	"encoding/json"
	"fmt"
	"net"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/stretchr/testify/require"

	"grotta/client"
	"grotta/e2e/harness"
)

const (
	binary = "../../bin/grotta"
	secret = "let-me-in"
)

// asNode is the variable that makes this program a NATS server.
const asNode = "GROTTA_TEST_NATS_NODE"

// node is how a NATS server runs.
type node struct {
	Name, Store string
	Port        int
	Own         int   // port for the other servers
	All         []int // ports of all servers for each other
}

func TestMain(m *testing.M) {
	if text := os.Getenv(asNode); text != "" {
		var n node
		if err := json.Unmarshal([]byte(text), &n); err != nil {
			panic(err)
		}
		n.run()
	}
	os.Exit(m.Run())
}

func (n *node) run() {
	o := &server.Options{
		ServerName: n.Name, Host: "127.0.0.1", Port: n.Port, JetStream: true, StoreDir: n.Store, NoLog: true,
		Username: "grotta", Password: secret,
	}
	if len(n.All) > 1 {
		o.Cluster = server.ClusterOpts{Name: "test", Host: "127.0.0.1", Port: n.Own, NoAdvertise: true}
		for _, port := range n.All {
			o.Routes = append(o.Routes, &url.URL{Scheme: "nats", Host: fmt.Sprintf("127.0.0.1:%d", port)})
		}
	}
	s, err := server.NewServer(o)
	if err != nil {
		panic(err)
	}
	s.Start()
	s.WaitForShutdown()
	os.Exit(0)
}

// nodes are the NATS servers of a test.
type nodes struct {
	t     *testing.T
	all   []node
	procs []*exec.Cmd
}

func startNodes(t *testing.T, count int) *nodes {
	t.Helper()
	ports := freePorts(t, 2*count)
	c := &nodes{t: t, procs: make([]*exec.Cmd, count)}
	for i := range count {
		c.all = append(c.all, node{Name: fmt.Sprintf("node-%d", i), Store: filepath.Join(t.TempDir(), "store"), Port: ports[i], Own: ports[count+i], All: ports[count:]})
	}
	for i := range count {
		c.start(i)
	}
	return c
}

func (c *nodes) start(i int) {
	c.t.Helper()
	text, err := json.Marshal(c.all[i])
	require.NoError(c.t, err)
	cmd := exec.Command(os.Args[0])
	cmd.Env = append(os.Environ(), asNode+"="+string(text))
	require.NoError(c.t, cmd.Start())
	c.procs[i] = cmd
	c.t.Cleanup(func() { cmd.Process.Kill(); cmd.Wait() })
	require.Eventually(c.t, func() bool {
		conn, err := net.Dial("tcp", fmt.Sprintf("127.0.0.1:%d", c.all[i].Port))
		if err == nil {
			conn.Close()
		}
		return err == nil
	}, 20*time.Second, 50*time.Millisecond)
}

func (c *nodes) kill(i int) {
	require.NoError(c.t, c.procs[i].Process.Signal(syscall.SIGKILL))
	c.procs[i].Wait()
}

// url is the address of all nodes.
func (c *nodes) url() string {
	var all []string
	for _, n := range c.all {
		all = append(all, fmt.Sprintf("nats://grotta:%s@127.0.0.1:%d", secret, n.Port))
	}
	return strings.Join(all, ",")
}

func freePorts(t *testing.T, count int) []int {
	t.Helper()
	var ports []int
	for range count {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		defer l.Close()
		ports = append(ports, l.Addr().(*net.TCPAddr).Port)
	}
	return ports
}

// wire stands between a worker and a node, and can be cut.
type wire struct {
	listener net.Listener
	to       string

	mu    sync.Mutex
	cut   bool
	conns []net.Conn
}

func newWire(t *testing.T, port int) *wire {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	w := &wire{listener: l, to: fmt.Sprintf("127.0.0.1:%d", port)}
	t.Cleanup(func() { l.Close(); w.set(true) })
	go func() {
		for {
			from, err := l.Accept()
			if err != nil {
				return
			}
			to, err := net.Dial("tcp", w.to)
			w.mu.Lock()
			if err != nil || w.cut {
				from.Close()
				if err == nil {
					to.Close()
				}
			} else {
				w.conns = append(w.conns, from, to)
				go pipe(from, to)
				go pipe(to, from)
			}
			w.mu.Unlock()
		}
	}()
	return w
}

func pipe(to, from net.Conn) {
	defer to.Close()
	defer from.Close()
	_, _ = bufio.NewReader(from).WriteTo(to)
}

// set cuts the wire or mends it.
func (w *wire) set(cut bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.cut = cut
	if cut {
		for _, c := range w.conns {
			c.Close()
		}
		w.conns = nil
	}
}

func (w *wire) url() string { return "nats://grotta:" + secret + "@" + w.listener.Addr().String() }

// run starts the program and waits for its first line.
func run(t *testing.T, threads int, args ...string) *harness.Process {
	t.Helper()
	p, err := harness.Spawn(binary, threads, args...)
	require.NoError(t, err)
	t.Cleanup(p.Kill)
	return p
}

// serve starts a service on a new folder, with somebody signed in.
func serve(t *testing.T, data string, args ...string) (*harness.Process, *client.Client) {
	t.Helper()
	require.NoError(t, harness.AddUser(binary, data))
	p := run(t, 0, append([]string{"serve", "--data", data, "--listen", "127.0.0.1:0"}, args...)...)
	c, err := p.SignIn()
	require.NoError(t, err)
	return p, c
}

// output is what a command says that fails.
func output(t *testing.T, args ...string) string {
	t.Helper()
	out, err := harness.Command(binary, args...).CombinedOutput()
	require.Error(t, err)
	return string(out)
}
