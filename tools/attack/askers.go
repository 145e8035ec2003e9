package main

import (
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"regexp"
	"strings"
	"sync"
	"time"
)

// askers asks for what is dear, while somebody else asks for small quotes with a key.
func (a *attack) askers() error {
	s, err := a.demo()
	if err != nil {
		return err
	}
	defer s.stop()
	key, err := s.key("Small")
	if err != nil {
		return err
	}
	other, err := s.key("Attack")
	if err != nil {
		return err
	}
	mine, theirs := []string{"Authorization", "Bearer " + key}, []string{"Authorization", "Bearer " + other}
	wait := s.quoting(mine...)
	time.Sleep(3 * time.Second)
	alone, _ := wait()
	bulky := `{"to":{"country":"FI","postcode":"21100"},"parcels":true,"lines":[{"price":"1","weight":"1","own_parcel":true,` +
		`"quantity":10000}]}`
	packed := string(zipped(strings.Repeat(" ", 4<<20-len(bulky)) + bulky))
	var cart strings.Builder
	cart.WriteString(`{"to":{"country":"FI","postcode":"21100"},"lines":[`)
	for i := range 10_000 {
		fmt.Fprintf(&cart, `{"name":"%d","price":"1.%02d","weight":"0.%03d","quantity":1},`, i, i%100, i%1000+1)
	}
	large := strings.TrimSuffix(cart.String(), ",") + "]}"
	coupons := `{"to":{"country":"FI"},"lines":[],"coupons":[` + strings.Repeat(`"x",`, 250_000) + `"x"]}`
	patch := string(zipped(strings.Repeat("{}\n", 32<<20/3)))
	for _, t := range []struct {
		name string
		do   func()
	}{
		{"2 requests of 4 MB in 4.9 kB, whose answers are read slowly", func() {
			for range 2 {
				s.hang(packed, theirs, true)
			}
			time.Sleep(3 * time.Second)
		}},
		{"16 of them, read at once, for 5 s", func() {
			s.many(16, func() { s.quote(packed, append(theirs, "Content-Encoding", "gzip")...) })
		}},
		{"8 carts of 10,000 different lines, for 5 s", func() { s.many(8, func() { s.quote(large, theirs...) }) }},
		{"16 requests for 10,000 parcels each, for 5 s", func() { s.many(16, func() { s.quote(bulky, theirs...) }) }},
		{"250,000 coupons in one request, for 5 s", func() { s.many(8, func() { s.quote(coupons, theirs...) }) }},
		{"PATCH of 32 MB in 204 kB, for 5 s", func() {
			s.many(4, func() {
				req, err := http.NewRequest(http.MethodPatch, s.url+"/api/v1/products", strings.NewReader(patch))
				if err != nil {
					return
				}
				req.Header.Set("Content-Type", "application/x-ndjson")
				req.Header.Set("Content-Encoding", "gzip")
				if resp, err := http.DefaultClient.Do(req); err == nil { // as the demo's owner
					io.Copy(io.Discard, resp.Body) //nolint:errcheck // it is thrown away
					resp.Body.Close()
				}
			})
		}},
	} {
		p99, more, begun := s.quoting(mine...), s.watch(), time.Now()
		t.do()
		grew, took := more(), time.Since(begun)
		slow, failed := p99()
		a.row(t.name, failed == 0 && slow < max(5*alone, 10*time.Millisecond), took, grew,
			fmt.Sprintf("small quotes: p99 %.1f ms, %.1f times what it is alone (%.1f ms); %d failed", slow.Seconds()*1000,
				float64(slow)/float64(alone), alone.Seconds()*1000, failed))
	}
	return nil
}

// many does something in so many goroutines for five seconds.
func (s *server) many(n int, do func()) {
	until := time.Now().Add(5 * time.Second)
	var all sync.WaitGroup
	for range n {
		all.Go(func() {
			for time.Now().Before(until) {
				do()
			}
		})
	}
	all.Wait()
}

// hang sends a request and reads no answer.
func (s *server) hang(body string, headers []string, packed bool) {
	conn, err := net.Dial("tcp", strings.TrimPrefix(s.url, "http://"))
	if err != nil {
		return
	}
	encoding := ""
	if packed {
		encoding = "Content-Encoding: gzip\r\n"
	}
	fmt.Fprintf(conn, "POST /api/v1/quotes HTTP/1.1\r\nHost: %s\r\nContent-Type: application/json\r\n%s%s: %s\r\n"+
		"Content-Length: %d\r\n\r\n%s", strings.TrimPrefix(s.url, "http://"), encoding, headers[0], headers[1], len(body),
		body)
}

// key makes a key for servers.
func (s *server) key(name string) (string, error) {
	resp, err := http.PostForm(s.url+"/keys", map[string][]string{"name": {name}, "kind": {"server"}})
	if err != nil {
		return "", err
	}
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	key := regexp.MustCompile(`diadrom_[A-Z2-7]{26}`).FindString(string(text))
	if key == "" {
		return "", errors.Join(err, errors.New("no key was made"))
	}
	return key, nil
}
