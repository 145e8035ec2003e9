package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// clock has the clock of a server jump: an hour back, a day ahead, and over both changes of summer time.
func (a *attack) clock() error {
	out, err := exec.Command("go", "run", "./tools/days", "-overlay", a.folder).Output()
	if err != nil {
		return err
	}
	binary, err := build("-overlay=" + strings.TrimSpace(string(out)))
	if err != nil {
		return err
	}
	file := filepath.Join(a.folder, "clock")
	var offset time.Duration
	set := func(d time.Duration) error {
		offset = d
		err := os.WriteFile(file, []byte(strconv.FormatInt(int64(d/time.Second), 10)+"\n"), 0o600)
		time.Sleep(50 * time.Millisecond) // until the server has read it
		return err
	}
	if err := set(0); err != nil {
		return err
	}
	s, err := a.start(binary, "DIADROM_TEST_CLOCK="+file)
	if err != nil {
		return err
	}
	defer s.stop()
	now := func() time.Time { return time.Now().Add(offset) }
	live := func() (number int64) {
		resp, err := http.Get(s.url + "/readyz")
		if err != nil {
			return 0
		}
		defer resp.Body.Close()
		var is struct{ Edition int64 }
		json.NewDecoder(resp.Body).Decode(&is) //nolint:errcheck // 0 then
		return is.Edition
	}
	held := func() (token, total string) {
		_, text, _ := s.quote(small[:len(small)-1] + `,"hold":"PT30M"}`)
		var answer struct {
			Options []struct{ Method, Total string }
			Quote   struct{ Token string }
		}
		json.Unmarshal([]byte(text), &answer) //nolint:errcheck // "" then
		for _, o := range answer.Options {
			if o.Method == "parcel" {
				total = o.Total
			}
		}
		return answer.Quote.Token, total
	}
	verified := func(token, total string) string {
		body := fmt.Sprintf(`{"token":%q,"request":%s,"method":"parcel","total":%q}`, token, small, total)
		resp, err := http.Post(s.url+"/api/v1/quotes/verify", "application/json", strings.NewReader(body))
		if err != nil {
			return err.Error()
		}
		defer resp.Body.Close()
		text, _ := io.ReadAll(resp.Body)
		var v struct {
			Valid bool
			Why   string
		}
		if json.Unmarshal(text, &v) == nil && (v.Valid || v.Why != "") {
			return map[bool]string{true: "valid", false: v.Why}[v.Valid]
		}
		return string(text)
	}
	token, total := held()
	check := func(tried string, want, got any) {
		a.row(tried, want == got, 0, -1, fmt.Sprintf("%v", got))
	}
	check("a quote that is held, before any jump", "valid", verified(token, total))
	if err := set(-time.Hour); err != nil {
		return err
	}
	check("an hour back: the quote that was held", "valid", verified(token, total))
	status, _, _ := s.quote(small)
	check("an hour back: a quote", http.StatusOK, status)
	if err := set(24 * time.Hour); err != nil {
		return err
	}
	check("a day ahead: the quote that was held", "expired", verified(token, total))
	token, total = held()
	check("a day ahead: a quote that is held now", "valid", verified(token, total))

	helsinki, err := time.LoadLocation("Europe/Helsinki")
	if err != nil {
		return err
	}
	for _, change := range []struct {
		name  string
		month time.Month
	}{{"summer time begins", time.March}, {"summer time ends", time.October}} {
		year := now().Year() + 1
		sunday := time.Date(year, change.month, 31, 1, 0, 0, 0, time.UTC) // Directive 2000/84/EC: the last Sunday, 01:00 UTC
		sunday = sunday.AddDate(0, 0, -int(sunday.Weekday()))
		if err := set(time.Until(sunday.Add(-2 * time.Hour))); err != nil {
			return err
		}
		time.Sleep(50 * time.Millisecond)
		before := live()
		at := sunday.Add(30 * time.Minute).In(helsinki).Add(time.Hour) // 04:30 or so, after the change
		if err := s.schedule(at); err != nil {
			a.row(change.name+": an edition is scheduled", false, 0, -1, err.Error())
			continue
		}
		if err := set(time.Until(at.Add(-time.Minute))); err != nil {
			return err
		}
		time.Sleep(2 * time.Second)
		check(change.name+": an edition is not live a minute before", before, live())
		if err := set(time.Until(at.Add(time.Second))); err != nil {
			return err
		}
		within, stop := context.WithTimeout(context.Background(), 90*time.Second)
		for live() == before && within.Err() == nil {
			time.Sleep(100 * time.Millisecond)
		}
		stop()
		check(change.name+": it is live after its time", true, live() > before)
		status, text, _ := s.quote(small[:len(small)-1] + `,"at":"` + now().Format(time.RFC3339) + `"}`)
		check(change.name+": a quote with dates", true, status == http.StatusOK && strings.Contains(text, `"dates"`))
	}
	return nil
}

var revisionOf = regexp.MustCompile(`&#34;revision&#34;:&#34;(\d+)|"revision":"(\d+)`)

// schedule changes a price and has the draft go live at a time.
func (s *server) schedule(at time.Time) error {
	get := func(path string) string {
		resp, err := http.Get(s.url + path)
		if err != nil {
			return ""
		}
		defer resp.Body.Close()
		text, _ := io.ReadAll(resp.Body)
		return string(text)
	}
	price := regexp.MustCompile(`id="c-list-0-0"[^>]*value="([0-9.]+)"|value="([0-9.]+)"[^>]*id="c-list-0-0"`).
		FindStringSubmatch(get("/rates/parcel"))
	was := "6.90"
	if price != nil {
		was = price[1] + price[2]
	}
	n, err := strconv.ParseFloat(was, 64)
	if err != nil {
		return err
	}
	post := func(path string, pairs map[string][]string) error {
		resp, err := http.PostForm(s.url+path, pairs)
		if err != nil {
			return err
		}
		defer resp.Body.Close()
		if text, _ := io.ReadAll(resp.Body); resp.StatusCode != http.StatusOK {
			return fmt.Errorf("%s: %d %.2000s", path, resp.StatusCode, said.FindString(string(text)))
		}
		return nil
	}
	if err := post("/goods/cell", map[string][]string{"sku": {"TOWEL-70"}, "field": {"price"}, "was": {s.price()},
		"text": {fmt.Sprintf("%.2f", n+30+float64(at.YearDay())/100)}}); err != nil {
		return err
	}
	revision := revisionOf.FindStringSubmatch(get("/live"))
	if revision == nil {
		return errors.New("the page does not say the revision")
	}
	return post("/live/later", map[string][]string{"revision": {revision[1] + revision[2]}, "at": {at.Format("2006-01-02 15:04")}})
}

// price is what a towel costs in the draft.
func (s *server) price() string {
	resp, err := http.Get(s.url + "/api/v1/products/TOWEL-70")
	if err != nil {
		return ""
	}
	defer resp.Body.Close()
	var p struct{ Price string }
	json.NewDecoder(resp.Body).Decode(&p) //nolint:errcheck // "" then
	n, _ := strconv.ParseFloat(p.Price, 64)
	return fmt.Sprintf("%.2f", n)
}
