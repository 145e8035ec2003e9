package main

import (
	"encoding/json"
	"fmt"
	"net"
	"net/url"
	"os"
	"os/exec"
	"testing"
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/stretchr/testify/require"
)

// brokerVariable has this program be a broker and nothing else: real ones are killed in the tests.
const brokerVariable = "DIADROM_TEST_BROKER"

// brokerSettings are those of a broker.
type brokerSettings struct {
	Name, Dir     string
	Port, Cluster int
	Routes        []int // cluster ports
}

// beBroker runs a broker until it is killed.
func beBroker(text string) {
	var s brokerSettings
	if err := json.Unmarshal([]byte(text), &s); err != nil {
		panic(err)
	}
	o := &server.Options{ServerName: s.Name, Host: "127.0.0.1", Port: s.Port, JetStream: true, StoreDir: s.Dir, NoSigs: true,
		JetStreamMaxMemory: 64 << 20, JetStreamMaxStore: 1 << 30, NoLog: true}
	if s.Cluster != 0 {
		o.Cluster = server.ClusterOpts{Name: "test", Host: "127.0.0.1", Port: s.Cluster}
		for _, port := range s.Routes {
			o.Routes = append(o.Routes, &url.URL{Scheme: "nats", Host: fmt.Sprintf("127.0.0.1:%d", port)})
		}
	}
	b, err := server.NewServer(o)
	if err != nil {
		panic(err)
	}
	b.Start()
	b.WaitForShutdown()
}

// brokers is a cluster of brokers, each a process.
type brokers struct {
	t        *testing.T
	settings []brokerSettings
	running  []*exec.Cmd
}

func freePort(t *testing.T) int {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port
}

// startBrokers starts a cluster of so many.
func startBrokers(t *testing.T, n int) *brokers {
	b := &brokers{t: t, running: make([]*exec.Cmd, n)}
	var routes []int
	for range n {
		routes = append(routes, freePort(t))
	}
	for i := range n {
		s := brokerSettings{Name: fmt.Sprint("broker-", i), Dir: t.TempDir(), Port: freePort(t)}
		if n > 1 {
			s.Cluster, s.Routes = routes[i], routes
		}
		b.settings = append(b.settings, s)
	}
	for i := range n {
		b.start(i)
	}
	t.Cleanup(func() {
		for i := range b.running {
			b.kill(i)
		}
	})
	return b
}

func (b *brokers) start(i int) {
	text, err := json.Marshal(b.settings[i])
	require.NoError(b.t, err)
	cmd := exec.Command(os.Args[0])
	cmd.Env = append(os.Environ(), brokerVariable+"="+string(text))
	cmd.Stderr = os.Stderr
	require.NoError(b.t, cmd.Start())
	b.running[i] = cmd
	require.Eventually(b.t, func() bool {
		c, err := net.DialTimeout("tcp", fmt.Sprintf("127.0.0.1:%d", b.settings[i].Port), time.Second)
		if err == nil {
			c.Close()
		}
		return err == nil
	}, 20*time.Second, 20*time.Millisecond)
}

// kill kills a broker without warning (SIGKILL).
func (b *brokers) kill(i int) {
	if cmd := b.running[i]; cmd != nil {
		cmd.Process.Kill() //nolint:errcheck // it may have ended
		cmd.Wait()         //nolint:errcheck // it was killed
		b.running[i] = nil
	}
}

func (b *brokers) urls() (list []string) {
	for _, s := range b.settings {
		list = append(list, fmt.Sprintf("nats://127.0.0.1:%d", s.Port))
	}
	return list
}
