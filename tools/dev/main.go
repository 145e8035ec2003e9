// Command dev serves the demo shop for people who work on Diadrom: it rebuilds the program when a Go file
// changes and starts it again on the same folder; templates, styles and scripts are read from disk, and the
// page reloads by itself.
package main

import (
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"
	"time"
)

const every = 400 * time.Millisecond

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, "dev:", err)
		os.Exit(1)
	}
}

func run() error {
	shop, err := os.MkdirTemp("", "diadrom-dev-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(shop)
	stop := make(chan os.Signal, 1)
	signal.Notify(stop, os.Interrupt, syscall.SIGTERM)
	var server *exec.Cmd
	var built time.Time
	for {
		newest, err := changed()
		if err != nil {
			return err
		}
		if newest.After(built) {
			built = time.Now()
			if next, err := start(shop, &server); err != nil {
				fmt.Fprintln(os.Stderr, "dev:", err) // the old one goes on until it builds again
			} else {
				server = next
			}
		}
		select {
		case <-stop:
			end(server)
			return nil
		case <-time.After(every):
		}
	}
}

// changed is when a Go file, or one that is built in but not read from disk, changed last.
func changed() (newest time.Time, err error) {
	for _, root := range []string{"cmd", "internal", "go.mod"} {
		err := filepath.WalkDir(root, func(path string, e fs.DirEntry, err error) error {
			if err != nil || e.IsDir() {
				return err
			}
			if name := e.Name(); strings.HasSuffix(name, "_test.go") ||
				!strings.HasSuffix(name, ".go") && !strings.HasSuffix(name, ".sql") && name != "go.mod" {
				return nil
			}
			info, err := e.Info()
			if err == nil && info.ModTime().After(newest) {
				newest = info.ModTime()
			}
			return err
		})
		if err != nil {
			return newest, err
		}
	}
	return newest, nil
}

// start builds the program and, where that went well, starts it in the place of the one that runs.
func start(shop string, running **exec.Cmd) (*exec.Cmd, error) {
	begun := time.Now()
	binary := filepath.Join(shop, "diadrom")
	build := exec.Command("go", "build", "-o", binary, "./cmd/diadrom")
	build.Stdout, build.Stderr = os.Stderr, os.Stderr
	if err := build.Run(); err != nil {
		return nil, err
	}
	end(*running)
	fmt.Fprintf(os.Stderr, "dev: built in %v\n", time.Since(begun).Round(time.Millisecond))
	screens, err := filepath.Abs("internal/web")
	if err != nil {
		return nil, err
	}
	cmd := exec.Command(binary, "demo", "--data", filepath.Join(shop, "shop"), "--listen", "127.0.0.1:8080")
	cmd.Env = append(os.Environ(), "DIADROM_DEV="+screens)
	cmd.Stdout, cmd.Stderr = os.Stdout, os.Stderr
	return cmd, cmd.Start()
}

func end(cmd *exec.Cmd) {
	if cmd == nil || cmd.Process == nil {
		return
	}
	if err := cmd.Process.Signal(os.Interrupt); err == nil {
		_ = cmd.Wait() // it was told to end
	}
}
