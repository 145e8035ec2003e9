package auth

import (
	"context"
	"fmt"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAPassphraseIsKnownByItsHash(t *testing.T) {
	ctx := t.Context()
	verify := func(passphrase, hash string) bool {
		right, err := Verify(ctx, passphrase, hash)
		require.NoError(t, err)
		return right
	}
	hash, err := Hash(ctx, "löyly is for everybody")
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(hash, "$argon2id$v=19$m=65536,t=3,p=4$"), hash)
	assert.True(t, verify("löyly is for everybody", hash))
	assert.False(t, verify("Löyly is for everybody", hash))
	assert.False(t, verify("", hash))
	assert.False(t, verify("löyly is for everybody", ""))
	again, err := Hash(ctx, "löyly is for everybody")
	require.NoError(t, err)
	assert.NotEqual(t, hash, again, "each has a salt of its own")
	for _, broken := range []string{"x", "$argon2id$v=19$m=65536,t=3,p=4$!$!",
		"$argon2id$v=19$m=65536,t=0,p=4$AAAA$AAAA", "$argon2i$v=19$m=65536,t=3,p=4$AAAA$AAAA",
		"$argon2id$v=19$m=65536,t=3,p=4$AAAA$"} {
		assert.False(t, verify("x", broken), broken)
	}
}

// Passphrases that guessers try first, that are the name, or too short, are refused.
func TestWeakPassphrasesAreRefused(t *testing.T) {
	for passphrase, says := range map[string]string{"short": "at least 12 letters",
		strings.Repeat("x", 201): "at most 200", "aaaaaaaaaaaa": "easy to guess", "password1234": "easy to guess",
		"123456789012": "easy to guess", "qwertyuiopas": "easy to guess", "AinoEsimerkki": "easy to guess",
		"esimerkki aino": "easy to guess", "diadromdiadrom": "easy to guess"} {
		assert.ErrorContains(t, Strong(passphrase, "Aino Esimerkki"), says, passphrase)
	}
	for _, passphrase := range []string{"three words of löyly", "kolme sanaa ja vielä yksi",
		"correct horse battery staple", Passphrase(), strings.Repeat("löyly and more ", 12)} {
		assert.NoError(t, Strong(passphrase, "Aino Esimerkki"), passphrase)
	}
	assert.NotEqual(t, Passphrase(), Passphrase())
	assert.Len(t, Passphrase(), 35)
}

// Few passphrases are worked on at once and few wait; beyond that whoever comes is told, and nobody waits for
// one who has gone.
func TestPassphrasesAreWorkedOnInTurn(t *testing.T) {
	for range cap(hashing) {
		hashing <- struct{}{}
	}
	gone, cancel := context.WithCancel(t.Context())
	var all sync.WaitGroup
	for range cap(waiting) {
		all.Go(func() { _, err := Hash(gone, "three words of löyly"); assert.ErrorIs(t, err, context.Canceled) })
	}
	require.Eventually(t, func() bool { return len(waiting) == cap(waiting) }, time.Second, time.Millisecond)
	_, err := Hash(t.Context(), "three words of löyly")
	assert.ErrorIs(t, err, ErrBusy)
	cancel()
	all.Wait()
	for range cap(hashing) {
		<-hashing
	}
	_, err = Hash(t.Context(), "three words of löyly")
	assert.NoError(t, err)
}

// The PHC string of the reference implementation: argon2id, version 1.3, with t=2, m=65536 (KiB), p=1,
// "password" and "somesalt" (test.c of the Argon2 reference, phc-winner-argon2; written down from memory).
func TestAHashOfTheReferenceImplementationIsKnown(t *testing.T) {
	right, err := Verify(
		t.Context(),
		"password",
		"$argon2id$v=19$m=65536,t=2,p=1$c29tZXNhbHQ$CTFhFdXPJO1aFaMaO6Mm5c8y7cJHAph8ArZWb2GRPPc",
	)
	require.NoError(t, err)
	assert.True(t, right)
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
	for range 20 {
		a.Allow("192.0.2.1", "veli")
	}
	assert.Zero(t, a.Allow("192.0.2.9", "veli"), "whoever is held off by address uses up no name")
	for i := range maxLimited + 10 {
		a.Allow(fmt.Sprint("n", i))
	}
	assert.Equal(t, maxLimited, a.by.Len())
	assert.Zero(t, a.Allow("192.0.2.1"), "whoever was not seen for longest is forgotten")
}

// What one has to remember of those who try does not grow with what they send: 300 names of 1 MB take less than 1 MB.
func TestLongNamesTakeNoMemory(t *testing.T) {
	a := NewAttempts()
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	long := strings.Repeat("x", 1<<20)
	for i := range 300 {
		a.Allow(fmt.Sprint(i) + long)
	}
	runtime.GC()
	runtime.ReadMemStats(&after)
	assert.Less(t, int64(after.HeapAlloc)-int64(before.HeapAlloc), int64(1<<20))
	runtime.KeepAlive(a)
}

func TestNamesAreComparedAsPeopleReadThem(t *testing.T) {
	for _, same := range [][2]string{{"ÄINO", "äino"}, {"Aino  Esimerkki ", "aino esimerkki"}, {"A\u0308ino", "Äino"},
		{"STRASSE", "straße"}} {
		assert.Equal(t, Fold(same[0]), Fold(same[1]))
	}
	assert.NotEqual(t, Fold("Aino"), Fold("Äino"))
}

func TestOrigins(t *testing.T) {
	for address, want := range map[string]string{"192.0.2.7": "192.0.2.7", "2001:db8:1:2:3::4": "2001:db8:1:2::/64",
		"::ffff:192.0.2.7": "192.0.2.7", "pipe": "pipe"} {
		assert.Equal(t, want, Origin(address))
	}
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
