package auth

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base32"
	"strings"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/totp"
)

// base32NoPadding is how secrets of second factors are written.
var base32NoPadding = base32.StdEncoding.WithPadding(base32.NoPadding)

// Codes of a second factor are those of RFC 6238 with what all programs for them know: SHA-1, six digits, 30 seconds.
const (
	factorPeriod = 30
	// RecoveryCodes is how many codes stand in for a second factor, each once.
	RecoveryCodes = 10
)

// NewFactor makes the secret of a second factor, as base 32, with the address that programs for codes read.
func NewFactor(issuer, account string) (*otp.Key, error) {
	return totp.Generate(totp.GenerateOpts{Issuer: issuer, AccountName: account, Period: factorPeriod, SecretSize: 20})
}

// FactorFor gives the address of a secret that was made before.
func FactorFor(secret, issuer, account string) (*otp.Key, error) {
	raw, err := base32NoPadding.DecodeString(secret)
	if err != nil {
		return nil, err
	}
	return totp.Generate(totp.GenerateOpts{Issuer: issuer, AccountName: account, Period: factorPeriod, Secret: raw})
}

// FactorStep gives the time step of a code that is right now, or was or will be 30 seconds from now; false where it is
// not.
func FactorStep(secret, typed string, now time.Time) (step int64, ok bool) {
	typed = strings.ReplaceAll(typed, " ", "")
	for _, off := range []int64{0, -1, 1} {
		at := now.Unix()/factorPeriod + off
		code, err := totp.GenerateCodeCustom(secret, time.Unix(at*factorPeriod, 0), totp.ValidateOpts{
			Period: factorPeriod, Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1,
		})
		if err == nil && subtle.ConstantTimeCompare([]byte(code), []byte(typed)) == 1 {
			return at, true
		}
	}
	return 0, false
}

// NewRecovery makes codes that stand in for a second factor (60 bits each), with what is kept of them.
func NewRecovery() (codes, kept []string) {
	for range RecoveryCodes {
		text := rand.Text()[:12]
		code := text[:4] + "-" + text[4:8] + "-" + text[8:]
		codes, kept = append(codes, code), append(kept, KeptRecovery(code))
	}
	return codes, kept
}

// KeptRecovery is what is kept of a code as it is typed.
func KeptRecovery(typed string) string {
	return Kept(strings.ToUpper(strings.NewReplacer("-", "", " ", "").Replace(typed)))
}
