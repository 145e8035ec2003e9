// Package jsonread reads JSON value by value and notes every fault with its JSON pointer instead of stopping at
// the first.
//
// A value of the wrong type is noted, skipped and read as its zero value; a field that nobody asked for and one
// that stands twice are noted. Only a syntax error ends the reading, as what follows it has no meaning. As the
// contract has it, null and "" mean the same as absence.
package jsonread

import (
	"bytes"
	"errors"
	"hash/maphash"
	"slices"
	"strconv"
	"strings"
	"sync"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/fault"

	"github.com/go-json-experiment/json/jsontext"
)

// Reader reads one JSON document.
type Reader struct {
	Faults    fault.List
	MaxFaults int // that are noted before the reading ends; 0 for those that a list holds
	dec       *jsontext.Decoder
	base      string // in front of each path
	failed    bool
}

// New reads data; base is put in front of the path of each fault.
func New(data []byte, base string) *Reader {
	return &Reader{dec: jsontext.NewDecoder(bytes.NewReader(data), jsontext.AllowDuplicateNames(true)), base: base}
}

// decoders are for documents that are read to their end: see [Reader.Release].
var decoders = sync.Pool{New: func() any { return jsontext.NewDecoder(bytes.NewReader(nil)) }}

// Pooled is New with what an earlier document was read with, where [Reader.Release] has given that back.
func Pooled(data []byte, base string) *Reader {
	dec := decoders.Get().(*jsontext.Decoder)
	dec.Reset(bytes.NewReader(data), jsontext.AllowDuplicateNames(true))
	return &Reader{dec: dec, base: base}
}

// Release gives back what a document was read with; the reader must not be used any more.
func (r *Reader) Release() {
	dec := r.dec
	r.dec = nil
	dec.Reset(bytes.NewReader(nil))
	decoders.Put(dec)
}

// Path is the pointer to the value that was read last.
func (r *Reader) Path() string { return r.base + string(r.dec.StackPointer()) }

// Fault notes a fault of the value that was read last.
func (r *Reader) Fault(code, format string, args ...any) {
	if !r.failed && !r.Faults.Full() {
		r.Faults.Add(r.Path(), code, format, args...)
		r.enough()
	}
}

// enough ends the reading where so many faults are noted as are wanted.
func (r *Reader) enough() {
	if r.MaxFaults > 0 && len(r.Faults) >= r.MaxFaults && !r.failed {
		r.failed = true
		r.Faults.Add(r.base, fault.TooLarge, "there are more faults; what follows was not read")
	}
}

// Stop notes a fault of the value that was read last and ends the reading.
func (r *Reader) Stop(code, format string, args ...any) {
	r.Fault(code, format, args...)
	r.failed = true
}

// FaultBelow notes a fault of something below the object or list that was read last.
func (r *Reader) FaultBelow(path fault.Path, code, format string, args ...any) {
	if !r.failed && !r.Faults.Full() {
		r.Faults.Add(r.Path()+path.String(), code, format, args...)
		r.enough()
	}
}

// Failed says whether a syntax error has ended the reading.
func (r *Reader) Failed() bool { return r.failed }

func (r *Reader) syntax(err error) {
	if r.failed {
		return
	}
	r.failed = true
	path, offset := r.Path(), r.dec.InputOffset()
	var syntactic *jsontext.SyntacticError
	if errors.As(err, &syntactic) {
		path, offset = r.base+string(syntactic.JSONPointer), syntactic.ByteOffset
		err = syntactic.Err
	}
	r.Faults.Add(path, fault.Syntax, "this is not JSON from byte %d on: %v", offset, err)
}

// End notes what stands behind the document.
func (r *Reader) End() {
	if r.failed {
		return
	}
	if r.dec.PeekKind() != 0 {
		r.failed = true
		r.Faults.Add(
			r.base,
			fault.Syntax,
			"something stands behind the end of the document, at byte %d",
			r.dec.InputOffset(),
		)
	} else if len(bytes.TrimSpace(r.dec.UnreadBuffer())) > 0 {
		_, err := r.dec.ReadToken()
		r.syntax(err)
	}
}

// Kind is the kind of the value to come: one of n f t " 0 { [, or 0 where there is none.
func (r *Reader) Kind() jsontext.Kind {
	if r.failed {
		return 0
	}
	return r.dec.PeekKind()
}

// Skip passes over a value.
func (r *Reader) Skip() {
	if r.failed {
		return
	}
	if err := r.dec.SkipValue(); err != nil {
		r.syntax(err)
	}
}

// Raw reads a value as it stands; nil after a syntax error.
func (r *Reader) Raw() []byte {
	if r.failed {
		return nil
	}
	v, err := r.dec.ReadValue()
	if err != nil {
		r.syntax(err)
		return nil
	}
	return bytes.Clone(v)
}

func (r *Reader) token() (jsontext.Token, bool) {
	if r.failed {
		return jsontext.Token{}, false
	}
	t, err := r.dec.ReadToken()
	if err != nil {
		r.syntax(err)
		return jsontext.Token{}, false
	}
	return t, true
}

