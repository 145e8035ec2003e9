package heads

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Each word is written as headings are compared; common practice, no source.
func TestWordsAreFolded(t *testing.T) {
	for concept, list := range words {
		seen := map[string]bool{}
		for _, word := range list {
			assert.Equal(t, Fold(word), word, "%s", concept)
			assert.False(t, seen[word], "%s has %q twice", concept, word)
			seen[word] = true
		}
	}
}

func TestAHeadingIsOneField(t *testing.T) {
	fields := Fields(map[string][]Concept{"where": {Country, City}, "what": {SKU}})
	assert.Equal(t, "where", fields[Fold("Shipping  Country")])
	assert.Equal(t, "where", fields[Fold("LÄNDER")])
	assert.Equal(t, "what", fields[Fold("Artikel-Nr.")])
	assert.Empty(t, fields["a country"])
	assert.Panics(t, func() {
		Fields(map[string][]Concept{"paid": {Cost}, "rate": {DeliveryPrice}})
	}, "two readings of one heading")
}
