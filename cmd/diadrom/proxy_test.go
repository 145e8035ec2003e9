package main

import (
	"bufio"
	"bytes"
	"context"
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// program starts a program of the test, which ends with it, and gives what it says of errors.
func program(t *testing.T, environment []string, name string, args ...string) {
	t.Helper()
	var said bytes.Buffer
	cmd := exec.Command(name, args...)
	cmd.Env = append(os.Environ(), environment...)
	cmd.Stdout, cmd.Stderr = &said, &said
	require.NoError(t, cmd.Start())
	t.Cleanup(func() {
		cmd.Process.Signal(os.Interrupt)
		done := time.AfterFunc(5*time.Second, func() { cmd.Process.Kill() })
		cmd.Wait()
		done.Stop()
		if t.Failed() {
			t.Log(name, said.String())
		}
	})
}

// shippedFile is a file of deploy with changes, each of which it must have.
func shippedFile(t *testing.T, name string, changes ...string) string {
	t.Helper()
	body, err := os.ReadFile("../../deploy/" + name)
	require.NoError(t, err)
	text := string(body)
	for i := 0; i < len(changes); i += 2 {
		require.Contains(t, text, changes[i], name)
		text = strings.ReplaceAll(text, changes[i], changes[i+1])
	}
	return text
}

// nginxAt starts nginx with the file that is shipped.
func nginxAt(t *testing.T, port int, cert, key, behind string) {
	t.Helper()
	path, err := exec.LookPath("nginx")
	if err != nil {
		path = "/usr/sbin/nginx"
	}
	dir := t.TempDir()
	file := filepath.Join(dir, "nginx.conf")
	site := shippedFile(t, "nginx.conf", "listen 443 ssl", fmt.Sprintf("listen 127.0.0.1:%d ssl", port),
		"/etc/ssl/shipping.example.pem",
		cert, "/etc/ssl/shipping.example.key", key, "127.0.0.1:8080", behind)
	var temp strings.Builder
	for _, of := range []string{"client_body", "proxy", "fastcgi", "uwsgi", "scgi"} {
		fmt.Fprintf(&temp, "%s_temp_path %s;\n", of, filepath.Join(dir, of))
	}
	user := ""
	if os.Geteuid() == 0 {
		user = "user root;\n"
	}
	require.NoError(t, os.WriteFile(file, []byte(user+"daemon off;\npid "+filepath.Join(dir,
		"pid")+";\nerror_log stderr;\n"+
		"events {}\nhttp {\naccess_log off;\n"+temp.String()+site+"}\n"), 0o600))
	program(t, nil, path, "-p", dir, "-c", file, "-e", "stderr")
}

// apacheAt starts Apache httpd with the file that is shipped.
func apacheAt(t *testing.T, port int, cert, key, behind string) {
	t.Helper()
	path, err := exec.LookPath("apache2")
	if err != nil {
		path = "/usr/sbin/apache2"
	}
	dir := t.TempDir()
	file := filepath.Join(dir, "apache.conf")
	site := shippedFile(t, "apache.conf", "<VirtualHost *:443>", fmt.Sprintf("<VirtualHost *:%d>", port),
		"/etc/ssl/shipping.example.pem", cert, "/etc/ssl/shipping.example.key", key, "127.0.0.1:8080", behind)
	var head strings.Builder
	for _, module := range []string{"mpm_event", "authz_core", "ssl", "socache_shmcb", "proxy", "proxy_http", "headers"} {
		fmt.Fprintf(&head, "LoadModule %s_module /usr/lib/apache2/modules/mod_%s.so\n", module, module)
	}
	if os.Geteuid() == 0 {
		head.WriteString("User nobody\nGroup nogroup\n")
	}
	fmt.Fprintf(&head, "ServerName localhost\nListen 127.0.0.1:%d\nPidFile %s/pid\nErrorLog /dev/stderr\nDefaultRuntimeDir %s\n"+
		"Mutex file:%s default\n", port, dir, dir, dir)
	require.NoError(t, os.WriteFile(file, []byte(head.String()+site), 0o600))
	program(t, nil, path, "-d", dir, "-f", file, "-DFOREGROUND")
}

// Behind nginx and Apache httpd as they are shipped, on another port than 443, an owner begins, signs in and edits,
// programs write a sku with a slash in it, and streams come as they are sent.
func TestTheServersThatAreShippedStandInFront(t *testing.T) {
	for name, start := range map[string]func(t *testing.T, port int, cert, key, behind string){"nginx": nginxAt,
		"apache": apacheAt} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			if _, err := exec.LookPath(map[string]string{"nginx": "/usr/sbin/nginx",
				"apache": "/usr/sbin/apache2"}[name]); err != nil {
				t.Skip("it is not installed: make test installs it where it may")
			}
			a := newAuthority(t)
			cert, key := a.certificate("shipping", "shipping.example")
			port, dir := freePort(t), t.TempDir()
			public := fmt.Sprintf("https://shipping.example:%d", port)
			cmd := exec.Command(binary, "serve", "--data", dir, "--listen", "127.0.0.1:0", "--public-url", public)
			out, err := cmd.StdoutPipe()
			require.NoError(t, err)
			log, err := cmd.StderrPipe()
			require.NoError(t, err)
			require.NoError(t, cmd.Start())
			defer storetest.Kill(cmd)
			open := ""
			for lines := bufio.NewScanner(out); open == "" && lines.Scan(); {
				open, _ = strings.CutPrefix(lines.Text(), "Open ")
				if !strings.HasPrefix(open, public) {
					open = ""
				}
			}
			require.NotEmpty(t, open)
			behind := fmt.Sprintf("127.0.0.1:%d", listensAt(t, cmd.Process.Pid))
			go io.Copy(io.Discard, log)
			start(t, port, cert, key, behind)

			pool := x509.NewCertPool()
			pem, err := os.ReadFile(filepath.Join(a.dir, "authority.pem"))
			require.NoError(t, err)
			require.True(t, pool.AppendCertsFromPEM(pem))
			jar, err := cookiejar.New(nil)
			require.NoError(t, err)
			client := &http.Client{Jar: jar, Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool},
				DialContext: func(ctx context.Context, network, _ string) (net.Conn, error) {
					return new(net.Dialer).DialContext(ctx, network, fmt.Sprintf("127.0.0.1:%d", port))
				}}}
			require.Eventually(t, func() bool {
				resp, err := client.Get(public + "/healthz")
				if err == nil {
					resp.Body.Close()
				}
				return err == nil && resp.StatusCode == http.StatusOK
			}, time.Minute, 50*time.Millisecond)

			post := func(path string, form url.Values) (*http.Response, string) {
				req, err := http.NewRequest(http.MethodPost, public+path, strings.NewReader(form.Encode()))
				require.NoError(t, err)
				req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
				req.Header.Set("Origin", public) // as browsers do
				req.Header.Set("Sec-Fetch-Site", "same-origin")
				resp, err := client.Do(req)
				require.NoError(t, err)
				defer resp.Body.Close()
				body, err := io.ReadAll(resp.Body)
				require.NoError(t, err)
				return resp, string(body)
			}
			begin, err := url.Parse(open)
			require.NoError(t, err)
			const passphrase = "seventeen grey herons on a jetty"
			resp, body := post("/start", url.Values{"code": {begin.Query().Get("code")}, "name": {"Aino"},
				"passphrase": {passphrase}})
			require.Equal(t, http.StatusOK, resp.StatusCode, body)
			assert.Equal(t, public, "https://"+resp.Request.URL.Host, "where it leads to is on the same port")
			resp, body = post("/keys", url.Values{"name": {"Stock"}, "kind": {"server"}, "right": {"products", "events"},
				"again": {passphrase}})
			require.Equal(t, http.StatusOK, resp.StatusCode, body)
			apiKey := regexp.MustCompile(`diadrom_[A-Z2-7]{26}`).FindString(body)
			require.NotEmpty(t, apiKey, body)

			call := func(method, path, body string) *http.Response {
				req, err := http.NewRequest(method, public+path, strings.NewReader(body))
				require.NoError(t, err)
				req.Header.Set("Authorization", "Bearer "+apiKey)
				if body != "" {
					req.Header.Set("Content-Type", "application/json")
				}
				resp, err := (&http.Client{Transport: client.Transport}).Do(req)
				require.NoError(t, err)
				t.Cleanup(func() { resp.Body.Close() })
				return resp
			}
			stream := call(http.MethodGet, "/api/v1/events", "")
			require.Equal(t, http.StatusOK, stream.StatusCode)
			made := call(http.MethodPut, "/api/v1/products/MUG%2FBLUE", `{"price": "12.00"}`)
			require.Equal(t, http.StatusCreated, made.StatusCode)
			got := call(http.MethodGet, made.Header.Get("Location"), "")
			require.Equal(t, http.StatusOK, got.StatusCode, made.Header.Get("Location"))
			var p struct{ SKU string }
			require.NoError(t, json.NewDecoder(got.Body).Decode(&p))
			assert.Equal(t, "MUG/BLUE", p.SKU)
			heard := make(chan string, 1)
			go func() {
				for lines := bufio.NewScanner(stream.Body); lines.Scan(); {
					if data, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
						heard <- data
						return
					}
				}
			}()
			select {
			case data := <-heard:
				assert.Contains(t, data, "MUG/BLUE")
			case <-time.After(time.Minute):
				assert.Fail(t, "the stream tells nothing")
			}
			resp, _ = post("/sign-out", nil)
			assert.Equal(t, "/sign-in", resp.Request.URL.Path)
			resp, body = post("/sign-in", url.Values{"name": {"Aino"}, "passphrase": {passphrase}})
			require.Equal(t, http.StatusOK, resp.StatusCode, body)
			assert.NotEqual(t, "/sign-in", resp.Request.URL.Path)
			doctor := exec.Command(binary, "doctor", "--data", dir)
			said, _ := doctor.CombinedOutput()
			assert.Contains(t, string(said), "database")
		})
	}
}

