package main

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"regexp"
	"time"

	"diadrom/internal/test/child"
)

// files sends what takes more to read than it holds.
func (a *attack) files() error {
	s, err := a.demo()
	if err != nil {
		return err
	}
	defer s.stop()
	s.quote(small)
	if _, _, err := s.send("/zones/areas", child.Features(10, false)); err != nil { // what every file needs once
		return err
	}
	hostiles := append([]child.Hostile{
		{Name: "10,000 areas as GeoJSON", Kind: "areas", Make: func() []byte { return child.Features(10_000, false) }},
		{Name: "10,000 areas as KML", Kind: "areas", Make: func() []byte { return child.Features(10_000, true) }},
	}, child.Hostiles...)
	for _, h := range hostiles {
		data := h.Make()
		p99, more, begun := s.quoting(), s.watch(), time.Now()
		status, page, err := s.send(paths[h.Kind], data)
		took, grew := time.Since(begun), more()
		slow, failed := p99()
		result := "read"
		if m := said.FindStringSubmatch(page); m != nil {
			result = regexp.MustCompile(`<[^>]*>`).ReplaceAllString(m[1], "")
		}
		if err != nil {
			result = err.Error()
		}
		// The file itself is in the server's memory twice, as it comes and as it is kept.
		a.row(h.Name, err == nil && status < 500 && failed == 0 && grew < grown+4*len(data), took, grew,
			fmt.Sprintf("%d, quotes within %.0f ms: %s", status, slow.Seconds()*1000, result))
	}
	return nil
}

func zipped(text string) []byte {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	z.Write([]byte(text)) //nolint:errcheck // it is in memory
	z.Close()             //nolint:errcheck // it is in memory
	return b.Bytes()
}
