package main

import (
	"fmt"
	"os"
	"os/exec"
	"strings"
	"time"
)

// tests are those of what held before, each a real server or browser of its own. A name that no test has is a fault:
// what is not run has not held.
func (a *attack) tests() error {
	for _, t := range []struct {
		what, packages string
		names          []string // none means all
	}{
		{"hostile files in child processes, one by one", "./internal/shop/files",
			[]string{"TestHostileFilesStopAlone", "TestOneReaderDoesNotHoldUpOthers"}},
		{"whatever is sent to whatever form", "./internal/web",
			[]string{"TestNoFormFailsWhateverIsSent", "TestNoNumberMakesAPageFail"}},
		{"markup in everything that is typed", "./internal/web", []string{"TestWhatIsTypedIsEscaped"}},
		{"rights of people and keys", "./internal/web",
			[]string{"TestAHelperEditsAndAnOwnerPublishes", "TestAKeyOfTheAPI", "TestEventsAreKeptForOwners"}},
		{"a session alone, guessed passphrases and codes", "./internal/web",
			[]string{"TestASecondFactorIsAskedFor", "TestANameUnderAttackStillLetsItsOwnerIn", "TestHashingIsNotForEverybody"}},
		{"other sites, proxies and the first owner's code", "./internal/web",
			[]string{"TestOnlyAKeySkipsTheCheckForOtherSites",
				"TestBehindAProxy", "TestThePublicAddressNeedsTheCodeThatWasPrinted", "TestASessionBehindAProxyIsForHTTPSOnly"}},
		{"the same change twice, and at once", "./internal/web", []string{"TestWhatIsSentTwiceIsDoneOnce",
			"TestNothingIsTakenBackTwice", "TestTwoOwnersPublishAtOnce", "TestEditsFromManyWindows"}},
		{"secrets of carriers at other addresses", "./internal/web",
			[]string{"TestASecretStaysASecret", "TestASecretOfTheEnvironmentStaysAtItsAddress",
				"TestAddressesOfCarriersThatAreNotAsked"}},
		{"redirects, drips, endless answers of services outside", "./internal/outside/...", nil},
		{"forged, respelt and expired tokens", "./internal/shop/held", nil},
		{"forged, older and foreign manifests", "./internal/shop/node ./internal/shop/manifest", nil},
		{"coupons by trying, clocks of buyers, strict verifying", "./internal/web/api", nil},
		{"numbers such as NaN and 1e308, deep nesting",
			"./internal/core/jsonread ./internal/core/decimal ./internal/core/store", nil},
		{"kills while files are read and editions wait", "./cmd/diadrom",
			[]string{"TestWhatWasAnsweredOutlivesAKill", "TestUploadsAndSchedulesOutliveAKill", "TestAFullDiskLosesNothing"}},
	} {
		begun := time.Now()
		pattern := "."
		if len(t.names) > 0 {
			pattern = "^(" + strings.Join(t.names, "|") + ")$"
		}
		cmd := exec.Command("go", append([]string{"test", "-count=1", "-v", "-run", pattern},
			strings.Fields(t.packages)...)...)
		cmd.Env = append(os.Environ(), "DIADROM_TEST_ATTACK=1")
		out, err := cmd.CombinedOutput()
		result := "passed"
		if err != nil {
			result = string(out)
		}
		for _, name := range t.names {
			if !strings.Contains(string(out), "--- PASS: "+name+" ") && err == nil {
				err = fmt.Errorf("%s did not run", name)
				result = err.Error()
			}
		}
		a.row(t.what, err == nil, time.Since(begun), -1, result)
	}
	return nil
}
