package manifest

import (
	"crypto/ed25519"
	"encoding/base64"
	"encoding/json"
	"strings"
	"testing"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/postcode"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func keys(t require.TestingT) (ed25519.PublicKey, ed25519.PrivateKey) {
	public, private, err := ed25519.GenerateKey(nil)
	require.NoError(t, err)
	return public, private
}

func TestANodeTakesOnlyWhatItsShopHasSigned(t *testing.T) {
	public, private := keys(t)
	m := &Manifest{Shop: "lauha", Issued: 7, Edition: 3, Keys: []Key{{auth.Key{ID: 1, Name: "shop", Rights: auth.Rights,
		Origins: []string{
			"https://shop.example",
		}, Expires: time.Unix(99, 0).UTC()}, "hash"}}, Settings: map[string]string{"roads": "x"}}
	signed, err := Sign(m, private)
	require.NoError(t, err)
	got, err := Open(signed, "lauha", public)
	require.NoError(t, err)
	assert.Equal(t, m, got)

	_, err = Open(signed, "another", public)
	assert.ErrorIs(t, err, ErrForged, "of another shop")
	other, otherPrivate := keys(t)
	_, err = Open(signed, "lauha", other)
	assert.ErrorIs(t, err, ErrForged, "signed by another key")
	forged, err := Sign(m, otherPrivate)
	require.NoError(t, err)
	_, err = Open(forged, "lauha", public)
	assert.ErrorIs(t, err, ErrForged)
	header, rest, _ := strings.Cut(signed, ".")
	_, signature, _ := strings.Cut(rest, ".")
	body, err := json.Marshal(Manifest{Format: Format, Shop: "lauha", Issued: 8})
	require.NoError(t, err)
	none := base64.RawURLEncoding.EncodeToString([]byte(`{"alg":"none","typ":"` + Type + `"}`))
	payload := base64.RawURLEncoding.EncodeToString(body)
	for _, text := range []string{"", "a.b.c", header + "." + payload + "." + signature, none + "." + payload + ".",
		strings.Repeat("x", MaxManifest+1)} {
		_, err := Open(text, "lauha", public)
		assert.ErrorIs(t, err, ErrForged)
	}
	m.Format = ""
	later := *m
	later.Keys = make([]Key, 20_000)
	_, err = Sign(&later, private)
	assert.ErrorContains(t, err, "too many keys")
}

func TestAnObjectIsWhatItsNameSays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.SliceOf(rapid.Byte()).Draw(t, "text")
		name, body := Pack("store", text)
		got, err := Unpack(name, body)
		require.NoError(t, err)
		require.Equal(t, string(text), string(got))
		at := rapid.IntRange(0, len(body)-1).Draw(t, "at")
		body[at] ^= 1 << rapid.IntRange(0, 7).Draw(t, "bit")
		_, err = Unpack(name, body)
		require.Error(t, err, "a bit that flipped")
	})
}

func TestAStoreFileHasTheHashOfItsEdition(t *testing.T) {
	text := storetest.Lauha(t).Write()
	name, body := Pack("store", text)
	f, err := ReadStore(name, sum(text), body)
	require.NoError(t, err)
	assert.Equal(t, string(text), string(f.Write()))
	_, err = ReadStore(name, sum(body), body)
	assert.ErrorContains(t, err, "another hash")
	name, body = Pack("store", []byte(`{"format":"diadrom-store/1","zones":[{"id":""}]}`))
	text, err = Unpack(name, body)
	require.NoError(t, err)
	_, err = ReadStore(name, sum(text), body)
	assert.ErrorContains(t, err, "the store file of", "one with faults is not quoted from")
}

func TestPlacesTravelWhole(t *testing.T) {
	g, lines, err := gazetteer.Read(strings.NewReader("FI\t22100\tMariehamn\tÅland\t01\t\t\t\t\t60.1\t19.9\t4\n" +
		"FI\t00100\tHelsinki\tUusimaa\t18\tHelsinki\t\t\t\t60.17\t24.93\t4\nAE\t\tDubai\t\t\t\t\t\t\t\t\t\n"))
	require.NoError(t, err)
	require.Empty(t, lines)
	name, body, err := PackPlaces(g)
	require.NoError(t, err)
	again, err := ReadPlaces(name, body)
	require.NoError(t, err)
	require.Equal(t, g.Len(), again.Len())
	for i := range g.Len() {
		assert.Equal(t, *g.At(int32(i)), *again.At(int32(i)))
	}
	code := postcode.Read("FI", "22100")
	assert.Equal(t, g.Postcode("FI", code), again.Postcode("FI", code))
	name, _, err = PackPlaces(nil)
	require.NoError(t, err)
	assert.Empty(t, name)
}

func TestJoinFiles(t *testing.T) {
	public, _ := keys(t)
	good := Join{Format: Format, Shop: "lauha", Trust: base64.StdEncoding.EncodeToString(public),
		Vault: base64.StdEncoding.EncodeToString(make([]byte, 32)), Brokers: []string{"nats://a"}}
	parse := func(change func(*Join)) error {
		j := good
		change(&j)
		body, err := json.Marshal(j)
		require.NoError(t, err)
		_, _, _, err = ParseJoin(body)
		return err
	}
	require.NoError(t, parse(func(*Join) {}))
	for why, change := range map[string]func(*Join){
		"its format":         func(j *Join) { j.Format = "x" },
		"small letters":      func(j *Join) { j.Shop = "Lauha Oy" },
		"its trust":          func(j *Join) { j.Trust = "x" },
		"its vault":          func(j *Join) { j.Vault = j.Trust[:8] },
		"it names no broker": func(j *Join) { j.Brokers = nil },
	} {
		assert.ErrorContains(t, parse(change), why)
	}
	_, _, _, err := ParseJoin([]byte("{"))
	assert.ErrorContains(t, err, "diadrom node-file")
}

// FuzzOpen looks for texts that are taken though nobody signed them.
func FuzzOpen(f *testing.F) {
	public, private := keys(f)
	signed, err := Sign(&Manifest{Shop: "lauha", Issued: 1}, private)
	require.NoError(f, err)
	f.Add(signed)
	f.Add(signed[:len(signed)-2])
	f.Fuzz(func(t *testing.T, text string) {
		if m, err := Open(text, "lauha", public); err == nil && m.Issued != 1 {
			t.Fatal("taken: ", text)
		}
	})
}
