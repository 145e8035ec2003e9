package confined

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"runtime/debug"
	"runtime/metrics"
	"sync"
	"time"
)

// Exit codes of a child that gave itself up.
const (
	exitMemory = 77
	exitTime   = 78
	exitBroken = 79
)

// Work is one kind of work on a file: it gets its arguments as JSON, and writes what it makes of the file. An error that
// is no [*Failure] is told by its text.
type Work func(args []byte, in io.Reader, out *Out) error

// Main does one piece of work in a child and gives its exit code. words are what stands behind [Command] on its command
// line.
func Main(kinds map[string]Work, words []string) int {
	work, ok := kinds[words[0]]
	limits := limitsOf(words[len(words)-1])
	if !ok {
		fmt.Fprintln(os.Stderr, "this command is the program's own")
		return exitBroken
	}
	out := &Out{to: os.Stdout}
	go watch(limits)
	if err := confine(limits); err != nil {
		fmt.Fprintln(os.Stderr, "not confined:", err)
		return exitBroken
	}
	args, err := arguments(os.Stdin)
	if err != nil {
		return exitBroken
	}
	if err = work(args, os.Stdin, out); err != nil {
		failure := &Failure{}
		if !errors.As(err, &failure) {
			failure.Message = err.Error()
		}
		body, err := json.Marshal(failure)
		if err != nil || out.frame('e', body[:min(len(body), MaxFrame)]) != nil {
			return exitBroken
		}
		return 0
	}
	if out.Flush() != nil || out.frame('z', nil) != nil {
		return exitBroken
	}
	return 0
}

func arguments(in io.Reader) ([]byte, error) {
	var head [4]byte
	if _, err := io.ReadFull(in, head[:]); err != nil {
		return nil, err
	}
	args := make([]byte, binary.BigEndian.Uint32(head[:]))
	_, err := io.ReadFull(in, args)
	return args, err
}

// watch ends the process where it takes too much memory or time, or where its parent is gone.
func watch(l Limits) {
	debug.SetMemoryLimit(Memory * 7 / 8)
	go func() {
		if parentGone() {
			os.Exit(exitBroken)
		}
	}()
	sample := []metrics.Sample{{Name: "/memory/classes/total:bytes"}, {Name: "/memory/classes/heap/released:bytes"}}
	for begun := time.Now(); ; time.Sleep(5 * time.Millisecond) {
		metrics.Read(sample)
		if sample[0].Value.Uint64()-sample[1].Value.Uint64() > Memory {
			os.Exit(exitMemory)
		}
		if time.Since(begun) > l.Deadline || processorTime() > l.Processor {
			os.Exit(exitTime)
		}
	}
}

// Out is where work writes to. It is safe for several goroutines.
type Out struct {
	mu   sync.Mutex
	to   io.Writer
	buf  []byte
	last time.Time
}

// Write writes data.
func (o *Out) Write(p []byte) (int, error) {
	o.mu.Lock()
	defer o.mu.Unlock()
	n := len(p)
	for len(p) > 0 {
		room := min(len(p), maxBuffered-len(o.buf))
		o.buf, p = append(o.buf, p[:room]...), p[room:]
		if len(o.buf) == maxBuffered {
			if err := o.flush(); err != nil {
				return 0, err
			}
		}
	}
	return n, nil
}

const maxBuffered = 64 << 10

// Flush sends what was written.
func (o *Out) Flush() error {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.flush()
}

func (o *Out) flush() error {
	if len(o.buf) == 0 {
		return nil
	}
	err := o.send('d', o.buf)
	o.buf = o.buf[:0]
	return err
}

// Progress says how far the work is. It may be called as often as one likes: four times a second are sent.
func (o *Out) Progress(p Progress) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if now := time.Now(); now.Sub(o.last) > time.Second/4 {
		o.last = now
		if body, err := json.Marshal(p); err == nil {
			_ = o.send('p', body) // where nobody listens any more, the next data fails
		}
	}
}

func (o *Out) frame(kind byte, body []byte) error {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.send(kind, body)
}

func (o *Out) send(kind byte, body []byte) error {
	head := append([]byte{kind}, 0, 0, 0, 0)
	binary.BigEndian.PutUint32(head[1:], uint32(len(body)))
	if _, err := o.to.Write(head); err != nil {
		return err
	}
	_, err := o.to.Write(body)
	return err
}
