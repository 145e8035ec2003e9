package plural

import (
	"fmt"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func ExampleCount() {
	fmt.Println(Count(1, "change"))
	fmt.Println(Count(0, "change"))
	fmt.Println(Count(12345, "code"))
	// Output:
	// 1 change
	// 0 changes
	// 12,345 codes
}

func TestNumbersReadBackWithoutTheirCommas(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.Int().Draw(t, "n")
		text := Number(n)
		assert.Equal(t, strconv.Itoa(n), strings.ReplaceAll(text, ",", ""))
		for i, group := range strings.Split(strings.TrimPrefix(text, "-"), ",") {
			if i > 0 {
				assert.Len(t, group, 3)
			} else {
				assert.LessOrEqual(t, len(group), 3)
				assert.NotEmpty(t, group)
			}
		}
	})
}
