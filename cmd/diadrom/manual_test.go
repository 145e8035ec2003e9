package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The commands of docs/operate.md do what it says, one after the other in a shell, from an empty folder: a shop begins,
// is set up, looked at, backed up and restored, has brokers and a node, loses its key and gets another. Only paths and
// ports are those of the test.
func TestTheManualIsFollowedLineByLine(t *testing.T) {
	t.Parallel()
	for _, needs := range []string{"bash", "curl", "openssl"} {
		if _, err := exec.LookPath(needs); err != nil {
			t.Skip("the manual is for machines that have " + needs)
		}
	}
	manual, err := os.ReadFile("../../docs/operate.md")
	require.NoError(t, err)
	var script strings.Builder
	script.WriteString("set -euo pipefail\n")
	blocks := regexp.MustCompile("(?ms)^```sh\n(.*?)^```").FindAllStringSubmatch(string(manual), -1)
	require.GreaterOrEqual(t, len(blocks), 10)
	for _, block := range blocks {
		for _, line := range strings.SplitAfter(block[1], "\n") {
			script.WriteString(line)
		}
	}
	dir, tools := t.TempDir(), t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(dir, "deploy"), os.DirFS("../../deploy")))
	require.NoError(t, os.Symlink(binary, filepath.Join(tools, "diadrom")))
	test, err := os.Executable()
	require.NoError(t, err)
	// The program of this test is a broker as nats-server is: it is started with -c FILE.
	require.NoError(t, os.WriteFile(filepath.Join(tools, "nats-server"),
		[]byte("#!/bin/sh\n"+brokerVariable+"=file:$2 exec "+test+"\n"), 0o700))
	var changes []string
	for _, path := range []string{"/var/lib/diadrom", "/var/lib/nats", "/etc/nats"} {
		changes = append(changes, path, filepath.Join(dir, "machine", path))
	}
	for _, port := range []string{":8080", ":8081", ":9464", ":4222"} {
		changes = append(changes, port, fmt.Sprintf(":%d", freePort(t)))
	}
	replace := strings.NewReplacer(changes...)
	for _, name := range []string{"nats.conf", "nats-cluster.conf"} {
		path := filepath.Join(dir, "deploy", name)
		body, err := os.ReadFile(path)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(path, []byte(replace.Replace(string(body))), 0o600))
	}
	cmd := exec.Command("bash", "-x", "-c", replace.Replace(script.String()))
	cmd.Dir = dir
	cmd.Env = append(os.Environ(), "PATH="+tools+":"+os.Getenv("PATH"))
	log, err := os.Create(filepath.Join(t.TempDir(), "log"))
	require.NoError(t, err)
	cmd.Stdout, cmd.Stderr = log, log
	own(cmd)
	require.NoError(t, cmd.Start())
	late := time.AfterFunc(5*time.Minute, func() { endAll(cmd) })
	err = cmd.Wait()
	late.Stop()
	endAll(cmd)
	said, readErr := os.ReadFile(log.Name())
	require.NoError(t, readErr)
	require.NoError(t, err, "%s", said)
	text := string(said)
	for _, want := range []string{
		"The next edition is number 1001", "The folder had no shop before", "secrets.key is not in new",
		"diadrom nodes renew-key", "the key that signs for nodes cannot be opened", "The key is new.",
		`"broker":true`, "one of tls://127.0.0.1", "diadrom_backup_age_seconds", "Quoting for lauha",
	} {
		assert.True(t, strings.Contains(text, want), want)
	}
	for _, line := range regexp.MustCompile(`(?m)^FAIL .*$`).FindAllString(text, -1) {
		assert.Contains(t, line, "cannot be opened", "doctor finds nothing else wrong")
	}
	assert.Contains(t, text, "FAIL  nodes ")
	for _, name := range []string{"lauha.join", "node.password"} {
		info, err := os.Stat(filepath.Join(dir, name))
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o600), info.Mode().Perm(), name)
	}
	join, err := os.ReadFile(filepath.Join(dir, "lauha.join"))
	require.NoError(t, err)
	assert.NotContains(t, string(join), "@", "it has no user and no password of the brokers")
}
