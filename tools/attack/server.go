package main

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"
)

// server is the demo shop, served by the program as it is built.
type server struct {
	url string
	cmd *exec.Cmd
}

func build(flags ...string) (string, error) {
	folder, err := os.MkdirTemp("", "diadrom-attack-bin-")
	if err != nil {
		return "", err
	}
	path := filepath.Join(folder, "diadrom")
	out, err := exec.Command("go", append(append([]string{"build"}, flags...), "-o", path,
		"./cmd/diadrom")...).CombinedOutput()
	if err != nil {
		return "", fmt.Errorf("%w: %s", err, out)
	}
	return path, nil
}

// demo builds the program and starts it.
func (a *attack) demo() (*server, error) {
	binary, err := build()
	if err != nil {
		return nil, err
	}
	return a.start(binary)
}

func (a *attack) start(binary string, environment ...string) (*server, error) {
	dir, err := os.MkdirTemp(a.folder, "shop-")
	if err != nil {
		return nil, err
	}
	cmd := exec.Command("bash", "-c", fmt.Sprintf("ulimit -v %d; exec %q demo --data %q --listen 127.0.0.1:0", space,
		binary,
		dir))
	cmd.Env = append(os.Environ(), environment...)
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	found := make(chan string, 1)
	go func() {
		text := make([]byte, 4<<10)
		said := ""
		for {
			n, err := out.Read(text)
			said += string(text[:n])
			if m := regexp.MustCompile(`http://[0-9.:]+`).FindString(said); m != "" && len(found) == 0 {
				found <- m
			}
			if err != nil {
				return
			}
		}
	}()
	select {
	case url := <-found:
		return &server{url, cmd}, nil
	case <-time.After(2 * time.Minute):
		cmd.Process.Kill() //nolint:errcheck // it has ended otherwise
		return nil, errors.New("the server said no address")
	}
}

func (s *server) stop() {
	s.cmd.Process.Kill() //nolint:errcheck // it has ended otherwise
	s.cmd.Wait()         //nolint:errcheck // killed
}

// resident is how many bytes the server has in memory.
func (s *server) resident() int {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/statm", s.cmd.Process.Pid))
	if err != nil {
		return 0
	}
	var size, pages int
	fmt.Sscan(string(text), &size, &pages) //nolint:errcheck // 0 then
	return pages * os.Getpagesize()
}

// watch gives by how much the server's memory has grown at most until its function is called.
func (s *server) watch() (more func() int) {
	before, done, most := s.resident(), make(chan struct{}), make(chan int, 1)
	go func() {
		peak := before
		for {
			select {
			case <-done:
				most <- peak - before
				return
			case <-time.After(5 * time.Millisecond):
				peak = max(peak, s.resident())
			}
		}
	}()
	return func() int { close(done); return <-most }
}

const small = `{"to":{"country":"FI","postcode":"21100"},"lines":[{"sku":"TOWEL-70","quantity":1}]}`

// quote asks for a small quote.
func (s *server) quote(body string, headers ...string) (int, string, time.Duration) {
	begun := time.Now()
	req, err := http.NewRequest(http.MethodPost, s.url+"/api/v1/quotes", strings.NewReader(body))
	if err != nil {
		return 0, err.Error(), 0
	}
	req.Header.Set("Content-Type", "application/json")
	for i := 0; i+1 < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return 0, err.Error(), time.Since(begun)
	}
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	if err != nil {
		return 0, err.Error(), time.Since(begun)
	}
	return resp.StatusCode, string(text), time.Since(begun)
}

// quoting asks for small quotes until its function is called, and gives the 99th percentile of how long they took.
func (s *server) quoting(headers ...string) (p99 func() (time.Duration, int)) {
	done, all := make(chan struct{}), make(chan []time.Duration, 1)
	failed := 0
	go func() {
		var took []time.Duration
		for {
			select {
			case <-done:
				all <- took
				return
			default:
			}
			status, _, d := s.quote(small, headers...)
			if status != http.StatusOK {
				failed++
			}
			took = append(took, d)
			time.Sleep(2 * time.Millisecond)
		}
	}()
	return func() (time.Duration, int) {
		close(done)
		took := <-all
		slices.Sort(took)
		return took[len(took)*99/100], failed
	}
}

// paths are where files of a kind are sent.
var paths = map[string]string{"table": "/rates-file", "areas": "/zones/areas", "store": "/live/file",
	"promises": "/promises/file"}

// send sends a file and waits for its preview, as a browser does.
func (s *server) send(path string, data []byte) (status int, page string, err error) {
	var b bytes.Buffer
	form := multipart.NewWriter(&b)
	w, err := form.CreateFormFile("file", "file")
	if err == nil {
		_, err = w.Write(data)
	}
	if err = errors.Join(err, form.Close()); err != nil {
		return 0, "", err
	}
	resp, err := http.Post(s.url+path, form.FormDataContentType(), &b)
	for {
		if err != nil {
			return 0, "", err
		}
		text, readErr := io.ReadAll(resp.Body)
		resp.Body.Close()
		if readErr != nil {
			return 0, "", readErr
		}
		if !bytes.Contains(text, []byte(`id="reading"`)) {
			return resp.StatusCode, string(text), nil
		}
		time.Sleep(200 * time.Millisecond)
		resp, err = http.Get(resp.Request.URL.String())
	}
}

var said = regexp.MustCompile(`(?s)<p class="(?:note|slip-note)[^>]*>(.*?)</p>`)
