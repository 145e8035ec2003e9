// Package storetest gives the tests of other packages the demo shop: its store file, and the program that
// serves it.
package storetest

import (
	"os"

	"diadrom/internal/store"

	"github.com/stretchr/testify/require"
)

// Lauha reads the demo shop, for a test that runs in a folder of internal.
func Lauha(t require.TestingT) *store.File {
	data, err := os.ReadFile("../demo/data/store.json")
	require.NoError(t, err)
	f, faults := store.Read(data)
	require.Empty(t, faults)
	return f
}
