package rates

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestScalesStepByOneTwoOrFive(t *testing.T) {
	for high, want := range map[float64]float64{2: 0.5, 9: 2, 25: 5, 29: 10, 790: 200} {
		assert.Equal(t, want, niceStep(high), high)
	}
}
