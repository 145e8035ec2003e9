package store

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestCarriers(t *testing.T) {
	const file = `{"format":"diadrom-store/1","store":{"currency":"EUR"},
	"carriers":[{"id":"post","name":"Post","url":%s}],"methods":[{"id":"m","kind":"carrier","carrier":%s}]}`
	for _, tt := range []struct{ name, url, carrier, faults string }{
		{"all that there is", `"https://post.example/v1"`, `{"id":"post","services":[{"code":"slow","label":"Slow"},
			{"code":"fast","enabled":false}],"amount":"-0.50","percent":"-100","fallback":true}`, ""},
		{"nobody", `"http://127.0.0.1:8080"`, `{"id":"","services":[]}`, ""},
		{"null", `"https://post.example"`, `null`, ""},
		{"no address", `""`, `{"id":"post"}`, "/carriers/0/url missing"},
		{"no service", `"ftp://post.example"`, `{"id":"post"}`, "/carriers/0/url choice"},
		{"with a name in it", `"https://a:b@post.example"`, `{"id":"post"}`, "/carriers/0/url choice"},
		{"a carrier that is not there", `"https://post.example"`, `{"id":"other"}`, "/methods/0/carrier/id reference"},
		{"of nobody", `"https://post.example"`, `{"services":[{"code":"a"}]}`, "/methods/0/carrier/id missing"},
		{"a service without a code", `"https://post.example"`, `{"id":"post","services":[null,{"label":"x"}]}`,
			"/methods/0/carrier/services/0/code missing, /methods/0/carrier/services/1/code missing"},
		{"a service twice", `"https://post.example"`, `{"id":"post","services":[{"code":"a"},{"code":"a"}]}`,
			"/methods/0/carrier/services/1/code duplicate"},
		{"more off than there is", `"https://post.example"`, `{"id":"post","percent":"-100.5"}`,
			"/methods/0/carrier/percent range"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			f, faults := Read([]byte(fmt.Sprintf(file, tt.url, tt.carrier)))
			var have []string
			for _, fault := range faults {
				have = append(have, fault.Path+" "+fault.Code)
			}
			assert.Equal(t, tt.faults, strings.Join(have, ", "), "%v", faults)
			if len(faults) == 0 {
				joined, faults := f.Split().Join()
				require.Empty(t, faults)
				assert.Equal(t, string(f.Write()), string(joined.Write()))
				assert.Equal(t, string(f.Write()), string(f.Clone().Write()))
			}
		})
	}
}
