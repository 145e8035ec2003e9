package confined

import (
	"bytes"
	"errors"
	"os"
	"strconv"

	"github.com/elastic/go-seccomp-bpf"
	"golang.org/x/sys/unix"
)

// refused are the system calls that reading a file never needs: the network, other programs and processes, and what
// changes the machine. Those that a machine's architecture lacks are left out.
var refused = []string{"socket", "socketpair", "connect", "bind", "listen", "accept", "accept4", "sendto", "sendmsg",
	"sendmmsg", "execve", "execveat", "fork", "vfork", "ptrace", "process_vm_readv", "process_vm_writev", "kill",
	"tkill", "mount", "umount2", "chroot", "setns", "unshare", "io_uring_setup", "bpf", "perf_event_open", "keyctl",
	"add_key", "request_key", "reboot", "swapon", "init_module", "finit_module", "kexec_load", "chmod", "fchmod",
	"fchmodat", "chown", "fchown", "lchown", "fchownat", "link", "linkat", "symlink", "symlinkat"}

// confine holds this process to the limits, as the kernel does it. What a unit or a container does not let it ask for is
// left out: the Go runtime's limit and the child's own watch hold then.
func confine(l Limits) error {
	err := ask(l)
	if errors.Is(err, unix.EPERM) || errors.Is(err, unix.EACCES) || errors.Is(err, unix.ENOSYS) {
		return nil
	}
	return err
}

func ask(l Limits) error {
	base, err := virtual()
	if err != nil {
		return err
	}
	for which, limit := range map[int]uint64{
		unix.RLIMIT_AS:    base + Memory + slack,
		unix.RLIMIT_CPU:   uint64(l.Processor.Seconds()),
		unix.RLIMIT_FSIZE: maxFile,
		unix.RLIMIT_CORE:  0,
	} {
		var had unix.Rlimit
		if err := unix.Getrlimit(which, &had); err != nil {
			return err
		}
		last := limit
		if which == unix.RLIMIT_CPU {
			last += 2 // a second signal, which nothing can hold up
		}
		if err := unix.Setrlimit(which, &unix.Rlimit{Cur: min(limit, had.Max), Max: min(last, had.Max)}); err != nil {
			return err
		}
	}
	if !seccomp.Supported() {
		return nil // an old kernel: the limits hold, and nothing here opens a connection
	}
	var names []string
	for _, name := range refused {
		p := policy(name)
		if _, err := p.Assemble(); err == nil {
			names = append(names, name)
		}
	}
	return seccomp.LoadFilter(seccomp.Filter{NoNewPrivs: true, Flag: seccomp.FilterFlagTSync, Policy: policy(names...)})
}

// slack is what the Go runtime reserves of the address space beyond what it uses: it asks for 64 MB at a time.
const slack = 192 << 20

// maxFile is the largest file that the child may write into its folder, in bytes: a part of a workbook, unpacked.
const maxFile = 512 << 20

func policy(names ...string) seccomp.Policy {
	return seccomp.Policy{DefaultAction: seccomp.ActionAllow, Syscalls: []seccomp.SyscallGroup{
		{Names: names, Action: seccomp.ActionErrno},
	}}
}

// virtual is the address space that this process has, in bytes.
func virtual() (uint64, error) {
	text, err := os.ReadFile("/proc/self/statm")
	if err != nil {
		return 0, err
	}
	pages, _, ok := bytes.Cut(text, []byte(" "))
	if !ok {
		return 0, errors.New("/proc/self/statm is empty")
	}
	n, err := strconv.ParseUint(string(pages), 10, 64)
	return n * uint64(os.Getpagesize()), err
}
