package atlas

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"slices"

	"github.com/klauspost/compress/zstd"
	"github.com/paulmach/orb"
)

// The file of an atlas is a list of parts, each compressed by itself, so that a map of one region reads only that:
//
//	magic, uvarint number of parts, for each: key (uvarint length and bytes), uvarint length of its body;
//	then the bodies, one behind the other, each a Zstandard frame.
//
// A body is a list of features: kind, code, digits, and polygons of rings of points; each point is the difference from
// the one before, in units of 10^-digits degrees, as signed varints. Rings are not closed in the file.
const magic = "diadrom-atlas/1\n"

// Pack writes the file of an atlas, its parts by their keys. Coordinates are rounded to the digits of their feature.
func Pack(parts map[string][]Feature) ([]byte, error) {
	w, err := zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedBestCompression), zstd.WithEncoderConcurrency(1))
	if err != nil {
		return nil, err
	}
	defer w.Close()
	keys := make([]string, 0, len(parts))
	for key := range parts {
		keys = append(keys, key)
	}
	slices.Sort(keys)
	head, bodies := []byte(magic), []byte(nil)
	head = binary.AppendUvarint(head, uint64(len(keys)))
	for _, key := range keys {
		body := w.EncodeAll(encode(parts[key]), nil)
		head = binary.AppendUvarint(head, uint64(len(key)))
		head = append(head, key...)
		head = binary.AppendUvarint(head, uint64(len(body)))
		bodies = append(bodies, body...)
	}
	return append(head, bodies...), nil
}

func encode(features []Feature) (b []byte) {
	for i := range features {
		f := &features[i]
		b = append(b, byte(f.Kind), byte(len(f.Code)))
		b = append(b, f.Code...)
		b = append(b, f.Digits)
		scale := math.Pow10(int(f.Digits))
		b = binary.AppendUvarint(b, uint64(len(f.Shape)))
		for _, polygon := range f.Shape {
			b = binary.AppendUvarint(b, uint64(len(polygon)))
			for _, ring := range polygon {
				if n := len(ring); n > 1 && ring[0] == ring[n-1] {
					ring = ring[:n-1]
				}
				b = binary.AppendUvarint(b, uint64(len(ring)))
				var x, y int64
				for _, p := range ring {
					nx, ny := int64(math.Round(p[0]*scale)), int64(math.Round(p[1]*scale))
					b = binary.AppendVarint(b, nx-x)
					b = binary.AppendVarint(b, ny-y)
					x, y = nx, ny
				}
			}
		}
	}
	return b
}

var errBroken = errors.New("atlas: the file is broken")

// reader reads what encode wrote; after the first mistake it reads nothing more.
type reader struct {
	b   []byte
	err error
}

func (r *reader) fail() { r.err, r.b = errBroken, nil }

func (r *reader) byte() byte {
	if len(r.b) == 0 {
		r.fail()
		return 0
	}
	c := r.b[0]
	r.b = r.b[1:]
	return c
}

func (r *reader) take(n int) []byte {
	if n < 0 || n > len(r.b) {
		r.fail()
		return nil
	}
	part := r.b[:n]
	r.b = r.b[n:]
	return part
}

// count reads a number of things that have at least so many bytes each, so that no more is made room for than there is.
func (r *reader) count(least int) int {
	v, n := binary.Uvarint(r.b)
	if n <= 0 || v > uint64(len(r.b)/least) {
		r.fail()
		return 0
	}
	r.b = r.b[n:]
	return int(v)
}

func (r *reader) signed() int64 {
	v, n := binary.Varint(r.b)
	if n <= 0 {
		r.fail()
		return 0
	}
	r.b = r.b[n:]
	return v
}

func decode(b []byte) (features []Feature, err error) {
	r := &reader{b: b}
	for len(r.b) > 0 && r.err == nil {
		f := Feature{Kind: Kind(r.byte())}
		f.Code = string(r.take(int(r.byte())))
		f.Digits = r.byte()
		scale := math.Pow10(int(f.Digits))
		f.Shape = make(orb.MultiPolygon, r.count(1))
		for i := range f.Shape {
			f.Shape[i] = make(orb.Polygon, r.count(1))
			for j := range f.Shape[i] {
				n := r.count(2)
				ring := make(orb.Ring, 0, n+1)
				var x, y int64
				for range n {
					x += r.signed()
					y += r.signed()
					ring = append(ring, orb.Point{float64(x) / scale, float64(y) / scale})
				}
				if n > 0 {
					ring = append(ring, ring[0])
				}
				f.Shape[i][j] = ring
			}
		}
		features = append(features, f)
	}
	return features, r.err
}

// file is where the parts of an atlas lie.
type file struct {
	parts map[string][]byte // compressed
	zstd  *zstd.Decoder
}

func open(data []byte) (*file, error) {
	if len(data) < len(magic) || string(data[:len(magic)]) != magic {
		return nil, errBroken
	}
	r := &reader{b: data[len(magic):]}
	n := r.count(2)
	keys, lengths := make([]string, n), make([]int, n)
	for i := range n {
		keys[i] = string(r.take(r.count(1)))
		v, read := binary.Uvarint(r.b)
		if read <= 0 {
			return nil, errBroken
		}
		r.b, lengths[i] = r.b[read:], int(v)
	}
	f := &file{parts: make(map[string][]byte, n)}
	for i := range n {
		f.parts[keys[i]] = r.take(lengths[i])
	}
	if r.err != nil || len(r.b) > 0 {
		return nil, errBroken
	}
	var err error
	f.zstd, err = zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(256<<20))
	return f, err
}

// read gives the features of a part, none where there is no such part.
func (f *file) read(key string) ([]Feature, error) {
	body, ok := f.parts[key]
	if !ok {
		return nil, nil
	}
	raw, err := f.zstd.DecodeAll(body, nil)
	if err != nil {
		return nil, fmt.Errorf("atlas: part %s: %w", key, err)
	}
	return decode(raw)
}
