// Package confined runs work on files from outside in processes of their own, so that no file can take the memory or
// the time of the process that answers buyers.
//
// [Places.Run] starts this program again with a hidden command, sends it the file, and hands on what it writes.
// [Main] is what runs there: it gives up all that it will not need and calls the work. The two speak over a pair of
// pipes. Down go the length of the arguments (four bytes, big-endian), the arguments as JSON, and the file. Up come
// frames: a letter, a length in four bytes, and as many bytes. The letters are d for data, p for progress, e for an
// error that ends the work, and z for its end; a stream without an end is one that broke off.
//
// The child may use [Memory] bytes and as much time as its [Limits] say. On Linux the kernel holds it to
// that (setrlimit(2), seccomp(2)) and refuses it sockets, other programs and signals; elsewhere the Go runtime's
// memory limit and the child's own watch do. It works in an empty folder that is removed behind it, with an empty
// environment, and ends when its request or its parent does: a pipe that nothing is written to breaks then.
package confined

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"runtime"
	"strings"
	"time"
)

// Limits of one reading.
const (
	Memory   = 512 << 20 // bytes beyond what the program takes to start
	MaxFrame = 1 << 20   // bytes
)

// Limits are how long a reading may take.
type Limits struct {
	Processor time.Duration // of all cores together
	Deadline  time.Duration // on the clock, without waiting for a place
}

// The limits of files that are read whole, and of those that are long and come part by part, such as past orders.
var (
	Usual = Limits{time.Minute, 5 * time.Minute}
	Long  = Limits{20 * time.Minute, 6 * time.Hour}
)

// limitsOf are the limits by which a child is called, and what it is called with for them.
func limitsOf(word string) Limits {
	if word == long {
		return Long
	}
	return Usual
}

const long = "long"

// Command is the hidden command of the program that calls [Main]. Its argument is a kind of work.
const Command = "read-file"

// Errors of a reading that did not come to its end, in words for whoever sent the file.
var (
	ErrMemory = fmt.Errorf("this file needs more than %d MB of memory to read: is it damaged?", Memory>>20)
	ErrTime   = fmt.Errorf("this file takes more than %.0f s to read: cut it into several, or look whether it is damaged",
		Usual.Processor.Seconds())
	ErrBroken = errors.New("this file cannot be read: it is damaged, or made in a way that is not known")
)

// Failure is an error that the work in a child ended with. Kind and Line are the work's own.
type Failure struct {
	Kind    string `json:"kind,omitempty"`
	Line    int    `json:"line,omitempty"`
	Message string `json:"message"`
}

// Error is the message.
func (f *Failure) Error() string { return f.Message }

// Progress is how far a reading is: Done of Total, both in bytes or in what the work counts; Total is 0 where it is not
// known.
type Progress struct {
	Done, Total int64
	What        string // "rows", "areas"
}

// child is how the program is started again.
type child struct {
	path string
	log  *slog.Logger
}

// Run does a kind of work in a child, once there is a place for it. args are sent as JSON. The file is read from in, of
// which size is known or -1. each gets what the child writes; an error of its own ends the work. The errors are
// [ErrMemory], [ErrTime], [ErrBroken], a [*Failure], that of each, and that of the context.
func (p *Places) Run(
	ctx context.Context, kind string, args any, in io.Reader, size int64, each func(io.Reader) error,
) error {
	return p.run(ctx, []string{kind}, args, in, size, each)
}

// RunLong is [Places.Run] for a file that is long and comes part by part.
func (p *Places) RunLong(
	ctx context.Context, kind string, args any, in io.Reader, size int64, each func(io.Reader) error,
) error {
	return p.run(ctx, []string{kind, long}, args, in, size, each)
}

func (p *Places) run(
	ctx context.Context, words []string, args any, in io.Reader, size int64, each func(io.Reader) error,
) error {
	leave, err := p.enter(ctx, size)
	if err != nil {
		return err
	}
	defer leave()
	ctx, cancel := context.WithTimeoutCause(ctx, limitsOf(words[len(words)-1]).Deadline, ErrTime)
	defer cancel()
	return p.child.run(ctx, words, args, in, size, each)
}

