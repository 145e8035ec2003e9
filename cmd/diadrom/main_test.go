package main

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/fault"
	"diadrom/internal/core/quote"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var binary string

func TestMain(m *testing.M) {
	if text := os.Getenv(brokerVariable); text != "" {
		beBroker(text)
		return
	}
	dir, err := os.MkdirTemp("", "diadrom-cli-")
	if err != nil {
		panic(err)
	}
	binary = filepath.Join(dir, "diadrom")
	if out, err := exec.Command("go", "build", "-o", binary, ".").CombinedOutput(); err != nil {
		panic(string(out))
	}
	code := m.Run()
	os.RemoveAll(dir)
	os.Exit(code)
}

func call(t *testing.T, args ...string) (stdout, stderr string, code int) {
	t.Helper()
	cmd := exec.Command(binary, args...)
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	if err := cmd.Run(); err != nil {
		var exit *exec.ExitError
		require.ErrorAs(t, err, &exit)
		code = exit.ExitCode()
	}
	return out.String(), errs.String(), code
}

func file(t *testing.T, body string) string {
	t.Helper()
	name := filepath.Join(t.TempDir(), "file.json")
	require.NoError(t, os.WriteFile(name, []byte(body), 0o600))
	return name
}

const (
	demoStore     = "../../internal/shop/demo/data/store.json"
	demoGazetteer = "../../internal/shop/shipped/data/gazetteer-fi.tsv"
)

func TestTheDemoStoreIsChecked(t *testing.T) {
	out, _, code := call(t, "check", "--store", demoStore)
	assert.Equal(t, 0, code)
	assert.JSONEq(t, "[]", out)
}

func TestQuotesOfTheDemoStore(t *testing.T) {
	request := func(postcode, weight string) string {
		return `{"to":{"country":"FI","postcode":"` + postcode +
			`"},"lines":[{"name":"Goods","price":"30.00","weight":"` + weight + `","quantity":1}]}`
	}
	name := file(
		t,
		"["+strings.Join([]string{
			request("00100", "1.88"), // and the small box 0.12
			request("00100", "1.881"),
			request("21600", "1"),
			request("21599", "1"),
			request("95999", "1"),
			request("96000", "1"),
			`{"to":{"country":"RU"},"lines":[{"sku":"STONE-20","quantity":2}]}`,
			`{"to":{"country":"FI"},"lines":[{"sku":"GIFT-50","quantity":1}]}`,
		}, ",")+"]",
	)
	out, stderr, code := call(t, "quote", "--store", demoStore, "--request", name, "--gazetteer", demoGazetteer)
	require.Equal(t, 0, code, stderr)
	var answers []quote.Answer
	require.NoError(t, json.Unmarshal([]byte(out), &answers))
	charge := func(i int, method string) (charge, zone string) {
		for _, o := range answers[i].Options {
			sum := decimal.Zero
			for _, s := range o.Steps {
				sum = sum.Add(decimal.MustParse(s.Amount))
			}
			assert.Zero(t, sum.Cmp(decimal.MustParse(o.Charge)), "the steps add up")
			if o.Method == method {
				charge, zone = o.Charge, o.Zone
			}
		}
		return charge, zone
	}
	for i, want := range [][3]string{{"parcel", "6.90", "finland"}, {"parcel", "8.40", "finland"},
		{"van", "", "van-round"}, {"van", "", ""}, {"parcel", "6.90", "finland"}, {"parcel", "8.90", "lapland"}} {
		got, zone := charge(i, want[0])
		if want[1] != "" {
			assert.Equal(t, want[1], got, "request %d", i)
		}
		assert.Equal(t, want[2], zone, "request %d", i)
	}
	assert.Empty(t, answers[6].Zones)
	assert.Equal(t, "We do not deliver to Russia.", answers[6].Message)
	assert.False(t, answers[7].NeedsShipping)
	assert.NotNil(t, answers[0].Measures.Distance, "by the gazetteer's point")
}

