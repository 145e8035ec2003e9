// Package storetest gives the tests of other packages the demo shop: its store file, and the program that
// serves it.
package storetest

import (
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"

	"diadrom/internal/core/store"

	"github.com/stretchr/testify/require"
)

// Lauha reads the demo shop.
func Lauha(t require.TestingT) *store.File {
	_, here, _, ok := runtime.Caller(0) // the demo package cannot be imported by the tests of what it imports
	require.True(t, ok)
	data, err := os.ReadFile(filepath.Join(filepath.Dir(here), "../../shop/demo/data/store.json"))
	require.NoError(t, err)
	f, faults := store.Read(data)
	require.Empty(t, faults)
	return f
}

// WithProducts is a shop with so many products. Made-up data.
func WithProducts(n int) *store.File {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(
			&b,
			`,{"sku":"SKU-%05d","name":"Thing %d","price":"%d.90","weight":"%d.5","length":"20","width":"10",
		"height":"%d","class":"%s"}`,
			i,
			n-i,
			i%90+1,
			i%30,
			i%40+1,
			[]string{"", "small", "large"}[i%3],
		)
	}
	f, faults := store.Read(
		[]byte(
			`{"format":"diadrom-store/1","store":{"currency":"EUR"},"classes":[{"id":"small"},{"id":"large"}],
		"products":[` + b.String()[1:] + `]}`,
		),
	)
	if len(faults) > 0 {
		panic(faults)
	}
	return f
}
