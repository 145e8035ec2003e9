package main

import (
	"encoding/json"
	"fmt"
	"net"
	"net/url"
	"os"
	"os/exec"
	"strings"
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
	Host          string
	Port, Cluster int
	Routes        []string // host and port of each in the cluster
}

// beBroker runs a broker until it is killed.
func beBroker(text string) {
	if file, ok := strings.CutPrefix(text, "file:"); ok { // as nats-server -c does
		o, err := server.ProcessConfigFile(file)
		if err != nil {
			panic(err)
		}
		o.NoSigs, o.NoLog = true, os.Getenv("DIADROM_TEST_NATSLOG") == ""
		b, err := server.NewServer(o)
		if err != nil {
			panic(err)
		}
		b.ConfigureLogger()
		b.Start()
		b.WaitForShutdown()
		return
	}
	var s brokerSettings
	if err := json.Unmarshal([]byte(text), &s); err != nil {
		panic(err)
	}
	o := &server.Options{ServerName: s.Name, Host: s.Host, Port: s.Port, JetStream: true, StoreDir: s.Dir, NoSigs: true,
		JetStreamMaxMemory: 64 << 20, JetStreamMaxStore: 1 << 30, NoLog: true}
	if s.Cluster != 0 {
		o.Cluster = server.ClusterOpts{Name: "test", Host: s.Host, Port: s.Cluster}
		for _, route := range s.Routes {
			o.Routes = append(o.Routes, &url.URL{Scheme: "nats", Host: route})
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
	hosts    []*host
	running  []*exec.Cmd
}

func freePort(t *testing.T) int {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port
}

// startBrokers starts a cluster of so many.
func startBrokers(t *testing.T, net *network, n int) *brokers {
	b := &brokers{t: t, running: make([]*exec.Cmd, n)}
	var ports []int
	var routes []string
	for i := range n {
		b.hosts = append(b.hosts, net.host())
		ports = append(ports, freePort(t))
		routes = append(routes, fmt.Sprintf("%s:%d", b.hosts[i].address(), ports[i]))
	}
	for i := range n {
		s := brokerSettings{Name: fmt.Sprint("broker-", i), Dir: t.TempDir(), Host: b.hosts[i].address(), Port: freePort(t)}
		if n > 1 {
			s.Cluster, s.Routes = ports[i], routes
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
	cmd := b.hosts[i].command(os.Args[0])
	cmd.Env = append(os.Environ(), brokerVariable+"="+string(text))
	cmd.Stderr = os.Stderr
	require.NoError(b.t, cmd.Start())
	b.running[i] = cmd
	require.Eventually(b.t, func() bool {
		c, err := net.DialTimeout("tcp", fmt.Sprintf("%s:%d", b.settings[i].Host, b.settings[i].Port), time.Second)
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
		list = append(list, fmt.Sprintf("nats://%s:%d", s.Host, s.Port))
	}
	return list
}
