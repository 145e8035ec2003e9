// Package child has the program of a package's tests read files from outside in child processes of itself, as the
// program does.
package child

import (
	"maps"
	"os"
	"testing"

	"diadrom/internal/shop/confined"
	"diadrom/internal/shop/files"
	"diadrom/internal/shop/history"
)

// Main runs tests, or one reading.
func Main(m *testing.M) {
	if len(os.Args) > 2 && os.Args[1] == confined.Command {
		kinds := maps.Clone(files.Kinds)
		maps.Copy(kinds, history.Kinds)
		os.Exit(confined.Main(kinds, os.Args[2:]))
	}
	os.Exit(m.Run())
}
