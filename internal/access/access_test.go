package access

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAPassphraseIsKnownByItsHash(t *testing.T) {
	hash, err := Hash("löyly is for everybody")
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(hash, "$argon2id$v=19$m=65536,t=3,p=4$"), hash)
	assert.True(t, Verify("löyly is for everybody", hash))
	assert.False(t, Verify("Löyly is for everybody", hash))
	assert.False(t, Verify("", hash))
	assert.False(t, Verify("löyly is for everybody", ""))
	again, err := Hash("löyly is for everybody")
	require.NoError(t, err)
	assert.NotEqual(t, hash, again, "each has a salt of its own")
	for _, broken := range []string{"x", "$argon2id$v=19$m=65536,t=3,p=4$!$!", "$argon2id$v=19$m=65536,t=0,p=4$AAAA$AAAA", "$argon2i$v=19$m=65536,t=3,p=4$AAAA$AAAA", "$argon2id$v=19$m=65536,t=3,p=4$AAAA$"} {
		assert.False(t, Verify("x", broken), broken)
	}
	_, err = Hash("short")
	assert.ErrorContains(t, err, "at least 12 letters")
	_, err = Hash(strings.Repeat("x", 201))
	assert.ErrorContains(t, err, "at most 200")
}

// The PHC string of the reference implementation: argon2id, version 1.3, with t=2, m=65536 (KiB), p=1, "password" and "somesalt"
// (test.c of the Argon2 reference, phc-winner-argon2; written down from memory).
func TestAHashOfTheReferenceImplementationIsKnown(t *testing.T) {
	assert.True(t, Verify("password", "$argon2id$v=19$m=65536,t=2,p=1$c29tZXNhbHQ$CTFhFdXPJO1aFaMaO6Mm5c8y7cJHAph8ArZWb2GRPPc"))
}

func TestSecretsAreKeptHashed(t *testing.T) {
	a, kept := Secret("diadrom_")
	b, _ := Secret("diadrom_")
	assert.NotEqual(t, a, b)
	assert.True(t, strings.HasPrefix(a, "diadrom_"))
	assert.GreaterOrEqual(t, len(a), len("diadrom_")+26, "26 letters of 5 bits")
	assert.Equal(t, kept, Kept(a))
	assert.NotContains(t, kept, a)
	// FIPS 180-4, the example of SHA-256 for "abc".
	assert.Equal(t, "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad", Kept("abc"))
}

func TestOneMayNotTryForEver(t *testing.T) {
	a := NewAttempts()
	for i := range 8 {
		assert.Zero(t, a.Allow("192.0.2.1", "aino"), i)
	}
	wait := a.Allow("192.0.2.1", "aino")
	assert.InDelta(t, 15, wait.Seconds(), 1)
	assert.NotZero(t, a.Allow("192.0.2.2", "aino"), "nor from elsewhere for the same name")
	assert.NotZero(t, a.Allow("192.0.2.1", "veli"), "nor from there for another name")
	assert.Zero(t, a.Allow("192.0.2.3", "kaisa"))
	a.Every = time.Nanosecond
	for i := range mostLimited + 10 {
		a.Allow(fmt.Sprint("n", i))
	}
	assert.LessOrEqual(t, len(a.by), mostLimited+10)
}

func TestNamesOfPeople(t *testing.T) {
	name, err := Name("  Aino   Esimerkki ")
	require.NoError(t, err)
	assert.Equal(t, "Aino Esimerkki", name)
	_, err = Name(" ")
	assert.Error(t, err)
	_, err = Name(strings.Repeat("ä", 61))
	assert.ErrorContains(t, err, "this has 61")
}
