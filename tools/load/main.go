// Command load measures a running Diadrom from outside, with wrk: carts to random postcodes at 16 connections, beside a
// bare Gin handler that decodes the same request and encodes the same answer in a process of its own. It prints ratios
// of one run; times alone say nothing of another machine. make wrk runs it on a demo.
package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"time"

	"diadrom/internal/core/quote"

	"github.com/gin-gonic/gin"
)

// script has wrk ask for carts to random postcodes of Finland.
const script = `
local key = os.getenv("KEY")
wrk.method = "POST"
wrk.headers["Content-Type"] = "application/json"
if key ~= "" then wrk.headers["Authorization"] = "Bearer " .. key end
request = function()
  local code = string.format("%05d", math.random(100, 99999))
  return wrk.format(nil, nil, nil, '{"to":{"country":"FI","postcode":"' .. code ..
    '"},"lines":[{"sku":"TOWEL-70","quantity":2},{"price":"24.00","weight":"0.4","quantity":1}]}')
end
`

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, "load:", err)
		os.Exit(1)
	}
}

func run() error {
	if len(os.Args) == 3 && os.Args[1] == "bare" {
		return bare(os.Args[2])
	}
	if len(os.Args) < 2 {
		return errors.New("say where Diadrom answers: load URL [ROUNDS]")
	}
	rounds := 3
	if len(os.Args) > 2 {
		var err error
		if rounds, err = strconv.Atoi(os.Args[2]); err != nil {
			return err
		}
	}
	return measure(os.Args[1], rounds)
}

// answered asks for one quote.
func answered(url string) ([]byte, error) {
	resp, err := http.Post(url+"/api/v1/quotes", "application/json",
		strings.NewReader(`{"to":{"country":"FI","postcode":"21100"},"lines":[{"sku":"TOWEL-70","quantity":2},`+
			`{"price":"24.00","weight":"0.4","quantity":1}]}`))
	if err != nil {
		return nil, err
	}
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	if err == nil && resp.StatusCode != http.StatusOK {
		err = fmt.Errorf("%d %s", resp.StatusCode, body)
	}
	return body, err
}

// bare answers every request alike, decoded and encoded by Gin.
func bare(url string) error {
	body, err := answered(url)
	if err != nil {
		return err
	}
	var answer quote.Answer
	if err := json.Unmarshal(body, &answer); err != nil {
		return err
	}
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	r.POST("/api/v1/quotes", func(c *gin.Context) {
		var request struct {
			To    map[string]string
			Lines []struct {
				SKU, Price, Weight string
				Quantity           int
			}
		}
		if err := c.BindJSON(&request); err != nil {
			return
		}
		c.JSON(http.StatusOK, &answer)
	})
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	fmt.Println("http://" + l.Addr().String())
	return http.Serve(l, r)
}

// figures are what wrk says of a run.
type figures struct {
	perSecond  float64
	median     time.Duration
	p99        time.Duration
	errorsSeen string
}

var (
	rateLine    = regexp.MustCompile(`Requests/sec:\s+([0-9.]+)`)
	latencyLine = regexp.MustCompile(`(50|99)%\s+([0-9.]+(?:us|ms|s))`)
	errorLine   = regexp.MustCompile(`(?m)^\s*(Socket errors.*|Non-2xx.*)$`)
)

func wrk(lua, url, key string) (f figures, err error) {
	cmd := exec.Command("wrk", "-t1", "-c16", "-d5s", "--latency", "-s", lua, url+"/api/v1/quotes")
	cmd.Env = append(os.Environ(), "KEY="+key)
	var out bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, os.Stderr
	if err := cmd.Run(); err != nil {
		return f, err
	}
	text := out.String()
	m := rateLine.FindStringSubmatch(text)
	if m == nil {
		return f, errors.New(text)
	}
	if f.perSecond, err = strconv.ParseFloat(m[1], 64); err != nil {
		return f, err
	}
	for _, l := range latencyLine.FindAllStringSubmatch(text, -1) {
		d, err := time.ParseDuration(l[2])
		if err != nil {
			return f, err
		}
		if l[1] == "50" {
			f.median = d
		} else {
			f.p99 = d
		}
	}
	f.errorsSeen = errorLine.FindString(text)
	return f, nil
}

// measure runs both in turns, so that what else the machine does meets both, and prints the best of each.
func measure(url string, rounds int) error {
	dir, err := os.MkdirTemp("", "diadrom-load-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	lua := filepath.Join(dir, "quotes.lua")
	if err := os.WriteFile(lua, []byte(script), 0o600); err != nil {
		return err
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	other := exec.Command(self, "bare", url)
	pipe, err := other.StdoutPipe()
	if err != nil {
		return err
	}
	if err := other.Start(); err != nil {
		return err
	}
	defer func() { other.Process.Kill(); other.Wait() }()
	address := make([]byte, 100)
	n, err := pipe.Read(address)
	if err != nil {
		return err
	}
	bareURL := strings.TrimSpace(string(address[:n]))
	var api, gin figures
	for range rounds {
		for _, side := range []struct {
			url, key string
			into     *figures
		}{{bareURL, "", &gin}, {url, os.Getenv("DIADROM_KEY"), &api}} {
			f, err := wrk(lua, side.url, side.key)
			if err != nil {
				return err
			}
			if f.errorsSeen != "" {
				fmt.Println(side.url, f.errorsSeen)
			}
			if f.perSecond > side.into.perSecond {
				*side.into = f
			}
		}
	}
	fmt.Printf(
		"bare Gin   %8.0f/s  median %v  p99 %v\nDiadrom    %8.0f/s  median %v  p99 %v\nratio %.2f, p99 is %.1f times the median\n",
		gin.perSecond,
		gin.median,
		gin.p99,
		api.perSecond,
		api.median,
		api.p99,
		api.perSecond/gin.perSecond,
		float64(api.p99)/float64(api.median),
	)
	return nil
}
