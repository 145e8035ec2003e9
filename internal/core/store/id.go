package store

import (
	"strconv"
	"strings"

	"diadrom/internal/core/world"
)

// NewID makes an id of a name that none of the taken ones is.
func NewID(name, otherwise string, taken func(string) bool) string {
	var b strings.Builder
	for _, r := range world.Fold(name) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
	}
	base := strings.Trim(b.String(), "-")
	if len(base) > 40 {
		base = strings.Trim(base[:40], "-")
	}
	if base == "" {
		base = otherwise
	}
	id := base
	for n := 2; taken(id); n++ {
		id = base + "-" + strconv.Itoa(n)
	}
	return id
}