func TestPromisesEndWithTheirExitCodes(t *testing.T) {
	data, err := os.ReadFile(demoStore)
	require.NoError(t, err)
	dir := t.TempDir()
	name := filepath.Join(dir, "shop.json")
	require.NoError(t, os.WriteFile(name, data, 0o600))
	keep := func(amount string) {
		list := `{"format":"diadrom-promises/1","promises":[{"id":"home","name":"A towel to Helsinki",
		"request":{"to":{"country":"FI","postcode":"00100"},"lines":[{"sku":"TOWEL-70","quantity":1}]},"holds":"price",
		"method":"parcel","amount":"` + amount + `"}]}`
		require.NoError(t, os.WriteFile(filepath.Join(dir, "shop.promises.json"), []byte(list), 0o600))
	}
	keep("6.90")
	out, stderr, code := call(t, "promises", "--store", name)
	assert.Equal(t, 0, code, stderr)
	assert.JSONEq(t, `[{"id":"home","name":"A towel to Helsinki","holds":true,"wanted":"6.90","is":"6.90"}]`, out)
	keep("7.20")
	out, _, code = call(t, "promises", "--store", name, "--gazetteer", demoGazetteer)
	assert.Equal(t, 1, code)
	assert.JSONEq(t, `[{"id":"home","name":"A towel to Helsinki","holds":false,"wanted":"7.20","is":"6.90"}]`, out)
	keep("x")
	_, stderr, code = call(t, "promises", "--store", name)
	assert.Equal(t, 2, code)
	assert.Equal(t, "/promises/0/amount", faultsOf(t, stderr)[0].Path)
	_, stderr, code = call(t, "promises", "--store", name, "--promises", filepath.Join(dir, "none.json"))
	assert.Equal(t, 2, code)
	assert.Len(t, faultsOf(t, stderr), 1)
}

func faultsOf(t *testing.T, out string) (list fault.List) {
	t.Helper()
	require.NoError(t, json.Unmarshal([]byte(out), &list), out)
	return list
}

func TestFaultsAreTenAtOnceAndEndWithTheirExitCodes(t *testing.T) {
	bad := file(
		t,
		`{"format":"diadrom-store/1","store":{"currency":"EUR","x1":1,"x2":1,"x3":1,"x4":1,"x5":1,"x6":1,"x7":1,"x8":1,
		"x9":1,"x10":1}}`,
	)
	out, _, code := call(t, "check", "--store", bad)
	assert.Equal(t, 1, code)
	assert.Len(t, faultsOf(t, out), 10)
	ask := file(t, `{"to":{"country":"FI"}}`)
	out, stderr, code := call(t, "quote", "--store", bad, "--request", ask)
	assert.Equal(t, 2, code)
	assert.Empty(t, out)
	assert.Len(t, faultsOf(t, stderr), 10)
	_, stderr, code = call(
		t,
		"quote",
		"--store",
		demoStore,
		"--request",
		file(t, `{"to":{"country":"FI"},"lines":[{"sku":"NO","quantity":1},{"sku":"OIL-TAR","quantity":0}]}`),
	)
	assert.Equal(t, 2, code)
	assert.Equal(
		t,
		[]string{"/lines/0/sku", "/lines/1/quantity"},
		[]string{faultsOf(t, stderr)[0].Path, faultsOf(t, stderr)[1].Path},
	)
	out, _, code = call(t, "check", "--store", "/nowhere.json")
	assert.Equal(t, 1, code)
	assert.Len(t, faultsOf(t, out), 1)
	large := filepath.Join(t.TempDir(), "large.json")
	require.NoError(t, os.WriteFile(large, nil, 0o600))
	require.NoError(t, os.Truncate(large, 200<<20))
	out, _, code = call(t, "check", "--store", large)
	assert.Equal(t, 1, code)
	assert.Equal(t, fault.TooLarge, faultsOf(t, out)[0].Code)
	_, _, code = call(t, "quote", "--store", demoStore)
	assert.Equal(t, 2, code, "a flag is missing")
}