// listensAt is the port on which a process of this machine listens.
func listensAt(t *testing.T, pid int) (port int) {
	t.Helper()
	require.Eventually(t, func() bool {
		links, err := filepath.Glob(fmt.Sprintf("/proc/%d/fd/*", pid))
		if err != nil {
			return false
		}
		sockets := map[string]bool{}
		for _, link := range links {
			if to, err := os.Readlink(link); err == nil && strings.HasPrefix(to, "socket:[") {
				sockets[strings.Trim(to, "socket:[]")] = true
			}
		}
		table, err := os.ReadFile(fmt.Sprintf("/proc/%d/net/tcp", pid))
		if err != nil {
			return false
		}
		for _, line := range strings.Split(string(table), "\n")[1:] {
			if f := strings.Fields(line); len(f) > 9 && f[3] == "0A" && sockets[f[9]] {
				_, err := fmt.Sscanf(f[1][strings.Index(f[1], ":")+1:], "%X", &port)
				return err == nil
			}
		}
		return false
	}, time.Minute, 20*time.Millisecond)
	return port
}

// The units that are shipped are ones that systemd takes, and what they start is what this program takes.
func TestTheUnitsThatAreShippedStart(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	for _, name := range []string{"diadrom.service", "diadrom-node.service"} {
		unit := shippedFile(t, name, "/usr/local/bin/diadrom", binary)
		file := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(file, []byte(unit), 0o600))
		if analyze, err := exec.LookPath("systemd-analyze"); err == nil {
			out, err := exec.Command(analyze, "verify", file).CombinedOutput()
			assert.NoError(t, err, string(out))
			assert.NotContains(t, string(out), name+":", "it says nothing of this unit")
		}
	}
	unit := shippedFile(t, "diadrom.service", "/var/lib/diadrom", filepath.Join(dir, "shop"), "127.0.0.1:8080",
		"127.0.0.1:0")
	start := regexp.MustCompile(`(?m)^ExecStart=/usr/local/bin/diadrom (.+)$`).FindStringSubmatch(unit)
	require.NotNil(t, start)
	cmd := exec.Command(binary, strings.Fields(start[1])...)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	var log bytes.Buffer
	cmd.Stderr = &log
	require.NoError(t, cmd.Start())
	lines := bufio.NewScanner(out)
	require.True(t, lines.Scan())
	assert.Contains(t, lines.Text(), "The shop is kept in")
	require.True(t, lines.Scan())
	require.NoError(t, cmd.Process.Signal(os.Interrupt))
	require.NoError(t, cmd.Wait(), log.String())
	assert.Equal(t, 1, strings.Count(log.String(), "stopping"), log.String())
}
