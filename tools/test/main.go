// Command test runs go test with the arguments that it is given, prints a line for each package, and ends with the tests
// that failed and what each said. It exits as go test does.
package main

import (
	"bufio"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"slices"
	"strings"
	"time"
)

// event is a line of go test -json (go doc test2json).
type event struct {
	Action, Package, ImportPath, Test, Output string
	Elapsed                                   float64
}

// name is one test, or a package where Test is "".
type name struct{ Package, Test string }

// maxSaid is how many lines of a failed test are repeated at the end.
const maxSaid = 40

func main() {
	cmd := exec.Command("go", append([]string{"test", "-json"}, os.Args[1:]...)...)
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err == nil {
		err = cmd.Start()
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "test:", err)
		os.Exit(2)
	}
	begun := time.Now()
	said, failed := map[name][]string{}, []name{}
	lines := bufio.NewReader(out)
	for {
		line, err := lines.ReadString('\n')
		if line != "" {
			failed = see(line, said, failed)
		}
		if err != nil {
			break
		}
	}
	err = cmd.Wait()
	fmt.Printf("%d failed, %v\n", len(failed), time.Since(begun).Round(time.Second))
	if err == nil {
		return
	}
	for _, n := range failed {
		fmt.Printf("\nFAILED %s %s\n", n.Package, n.Test)
		text := said[n]
		fmt.Print(strings.Join(text[max(0, len(text)-maxSaid):], ""))
	}
	os.Exit(max(1, cmd.ProcessState.ExitCode()))
}

// see takes a line of what go test says.
func see(line string, said map[name][]string, failed []name) []name {
	var e event
	if json.Unmarshal([]byte(line), &e) != nil || e.Action == "" {
		fmt.Print(line)
		return failed
	}
	n := name{e.Package, e.Test}
	switch {
	case e.Action == "build-output":
		fmt.Print(e.Output)
		n.Package = e.ImportPath
		said[n] = append(said[n], e.Output)
	case e.Action == "build-fail":
		failed = append(failed, name{Package: e.ImportPath})
	case e.Action == "output":
		said[n] = append(said[n], e.Output)
	case e.Action == "fail" && e.Test != "":
		fmt.Printf("FAIL %s %s (%.1fs)\n", e.Package, e.Test, e.Elapsed)
		failed = append(failed, n)
	case e.Action == "fail":
		fmt.Printf("FAIL %s (%.1fs)\n", e.Package, e.Elapsed)
		if !slices.ContainsFunc(failed, func(f name) bool { return f.Package == e.Package }) {
			failed = append(failed, n) // a panic, a limit of time, or TestMain
		}
	case e.Action == "pass" && e.Test == "":
		fmt.Printf("ok   %s (%.1fs)\n", e.Package, e.Elapsed)
	case e.Action == "pass", e.Action == "skip":
		delete(said, n)
	}
	return failed
}
