package jsonread

import (
	"fmt"
	"strings"
	"testing"

	"diadrom/internal/core/fault"

	"github.com/stretchr/testify/assert"
)

// read reads {"n": count, "d": decimal, "b": flag, "l": [texts], "o": {…the same}}.
func read(r *Reader) (got []string) {
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "n":
			if n := r.Int(); n != nil {
				got = append(got, fmt.Sprint("n", *n))
			}
		case "d":
			if d := r.Decimal(); d != nil {
				got = append(got, "d"+d.String())
			}
		case "b":
			got = append(got, fmt.Sprint("b", r.Bool(true)))
		case "l":
			got = append(got, r.Texts()...)
		case "o":
			got = append(got, read(r)...)
		default:
			return false
		}
		return true
	})
	return got
}

func TestValuesAndTheirFaults(t *testing.T) {
	for _, c := range []struct{ in, got, faults string }{
		{`{"n":5,"d":"1.50","b":false,"l":["x","y"],"o":{"n":"7"}}`, "n5 d1.5 bfalse x y n7", ""},
		{`{"n":2.0}`, "n2", ""}, {`{"n":-0.00}`, "n0", ""}, {`{"n":2.50}`, "", "/n number"},
		{`{"n":"2.0"}`, "", "/n number"}, {`{"n":2e0}`, "", "/n number"},
		{`{"n":null,"d":"","b":null,"l":null,"o":null}`, "btrue", ""},
		{`{"n":1.5,"d":1.5,"b":"yes","l":"x","o":[]}`, "btrue", "/n number, /d type, /b type, /l type, /o type"},
		{`{"n":"99999999999999999999","d":"1e9","b":0}`, "btrue", "/n range, /d number, /b type"},
		{`{"a":1,"a/b":{"x":[1,2]},"n":1,"n":2}`, "n1 n2", "/a unknown_field, /a~1b unknown_field, /n duplicate"},
		{`{"\u006e":3}`, "n3", ""},
		{`{"l":["x",5,null]}`, "x  ", "/l/1 type"},
		{`{"o":{"o":{"q":1}}}`, "", "/o/o/q unknown_field"},
		{`{"n":1`, "n1", " syntax"},
		{`{"b":tru}`, "bfalse", "/b syntax"},
		{`{"n":1} 5`, "n1", " syntax"},
		{``, "", " syntax"},
	} {
		r := New([]byte(c.in), "")
		got := read(r)
		r.End()
		var faults []string
		for _, f := range r.Faults {
			faults = append(faults, f.Path+" "+f.Code)
			assert.NotEmpty(t, f.Message)
		}
		assert.Equal(t, c.got, strings.Join(got, " "), c.in)
		if c.faults != "" && strings.Contains(c.faults, "syntax") {
			assert.Len(t, faults, 1, c.in)
			assert.Equal(t, fault.Syntax, r.Faults[0].Code, c.in)
			continue
		}
		assert.Equal(t, c.faults, strings.Join(faults, ", "), c.in)
	}
}

func TestManyNamesThatRepeat(t *testing.T) {
	var b strings.Builder
	for i := range 60 {
		fmt.Fprintf(&b, `"k%d":1,`, i%50)
	}
	r := New([]byte("{"+b.String()+`"n":1}`), "")
	read(r)
	duplicates := 0
	for _, f := range r.Faults {
		if f.Code == fault.Duplicate {
			duplicates++
		}
	}
	assert.Equal(t, 10, duplicates)
	assert.Len(t, r.Faults, 70)
}
