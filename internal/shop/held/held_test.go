package held

import (
	"encoding/base64"
	"encoding/json"
	"log/slog"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/quote"
	"diadrom/internal/sqlite"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Numbers, escapes, spaces and the order of members are as RFC 8785, section 3.2, has them. The hash was made with
// sha256sum.
func TestRequestsAreCanonical(t *testing.T) {
	hash := func(text string) string {
		h, err := RequestHash([]byte(text))
		require.NoError(t, err)
		return h
	}
	// printf '{"lines":[{"quantity":2,"sku":"A"}],"to":{"country":"FI"}}' | sha256sum
	const want = "a23b99a0dbab6b89071ed1182a71fa10e2b5c36c7593397a978293a92ea15aec"
	same := []string{
		`{"to":{"country":"FI"},"lines":[{"sku":"A","quantity":2}]}`,
		` { "lines" : [ {"quantity":2.0, "sku":"\u0041"} ] , "to":{"country":"FI"}, "hold": "PT30M" } `,
	}
	for _, text := range same {
		assert.Equal(t, want, hash(text), text)
	}
	for _, other := range []string{
		`{"to":{"country":"FI"},"lines":[{"sku":"A","quantity":"2"}]}`,
		`{"to":{"country":"FI"},"lines":[{"sku":"A","quantity":2,"class":""}]}`, // it has no class then
		`{"to":{"country":"FI","hold":"x"},"lines":[{"sku":"A","quantity":2}]}`,
	} {
		assert.NotEqual(t, hash(same[0]), hash(other), other)
	}
	_, err := RequestHash([]byte(`[]`))
	assert.Error(t, err)
}

func opened(t *testing.T) (*Keys, *time.Time, *sqlite.DB, string) {
	dir := t.TempDir()
	db, err := sqlite.Open(t.Context(), dir)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	now := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	k, err := Open(t.Context(), db, dir, slog.New(slog.DiscardHandler), func() time.Time { return now })
	require.NoError(t, err)
	return k, &now, db, dir
}

var answer = &quote.Answer{Currency: "EUR", Options: []quote.Option{
	{Method: "parcel", Charge: "6.90", Tax: "1.40", Total: "6.90"},
	{Method: "post", Service: "express", Charge: "12.00", Tax: "2.44", Total: "12.00"},
}}

const request = `{"to":{"country":"FI"},"lines":[{"sku":"A","quantity":2}],"hold":"PT30M"}`

func hold(t require.TestingT, k *Keys, length time.Duration) *quote.Held {
	q, err := k.Hold(Edition{3, "5a"}, []byte(request), answer, length)
	require.NoError(t, err)
	return q
}

func TestAQuoteHoldsUntilItExpires(t *testing.T) {
	k, now, _, _ := opened(t)
	q := hold(t, k, 30*time.Minute)
	assert.Equal(t, "2026-11-27T12:30:00Z", q.Expires)
	claim := Claim{Token: q.Token, Request: []byte(request), Method: "post", Service: "express", Total: "12"}
	claims, option, why := k.Verify(claim)
	assert.Empty(t, why)
	assert.Equal(t, "2.44", option.Tax)
	assert.Equal(t, int64(3), claims.Edition)
	claim.Service = ""
	_, _, why = k.Verify(claim)
	assert.Equal(t, NotOffered, why)
	*now = now.Add(30 * time.Minute)
	_, _, why = k.Verify(claim)
	assert.Equal(t, Expired, why, "that comes before what else is wrong")
}

// Old keys verify until what they signed has expired; then nobody knows them any more.
func TestKeysRollOver(t *testing.T) {
	k, now, db, dir := opened(t)
	q := hold(t, k, quote.MaxHold)
	require.NoError(t, k.Roll(t.Context()))
	keys := len(k.List())
	claim := Claim{Token: q.Token, Request: []byte(request), Method: "parcel", Total: "6.90"}
	*now = now.Add(quote.MaxHold - time.Second)
	require.NoError(t, k.Turn(t.Context()))
	_, _, why := k.Verify(claim)
	assert.Empty(t, why)
	again, err := Open(t.Context(), db, dir, slog.New(slog.DiscardHandler), k.now) // as after a start
	require.NoError(t, err)
	assert.Len(t, again.List(), keys, "after a start they are as they were")
	*now = now.Add(2 * time.Minute)
	require.NoError(t, k.Turn(t.Context()))
	assert.Len(t, k.List(), 1)
	_, _, why = k.Verify(claim)
	assert.Equal(t, Forged, why)
	first := k.List()[0].ID
	*now = now.Add(KeyLife)
	require.NoError(t, k.Turn(t.Context()))
	assert.NotEqual(t, first, k.List()[0].ID, "a key signs for 90 days")
	assert.Equal(t, first, k.List()[1].ID)

	// Where the file of the sealing key is lost, a new key signs, and the other still verifies.
	kept := hold(t, k, time.Hour)
	elsewhere, err := Open(t.Context(), db, t.TempDir(), slog.New(slog.DiscardHandler), k.now)
	require.NoError(t, err)
	_, _, why = elsewhere.Verify(Claim{Token: kept.Token, Request: []byte(request), Method: "parcel", Total: "6.90"})
	assert.Empty(t, why)
	assert.NotEqual(t, k.List()[0].ID, elsewhere.List()[0].ID)
	hold(t, elsewhere, time.Hour)
}

// A token with any part of it changed is not taken, nor one that is not signed, or signed with a key of its own.
func TestWhatIsForgedIsNotTaken(t *testing.T) {
	k, _, _, _ := opened(t)
	q := hold(t, k, time.Hour)
	parts := strings.Split(q.Token, ".")
	part := func(v any) string {
		b, err := json.Marshal(v)
		require.NoError(t, err)
		return base64.RawURLEncoding.EncodeToString(b)
	}
	other, _, _, _ := opened(t)
	foreign := hold(t, other, time.Hour)
	var claims map[string]any
	body, err := base64.RawURLEncoding.DecodeString(parts[1])
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(body, &claims))
	claims["exp"] = 4e9
	for name, token := range map[string]string{
		"longer":      parts[0] + "." + part(claims) + "." + parts[2],
		"alg none":    part(map[string]string{"alg": "none", "typ": Type, "kid": k.List()[0].ID}) + "." + parts[1] + ".",
		"alg HS256":   part(map[string]string{"alg": "HS256", "typ": Type, "kid": k.List()[0].ID}) + "." + parts[1] + "." + parts[2],
		"another key": foreign.Token, "empty": "", "long": strings.Repeat("a", 100_000),
	} {
		_, _, why := k.Verify(Claim{Token: token, Request: []byte(request), Method: "parcel", Total: "6.90"})
		assert.Equal(t, Forged, why, name)
	}
	rapid.Check(t, func(t *rapid.T) {
		at := rapid.IntRange(0, len(q.Token)-1).Draw(t, "at")
		with := rapid.SampledFrom([]byte("ABCDwxyz019-_.")).Draw(t, "with")
		token := q.Token[:at] + string(with) + q.Token[at+1:]
		if token == q.Token {
			return
		}
		_, _, why := k.Verify(Claim{Token: token, Request: []byte(request), Method: "parcel", Total: "6.90"})
		if why == "" { // the last letter of a part has bits that no byte takes
			was, err := base64.RawURLEncoding.DecodeString(strings.Split(q.Token, ".")[2])
			require.NoError(t, err)
			is, err := base64.RawURLEncoding.DecodeString(strings.Split(token, ".")[2])
			require.NoError(t, err)
			require.Equal(t, was, is)
		}
	})
}
