package storetest

import (
	"bufio"
	"os/exec"
	"strings"

	"github.com/stretchr/testify/require"
)

// Base is the address of a server without the path to its first page.
func Base(address string) string {
	if i := strings.Index(address, "/start?"); i > 0 {
		return address[:i]
	}
	return address
}

// Start starts a command of the program that serves ("demo" or "serve") on a folder and a free port, and waits
// for its address.
func Start(t require.TestingT, binary, command, dir string) (url string, cmd *exec.Cmd) {
	cmd = exec.Command(binary, command, "--data", dir, "--listen", "127.0.0.1:0")
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if url, ok := strings.CutPrefix(lines.Text(), "Open "); ok {
			return url, cmd
		}
	}
	require.Fail(t, "the server said no address")
	return "", cmd
}

// Kill ends a server without warning (SIGKILL); one that has ended already stays so.
func Kill(cmd *exec.Cmd) {
	if cmd.ProcessState == nil {
		cmd.Process.Kill()
		cmd.Wait()
	}
}
