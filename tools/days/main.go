// Command days runs tests as on other days and in other time zones: all packages but the browser tests, once for each
// distance in days from today, and once in each of three zones.
//
// The tests, and the programs that they build, are compiled with a copy of the standard library's time.go whose Now
// adds what the environment says (go build -overlay). The machine's clock stays as it is. Monotonic readings do not
// move, as they do not when a real clock is set.
//
//	go run ./tools/days                    every day and zone
//	go run ./tools/days -only +400 ./...   one day, and chosen packages
//	go run ./tools/days -overlay FOLDER    writes the overlay alone and prints its path
package main

import (
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
)

// days are the distances from today, in days: before and after a change of year and of summer time, beyond the life of
// a signing key (90 days), beyond a leap day, and beyond a certificate's year.
var days = []int{-400, -10, +37, +190, +400, +1500}

// zones have their midnight on either side of Greenwich, and summer time at other times of the year.
var zones = []string{"Pacific/Auckland", "America/St_Johns", "Europe/Helsinki"}

// Setting is the variable that holds how many seconds Now adds, or the path of a file that holds it, which is read again
// at most a hundred times a second: a clock that jumps while a program runs.
const Setting = "DIADROM_TEST_CLOCK"

// shifted is added to time.go. It uses only what package time may import, and Now itself makes no system call: it is called
// where none may be made.
const shifted = `

var testOffset atomic.Int64

func init() {
	v, _ := syscall.Getenv("` + Setting + `")
	if n, ok := testNumber(v); ok {
		testOffset.Store(n)
	} else if v != "" {
		testRead(v)
		go func() {
			for {
				Sleep(10 * Millisecond)
				testRead(v)
			}
		}()
	}
}

func testRead(path string) {
	fd, err := syscall.Open(path, syscall.O_RDONLY, 0)
	if err != nil {
		return
	}
	var text [32]byte
	n, _ := syscall.Read(fd, text[:])
	syscall.Close(fd)
	if offset, ok := testNumber(string(text[:max(n, 0)])); ok {
		testOffset.Store(offset)
	}
}

func testNumber(text string) (n int64, ok bool) {
	sign := int64(1)
	for i, r := range text {
		switch {
		case r == '-' && i == 0:
			sign = -1
		case r == '+' && i == 0, r == '\n':
		case r >= '0' && r <= '9':
			n, ok = n*10+int64(r-'0'), true
		default:
			return 0, false
		}
	}
	return sign * n, ok
}
`

// node has programs of Node, which some tests run, take the same time.
const node = `const offset = Number(process.env.` + Setting + `) * 1000, Real = Date;
globalThis.Date = class extends Real {
  constructor(...args) { args.length ? super(...args) : super(Real.now() + offset); }
  static now() { return Real.now() + offset; }
};
`

func main() {
	only := flag.String("only", "", "one distance in days, such as +400, or one time zone")
	folder := flag.String("overlay", "", "write the overlay into this folder, print its path, and run nothing")
	flag.Parse()
	if err := run(*only, *folder, flag.Args()); err != nil {
		fmt.Fprintln(os.Stderr, "days:", err)
		os.Exit(1)
	}
}

func run(only, folder string, packages []string) error {
	if folder != "" {
		path, err := overlay(folder)
		fmt.Println(path)
		return err
	}
	folder, err := os.MkdirTemp("", "diadrom-days-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	path, err := overlay(folder)
	if err != nil {
		return err
	}
	if len(packages) == 0 {
		if packages, err = all(); err != nil {
			return err
		}
	}
	var failed []string
	test := func(name string, setting ...string) {
		if only != "" && only != name {
			return
		}
		fmt.Println("==", name)
		cmd := exec.Command("go", append([]string{"test", "-count=1", "-timeout", "40m"}, packages...)...)
		cmd.Env = append(append(os.Environ(), "GOFLAGS="+os.Getenv("GOFLAGS")+" -overlay="+path), setting...)
		cmd.Stdout, cmd.Stderr = os.Stdout, os.Stderr
		if cmd.Run() != nil {
			failed = append(failed, name)
		}
	}
	script := filepath.Join(folder, "clock.cjs")
	if err := os.WriteFile(script, []byte(node), 0o600); err != nil {
		return err
	}
	for _, d := range days {
		test(fmt.Sprintf("%+d", d), Setting+"="+strconv.Itoa(d*24*60*60), "NODE_OPTIONS=--require="+script)
	}
	for _, z := range zones {
		test(z, "TZ="+z)
	}
	if len(failed) > 0 {
		return fmt.Errorf("tests failed on: %s", strings.Join(failed, ", "))
	}
	return nil
}

// all lists the packages whose tests need no browser.
func all() ([]string, error) {
	out, err := exec.Command("go", "list", "./...").Output()
	if err != nil {
		return nil, err
	}
	var list []string
	for p := range strings.FieldsSeq(string(out)) {
		if !strings.HasSuffix(p, "/test/browser") {
			list = append(list, p)
		}
	}
	return list, nil
}

// overlay writes a time.go that is shifted, and the file that tells the compiler of it.
func overlay(folder string) (string, error) {
	out, err := exec.Command("go", "env", "GOROOT").Output()
	if err != nil {
		return "", err
	}
	original := filepath.Join(strings.TrimSpace(string(out)), "src", "time", "time.go")
	text, err := os.ReadFile(original)
	if err != nil {
		return "", err
	}
	const now = "sec, nsec, mono := runtimeNow()\n"
	code := string(text)
	if strings.Count(code, "func Now() Time {\n\t"+now) != 1 {
		return "", fmt.Errorf("%s: its Now is not the one that this program knows", original)
	}
	code = strings.Replace(code, now, now+"\tsec += testOffset.Load()\n", 1)
	code = strings.Replace(code, "import (\n", "import (\n\t\"sync/atomic\"\n\t\"syscall\"\n", 1)
	path, list := filepath.Join(folder, "time.go"), filepath.Join(folder, "overlay.json")
	if err := os.WriteFile(path, []byte(code+shifted), 0o600); err != nil {
		return "", err
	}
	b, err := json.Marshal(map[string]map[string]string{"Replace": {original: path}})
	if err != nil {
		return "", err
	}
	return list, os.WriteFile(list, b, 0o600)
}
