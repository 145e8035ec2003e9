package auth

import (
	"encoding/base32"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// RFC 6238, appendix B, the column of SHA-1: the last six of its eight digits.
func TestCodesAreThoseOfTheStandard(t *testing.T) {
	secret := base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString([]byte("12345678901234567890"))
	for at, code := range map[int64]string{59: "287082", 1111111109: "081804", 1111111111: "050471", 1234567890: "005924",
		2000000000: "279037", 20000000000: "353130"} {
		step, ok := FactorStep(secret, code[:3]+" "+code[3:], time.Unix(at, 0))
		assert.True(t, ok, code)
		assert.Equal(t, at/30, step)
		for off, want := range map[int64]bool{30: true, -30: true, 90: false, -90: false} {
			_, ok := FactorStep(secret, code, time.Unix(at+off, 0))
			assert.Equal(t, want, ok, "%s %d s later", code, off)
		}
	}
	_, ok := FactorStep(secret, "", time.Unix(59, 0))
	assert.False(t, ok)
	key, err := NewFactor("Diadrom Lauha", "Aino")
	require.NoError(t, err)
	assert.Contains(t, key.URL(), "otpauth://totp/Diadrom%20Lauha:Aino?")
	again, err := FactorFor(key.Secret(), "Diadrom Lauha", "Aino")
	require.NoError(t, err)
	assert.Equal(t, key.Secret(), again.Secret())
	codes, kept := NewRecovery()
	assert.Len(t, codes, RecoveryCodes)
	assert.Regexp(t, `^[A-Z2-7]{4}-[A-Z2-7]{4}-[A-Z2-7]{4}$`, codes[0])
	assert.Equal(t, kept[0], KeptRecovery(" "+codes[0][:4]+codes[0][5:]))
}

func TestWhereKeysAreSentFrom(t *testing.T) {
	for typed, want := range map[string][]string{
		"https://Shop.Example/cart?x=1, shop.example": {"https://shop.example"},
		"http://localhost:3000\nhttps://a.example:443 https://a.example:8443": {"http://localhost:3000", "https://a.example",
			"https://a.example:8443"},
		"": nil,
	} {
		got, err := Origins(typed)
		require.NoError(t, err, typed)
		assert.Equal(t, want, got, typed)
	}
	for _, bad := range []string{"http://shop.example", "ftp://shop.example", "https://*.example", "shop", "https://u:p@shop.example",
		"https://shop.example'"} {
		_, err := Origins(bad)
		assert.Error(t, err, bad)
	}
}
