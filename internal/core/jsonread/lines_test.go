package jsonread

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestLinesOfPointers(t *testing.T) {
	text := "{\n \"a\": [\n  {\"b~c/d\": 1},\n  {\"e\":\n   null}],\n \"f\": {}\n}\n"
	want := map[string]int{"": 1, "/a": 2, "/a/0": 3, "/a/0/b~0c~1d": 3, "/a/1": 4, "/a/1/e": 4, "/f": 6,
		"/f/none/at/all": 6, "/nothing": 1, "/a/7": 2}
	var pointers []string
	for p := range want {
		pointers = append(pointers, p)
	}
	assert.Equal(t, want, Lines([]byte(text), pointers))
	assert.Equal(t, map[string]int{"/a": 1}, Lines([]byte("no JSON"), []string{"/a"}))
}