var kindNames = map[jsontext.Kind]string{
	'"': "a string",
	'0': "a number",
	't': "true",
	'f': "false",
	'{': "an object",
	'[': "a list",
}

// wrong skips a value and notes that it is not what was wanted; null is let through as absence.
func (r *Reader) wrong(want string) {
	got := r.Kind()
	r.Skip()
	if got != 'n' && !r.failed {
		r.Fault(fault.Type, "this must be %s, not %s", want, kindNames[got])
	}
}

// Object reads an object: field is called for each name and reads the value, or returns false without reading
// where no such field exists; the name is only good until it reads. It returns false where there is no object.
func (r *Reader) Object(field func(name []byte) bool) bool {
	if r.Kind() != '{' {
		r.wrong("an object")
		return false
	}
	if _, ok := r.token(); !ok {
		return false
	}
	var names seen
	for {
		if k := r.Kind(); k == '}' || k == 0 {
			r.token()
			return true
		}
		raw, err := r.dec.ReadValue()
		if err != nil {
			r.syntax(err)
			return true
		}
		name := raw[1 : len(raw)-1]
		if bytes.IndexByte(name, '\\') >= 0 {
			unquoted, err := jsontext.AppendUnquote(nil, raw)
			if err != nil {
				r.syntax(err)
				return true
			}
			name = unquoted
		}
		if names.again(name) {
			r.Fault(fault.Duplicate, "%q stands twice in this object", truncated(name))
		}
		if !field(name) {
			unknown := truncated(name) // before skipping, which overwrites it
			r.Skip()
			r.Fault(fault.Unknown, "there is no field %q here", unknown)
		}
	}
}

var seed = maphash.MakeSeed()

// seen tells a name that stands twice in an object, by its hash; most objects have few names.
type seen struct {
	few  [24]uint64
	n    int
	many map[uint64]bool
}

func (s *seen) again(name []byte) bool {
	h := maphash.Bytes(seed, name)
	if s.many != nil {
		was := s.many[h]
		s.many[h] = true
		return was
	}
	if slices.Contains(s.few[:s.n], h) {
		return true
	}
	if s.n < len(s.few) {
		s.few[s.n] = h
		s.n++
		return false
	}
	s.many = map[uint64]bool{h: true}
	for _, other := range s.few {
		s.many[other] = true
	}
	return false
}

func truncated(name []byte) string {
	if len(name) > 60 {
		return string(name[:60]) + "…"
	}
	return string(name)
}

// List reads an array; item reads the i-th value.
func (r *Reader) List(item func(i int)) {
	if r.Kind() != '[' {
		r.wrong("a list")
		return
	}
	if _, ok := r.token(); !ok {
		return
	}
	for i := 0; ; i++ {
		if k := r.Kind(); k == ']' || k == 0 {
			r.token()
			return
		}
		item(i)
	}
}

// Text reads a string.
func (r *Reader) Text() string {
	if r.Kind() != '"' {
		r.wrong("a string")
		return ""
	}
	t, ok := r.token()
	if !ok {
		return ""
	}
	return t.String()
}

// Bool reads true or false; otherwise stands for absence.
func (r *Reader) Bool(otherwise bool) bool {
	switch r.Kind() {
	case 't', 'f':
		t, ok := r.token()
		return ok && t.Bool()
	case '"':
		if s := r.Text(); s != "" {
			r.Fault(fault.Type, "this must be true or false, not a string")
		}
		return otherwise
	}
	r.wrong("true or false")
	return otherwise
}

// Decimal reads a decimal written as a string; nil is absence.
func (r *Reader) Decimal() *decimal.Decimal {
	if r.Kind() == '0' {
		r.Skip()
		r.Fault(fault.Type, "write this number as a string, such as \"4.90\": JSON numbers are not exact")
		return nil
	}
	s := r.Text()
	if s == "" {
		return nil
	}
	d, err := decimal.Parse(s)
	if err != nil {
		r.Fault(fault.Number, "%v", err)
		return nil
	}
	return &d
}

// Int reads a whole number, as a JSON integer or in a string; nil is absence. A JSON number with nothing but zeros
// behind its point is an integer too, as in JSON Schema (2020-12, Core, 4.2.3).
func (r *Reader) Int() *int64 {
	var text string
	switch r.Kind() {
	case '0':
		text = string(r.Raw())
		if whole, fraction, ok := strings.Cut(text, "."); ok && strings.Trim(fraction, "0") == "" {
			text = whole
		}
	case '"':
		if text = r.Text(); text == "" {
			return nil
		}
	default:
		r.wrong("a whole number")
		return nil
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil && !r.failed {
		code := fault.Number
		if errors.Is(err, strconv.ErrRange) {
			code = fault.Range
		}
		r.Fault(code, "%s is not a whole number that can be used here", truncated([]byte(text)))
		return nil
	}
	return &n
}

// Texts reads a list of strings.
func (r *Reader) Texts() []string {
	var out []string
	r.List(func(int) { out = append(out, r.Text()) })
	return out
}
