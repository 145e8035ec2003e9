// Command soak runs fuzz targets, each for a while: all of them, or the tenth that is due. It finds them in the tests
// itself, so that none is forgotten.
//
//	go run ./tools/soak                          each target for a minute
//	go run ./tools/soak -time 10m                each for ten
//	go run ./tools/soak -turn 7 -time 5s         those that are due at turn 7, of ten turns
//
// What a target fails on lies under testdata/fuzz of its package afterwards, and is run by all tests from then on.
package main

import (
	"bytes"
	"flag"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"
)

// turns is in how many turns all targets are run.
const turns = 10

// target is a fuzz target.
type target struct{ folder, name string }

var declared = regexp.MustCompile(`(?m)^func (Fuzz[A-Za-z0-9]+)\(`)

func main() {
	length := flag.Duration("time", time.Minute, "how long each target is run")
	turn := flag.Int("turn", -1, "run the tenth that is due at this turn, of any number; all without it")
	flag.Parse()
	if err := run(*length, *turn); err != nil {
		fmt.Fprintln(os.Stderr, "soak:", err)
		os.Exit(1)
	}
}

func run(length time.Duration, turn int) error {
	list, err := targets()
	if err != nil {
		return err
	}
	var failed []string
	for i, t := range list {
		if turn >= 0 && i%turns != turn%turns {
			continue
		}
		begun := time.Now()
		var out bytes.Buffer
		cmd := exec.Command("go", "test", "-run=^$", "-fuzz=^"+t.name+"$", "-fuzztime="+length.String(), "./"+t.folder)
		cmd.Stdout, cmd.Stderr = &out, &out
		result := "ok  "
		if cmd.Run() != nil {
			result = "FAIL"
			failed = append(failed, t.folder+":"+t.name)
		}
		fmt.Printf("%s %s %s (%v)\n", result, t.folder, t.name, time.Since(begun).Round(time.Second))
		if result == "FAIL" {
			fmt.Println(out.String())
		}
	}
	if len(failed) > 0 {
		return fmt.Errorf("failed: %s", strings.Join(failed, ", "))
	}
	return nil
}

// targets lists the fuzz targets by folder and name.
func targets() (list []target, err error) {
	for _, root := range []string{"internal", "cmd"} {
		err = filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, "_test.go") {
				return err
			}
			text, err := os.ReadFile(path)
			for _, m := range declared.FindAllSubmatch(text, -1) {
				list = append(list, target{filepath.ToSlash(filepath.Dir(path)), string(m[1])})
			}
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	slices.SortFunc(list, func(a, b target) int { return strings.Compare(a.folder+a.name, b.folder+b.name) })
	return list, nil
}