func (c *child) run(
	ctx context.Context, words []string, args any, in io.Reader, size int64, each func(io.Reader) error,
) error {
	body, err := json.Marshal(args)
	if err != nil {
		return err
	}
	folder, err := os.MkdirTemp("", "diadrom-file-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	cmd := exec.CommandContext(ctx, c.path, append([]string{Command}, words...)...)
	cmd.Dir, cmd.WaitDelay = folder, 5*time.Second
	cmd.Env = []string{"TMPDIR=" + folder, "TMP=" + folder, "TEMP=" + folder, "GOMAXPROCS=2", "GOTRACEBACK=single"}
	if root := os.Getenv("SystemRoot"); runtime.GOOS == "windows" {
		cmd.Env = append(cmd.Env, "SystemRoot="+root)
	}
	var said tail
	cmd.Stderr = &said
	cmd.Stdin = io.MultiReader(bytes.NewReader(binary.BigEndian.AppendUint32(nil, uint32(len(body)))),
		bytes.NewReader(body), in)
	alive, hold, err := lifeline(cmd)
	if err != nil {
		return err
	}
	defer hold.Close()
	out, err := cmd.StdoutPipe()
	if err == nil {
		err = cmd.Start()
	}
	alive.Close() // the child has its own
	if err != nil {
		return err
	}
	f := &frames{in: out, report: reportOf(ctx), total: size}
	err = each(f)
	if err == nil && !f.ended {
		_, err = io.Copy(io.Discard, f)
	}
	own := err != nil && f.err == nil // what the caller does not want to go on with
	cause := context.Cause(ctx)
	cancel()
	waited := cmd.Wait()
	switch {
	case own && cause == nil:
		return err
	case f.ended && f.failure != nil:
		return f.failure
	case f.ended:
		return nil
	case cause != nil:
		return cause
	}
	return c.why(words, waited, cmd.ProcessState, said.String())
}

// why says why a child ended before its work did.
func (c *child) why(words []string, waited error, state *os.ProcessState, said string) error {
	switch {
	case state.ExitCode() == exitMemory,
		strings.Contains(said, "out of memory"), strings.Contains(said, "cannot allocate memory"),
		strings.Contains(said, "stack exceeds"):
		return ErrMemory
	case state.ExitCode() == exitTime, strings.Contains(said, "SIGXCPU"), overTime(state, limitsOf(words[len(words)-1]).Processor):
		return ErrTime
	}
	c.log.Warn("a file could not be read: its process ended", "kind", words[0], "error", waited, "said", said)
	return ErrBroken
}

// frames is what a child writes, its data as a stream.
type frames struct {
	in      io.Reader
	left    int // of a frame of data
	ended   bool
	failure error
	err     error
	report  func(Progress)
	total   int64
}

// Read reads data. It ends with io.EOF where the child came to its end, else with io.ErrUnexpectedEOF or a [*Failure].
func (f *frames) Read(p []byte) (int, error) {
	for f.left == 0 {
		if f.err != nil {
			return 0, f.err
		}
		if f.err = f.next(); f.err != nil {
			return 0, f.err
		}
	}
	n, err := f.in.Read(p[:min(len(p), f.left)])
	if f.left -= n; err != nil && f.left > 0 {
		f.err = io.ErrUnexpectedEOF
		return n, f.err
	}
	return n, nil
}

func (f *frames) next() error {
	var head [5]byte
	if _, err := io.ReadFull(f.in, head[:]); err != nil {
		return io.ErrUnexpectedEOF
	}
	n := int(binary.BigEndian.Uint32(head[1:]))
	if n > MaxFrame {
		return io.ErrUnexpectedEOF
	}
	if head[0] == 'd' {
		f.left = n
		return nil
	}
	body := make([]byte, n)
	if _, err := io.ReadFull(f.in, body); err != nil {
		return io.ErrUnexpectedEOF
	}
	switch head[0] {
	case 'p':
		var p Progress
		if json.Unmarshal(body, &p) == nil {
			f.report(p)
		}
		return nil
	case 'e':
		var failure Failure
		if json.Unmarshal(body, &failure) != nil {
			return io.ErrUnexpectedEOF
		}
		f.ended, f.failure = true, &failure
		return &failure
	case 'z':
		f.ended = true
		return io.EOF
	}
	return io.ErrUnexpectedEOF
}

// tail keeps the beginning of what a child says on its standard error: what a crash begins with.
type tail struct{ b []byte }

const maxTail = 4 << 10

func (t *tail) Write(p []byte) (int, error) {
	t.b = append(t.b, p[:min(len(p), maxTail-len(t.b))]...)
	return len(p), nil
}

func (t *tail) String() string { return string(t.b) }