func TestASoundRequestGivesOneObject(t *testing.T) {
	out, _, code := call(
		t,
		"quote",
		"--store",
		demoStore,
		"--request",
		file(t, `{"to":{"country":"FI","postcode":"21100"},"lines":[{"sku":"STONE-20","quantity":2}]}`),
	)
	require.Equal(t, 0, code)
	var fields map[string]json.RawMessage
	require.NoError(t, json.Unmarshal([]byte(out), &fields))
	for _, name := range []string{"currency", "needs_shipping", "zones", "measures", "options", "refused", "warnings",
		"message"} {
		assert.Contains(t, fields, name)
		assert.NotEqual(t, "null", string(fields[name]), name)
	}
}

// A quote on the command line asks the services that are named, by a flag or in the environment, as the server does.
func TestQuotesAskServices(t *testing.T) {
	store := file(t, `{"format":"diadrom-store/1","store":{"currency":"EUR","distance_by":"road"},
		"locations":[{"id":"w","name":"Workshop","country":"FI","lat":"60.4674","lon":"22.0260","ships_from":true}]}`)
	request := file(t, `[{"to":{"country":"FI","street":"Satamatie 4"},"lines":[]},
		{"to":{"country":"FI","lat":"60.4492","lon":"22.2661"},"lines":[]}]`)
	roads := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		n := strings.Count(r.URL.Path, ";")
		fmt.Fprintf(w, `{"code":"Ok","distances":[[%s]]}`, strings.TrimSuffix(strings.Repeat("20345.6,", n), ","))
	}))
	defer roads.Close()
	addresses := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		fmt.Fprint(w, `[{"lat":"60.45","lon":"22.2"}]`)
	}))
	defer addresses.Close()
	quote := func(env []string, arguments ...string) string {
		cmd := exec.Command(binary, append([]string{"quote", "--store", store, "--request", request}, arguments...)...)
		cmd.Env = append(os.Environ(), env...)
		out, err := cmd.Output()
		require.NoError(t, err)
		return string(out)
	}
	asked := quote(nil, "--roads", roads.URL, "--addresses", addresses.URL)
	assert.Equal(t, 2, strings.Count(asked, `"distance": "20.346"`), asked)
	assert.NotContains(t, asked, "road_estimated")
	assert.Equal(t, asked, quote([]string{"DIADROM_ROADS=" + roads.URL, "DIADROM_ADDRESSES=" + addresses.URL}))
	alone := quote(nil)
	assert.Equal(t, 1, strings.Count(alone, `"distance": "17.377"`), "13.367 km straight × 1.3")
	assert.Equal(t, 1, strings.Count(alone, "road_estimated"))
	cmd := exec.Command(binary, "quote", "--store", store, "--request", request, "--roads", "roads.example")
	out, err := cmd.CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "write it such as https://roads.example")
}

// A stand-in says where it is, and answers there.
func TestStandIns(t *testing.T) {
	for name, path := range map[string]string{
		"roads":     "/table/v1/driving/22.026,60.4674;22.2661,60.4492?sources=0&destinations=1&annotations=distance",
		"addresses": "/search?street=Satamatie+4&city=Turku&postalcode=20100&country=FI&format=jsonv2&limit=1",
	} {
		cmd := exec.Command(binary, "standin", name)
		out, err := cmd.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, cmd.Start())
		line, err := bufio.NewReader(out).ReadString('\n')
		require.NoError(t, err)
		url := regexp.MustCompile(`http://\S+`).FindString(line)
		answer, err := http.Get(url + path)
		require.NoError(t, err)
		body, err := io.ReadAll(answer.Body)
		answer.Body.Close()
		require.NoError(t, err)
		assert.Regexp(t, `"distances":\[\[20252\.7\]\]|"lat":"60\.4526332"`, string(body), "always the same")
		require.NoError(t, cmd.Process.Signal(syscall.SIGTERM))
		assert.NoError(t, cmd.Wait())
	}
	out, err := exec.Command(binary, "standin", "roads", "--country", "Atlantis").CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "no list of places")
}
