package jsonread

import (
	"bytes"
	"strings"

	"github.com/go-json-experiment/json/jsontext"
)

// Lines are the lines, counted from 1, on which the values of JSON Pointers (RFC 6901) begin in a document: those of
// members with their names. A pointer to
// something that is missing has the line of what it would belong to.
func Lines(data []byte, pointers []string) map[string]int {
	wanted := map[string]bool{}
	for _, p := range pointers {
		for {
			wanted[p] = true
			at := strings.LastIndexByte(p, '/')
			if at < 0 {
				break
			}
			p = p[:at]
		}
	}
	found := map[string]int{}
	dec := jsontext.NewDecoder(bytes.NewReader(data), jsontext.AllowDuplicateNames(true))
	line, counted := 1, int64(0)
	for {
		token, err := dec.ReadToken()
		if err != nil {
			break
		}
		pointer := string(dec.StackPointer())
		end := dec.InputOffset()
		line += bytes.Count(data[counted:end], []byte("\n"))
		counted = end
		if kind := token.Kind(); kind == '}' || kind == ']' || !wanted[pointer] {
			continue
		}
		if _, ok := found[pointer]; !ok {
			found[pointer] = line
		}
	}
	out := make(map[string]int, len(pointers))
	for _, whole := range pointers {
		p := whole
		for found[p] == 0 && p != "" {
			p = p[:max(strings.LastIndexByte(p, '/'), 0)]
		}
		out[whole] = max(found[p], 1)
	}
	return out
}
