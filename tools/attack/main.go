// Command attack starts the program as it is built, in an address space of its own size, and does to it what was done to
// bring it down: hostile files, hostile askers, and a clock that jumps. It prints a line for each: what was tried, what
// came of it, how long that took, and by how much the server's memory grew meanwhile. It exits with 1 where something
// did not hold.
//
//	go run ./tools/attack            all of it
//	go run ./tools/attack -only files,askers,tests,clock
package main

import (
	"flag"
	"fmt"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"
)

// space is the address space of the server in kB (ulimit -v).
const space = 6 << 20

// grown is by how many bytes the server's memory may grow while a file is read or askers ask.
const grown = 64 << 20

type attack struct {
	folder string
	failed int
}

func main() {
	only := flag.String("only", "files,askers,tests,clock", "which attacks, with commas between")
	flag.Parse()
	a := &attack{}
	if err := a.run(strings.Split(*only, ",")); err != nil {
		fmt.Fprintln(os.Stderr, "attack:", err)
		os.Exit(1)
	}
	if a.failed > 0 {
		fmt.Printf("%d did not hold\n", a.failed)
		os.Exit(1)
	}
}

func (a *attack) run(only []string) (err error) {
	if a.folder, err = os.MkdirTemp("", "diadrom-attack-"); err != nil {
		return err
	}
	defer os.RemoveAll(a.folder)
	parts := []struct {
		name string
		do   func() error
	}{{"files", a.files}, {"askers", a.askers}, {"tests", a.tests}, {"clock", a.clock}}
	for _, name := range only {
		if !slices.Contains([]string{"files", "askers", "tests", "clock"}, name) {
			return fmt.Errorf("%q is not a part: files, askers, tests, clock", name)
		}
	}
	for _, part := range parts {
		if !slices.Contains(only, part.name) {
			continue
		}
		fmt.Printf("\n%s\n%-62s %-9s %8s %8s  %s\n", part.name, "tried", "", "seconds", "MB more", "result")
		if err := part.do(); err != nil {
			return err
		}
	}
	return nil
}

// row prints what came of an attack.
func (a *attack) row(tried string, held bool, took time.Duration, more int, result string) {
	word := "held"
	if !held {
		word = "NOT HELD"
		a.failed++
	}
	memory := "–"
	if more >= 0 {
		memory = strconv.Itoa(more >> 20)
	}
	result = strings.Join(strings.Fields(result), " ")
	fmt.Printf("%-62.62s %-9s %8.1f %8s  %.110s\n", tried, word, took.Seconds(), memory, result)
}
