package main

import (
	"fmt"
	"os"
	"os/exec"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// network is a bridge with hosts on it, each a network namespace of Linux, so that what one reaches can be cut.
type network struct {
	t     *testing.T
	name  string
	hosts int
}

// host is where a process runs: nil and without a name for this machine as it is.
type host struct {
	t    *testing.T
	on   *network
	name string
	link string // the end of its cable at the bridge
	ip   string
}

func ip(args ...string) error {
	out, err := exec.Command("ip", args...).CombinedOutput()
	if err != nil {
		return fmt.Errorf("ip %v: %s %w", args, out, err)
	}
	return nil
}

// apart is set where a test runs in a network namespace of its own.
const apart = "DIADROM_TEST_APART"

// runsApart runs the test again in a network namespace of its own, unless it runs in one, and tells whether that is
// done: where this machine's own interfaces come and go, other programs on it lose what they have under way. A browser
// gives up all its requests then (ERR_NETWORK_CHANGED in Chromium).
func runsApart(t *testing.T) (done bool) {
	if os.Getenv(apart) != "" {
		return false
	}
	if runtime.GOOS != "linux" || os.Geteuid() != 0 {
		t.Skip("network namespaces want Linux and root")
	}
	for _, program := range []string{"ip", "unshare"} {
		if _, err := exec.LookPath(program); err != nil {
			t.Skip("network namespaces want ", program)
		}
	}
	if out, err := exec.Command("unshare", "--net", "true").CombinedOutput(); err != nil {
		t.Skipf("this machine allows no network namespace: %s %v", out, err)
	}
	cmd := exec.Command("unshare", "--net", os.Args[0], "-test.run", "^"+t.Name()+"$", "-test.count=1", "-test.v")
	cmd.Env = append(os.Environ(), apart+"=1")
	out, err := cmd.CombinedOutput()
	t.Logf("%s", out)
	require.NoError(t, err)
	if strings.Contains(string(out), "--- SKIP") {
		t.SkipNow()
	}
	return true
}

// startNetwork makes a network; the test is left out where the machine does not allow one.
func startNetwork(t *testing.T) *network {
	require.NotEmpty(t, os.Getenv(apart), "networks are made in a namespace of their own")
	require.NoError(t, ip("link", "set", "lo", "up"))
	n := &network{t: t, name: fmt.Sprintf("dd%d", os.Getpid()%100_000)}
	if err := ip("link", "add", n.name, "type", "bridge"); err != nil {
		t.Skip("this machine allows no bridge: ", err)
	}
	t.Cleanup(func() { assert.NoError(t, ip("link", "del", n.name)) })
	if err := ip("netns", "add", n.name); err != nil {
		t.Skip("this machine allows no network namespace: ", err)
	}
	require.NoError(t, ip("netns", "del", n.name))
	require.NoError(t, ip("addr", "add", "10.213.87.1/24", "dev", n.name))
	require.NoError(t, ip("link", "set", n.name, "up"))
	return n
}

// host adds a host.
func (n *network) host() *host {
	if n == nil {
		return nil
	}
	n.hosts++
	h := &host{t: n.t, on: n, name: n.hostName(n.hosts), ip: fmt.Sprintf("10.213.87.%d", n.hosts+1)}
	h.link = h.name
	require.NoError(n.t, ip("netns", "add", h.name))
	n.t.Cleanup(func() { assert.NoError(n.t, ip("netns", "del", h.name)) })
	require.NoError(n.t, ip("link", "add", h.link, "type", "veth", "peer", "name", "eth0", "netns", h.name))
	require.NoError(n.t, ip("link", "set", h.link, "master", n.name, "up"))
	require.NoError(n.t, ip("-n", h.name, "addr", "add", h.ip+"/24", "dev", "eth0"))
	require.NoError(n.t, ip("-n", h.name, "link", "set", "eth0", "up"))
	require.NoError(n.t, ip("-n", h.name, "link", "set", "lo", "up"))
	return h
}

func (h *host) address() string {
	if h == nil {
		return "127.0.0.1"
	}
	return h.ip
}

func (h *host) command(name string, args ...string) *exec.Cmd {
	if h == nil {
		return exec.Command(name, args...)
	}
	return exec.Command("ip", append([]string{"netns", "exec", h.name, name}, args...)...)
}

// lose has nothing pass between a host and others, in both directions and without a word; it gives what mends that.
func (h *host) lose(others ...*host) (mend func()) {
	for _, o := range others {
		require.NoError(h.t, ip("-n", h.name, "route", "add", "blackhole", o.ip+"/32"))
		require.NoError(h.t, ip("-n", o.name, "route", "add", "blackhole", h.ip+"/32"))
	}
	return func() {
		for _, o := range others {
			require.NoError(h.t, ip("-n", h.name, "route", "del", "blackhole", o.ip+"/32"))
			require.NoError(h.t, ip("-n", o.name, "route", "del", "blackhole", h.ip+"/32"))
		}
	}
}

// unplug takes a host off the network. The network is whole when its cable is back and the others have forgotten that
// they did not find it: Linux looks for a neighbour once a second.
func (h *host) unplug() (mend func()) {
	require.NoError(h.t, ip("link", "set", h.link, "down"))
	return func() {
		require.NoError(h.t, ip("link", "set", h.link, "up"))
		require.NoError(h.t, ip("neigh", "flush", "dev", h.on.name))
		for i := range h.on.hosts {
			require.NoError(h.t, ip("-n", h.on.hostName(i+1), "neigh", "flush", "dev", "eth0"))
		}
	}
}

func (n *network) hostName(number int) string { return fmt.Sprintf("%s-%d", n.name, number) }

// The network between the shop, its brokers and its nodes is cut in several ways, without a word to anybody, while
// buyers check out and the owner publishes: no quote fails beyond what a balancer asks another node for, none is of two
// editions, and two seconds after the network is whole all nodes quote from the last edition.
func TestNodesQuoteWhileTheNetworkIsCut(t *testing.T) {
	if runsApart(t) {
		return
	}
	length := time.Duration(count(t, "DIADROM_TEST_FAULTS", 10)) * time.Second / 5
	s := startNodeShop(t, startNetwork(t), 3, 3)
	s.all(1, 20*time.Second)
	stop := s.load(4)
	edition := 1
	b := s.brokers.hosts
	for what, cut := range map[string]func() func(){
		"a broker is off the network":            func() func() { return b[0].unplug() },
		"the shop reaches no broker":             func() func() { return s.host.lose(b...) },
		"a node reaches no broker":               func() func() { return s.nodes[0].host.lose(b...) },
		"a node is off the network":              func() func() { return s.nodes[1].host.unplug() },
		"a broker reaches none of the others":    func() func() { return b[1].lose(b[0], b[2]) },
		"the shop's broker is not that of nodes": func() func() { return b[2].lose(s.host) },
	} {
		mend := cut()
		time.Sleep(length / 2)
		edition++
		s.publish(edition)
		time.Sleep(length / 2)
		mend()
		took := s.all(int64(edition), 2*time.Second)
		t.Logf("%s for %s: all nodes had edition %d %s after the network was whole", what, length, edition,
			took.Round(time.Millisecond))
	}
	checkouts, quotes, problems := stop()
	assert.Empty(t, problems)
	assert.Greater(t, quotes, int64(200))
	t.Logf("%d checkouts, %d quotes, %d editions", checkouts, quotes, edition)
}
