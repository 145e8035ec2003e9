//go:build unix

package sqlite

import "golang.org/x/sys/unix"

// Space gives how many bytes can still be written in a folder; known is false where nobody says.
func Space(dir string) (bytes int64, known bool) {
	var s unix.Statfs_t
	if err := unix.Statfs(dir, &s); err != nil {
		return 0, false
	}
	return int64(s.Bavail) * int64(s.Bsize), true
}
