// Package conformance checks a carrier's service against what docs/carriers.md asks of it, over HTTP, as Diadrom asks
// it.
package conformance

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"

	"diadrom/internal/core/quote"
	"diadrom/internal/outside/carriers"
)

// Options say what a service is asked.
type Options struct {
	URL      string
	Secret   string // bearer token; "" for none
	Currency string // ISO 4217
	From, To carriers.Address
	Budget   time.Duration // of one answer; 0: [carriers.Budget]
}

// Result is what came of a check.
type Result struct {
	Name    string
	Problem string // what is wrong, and what to do; "" where it is right
	Note    string // what is right, but worth a look
}

// checker checks one service.
type checker struct {
	o        Options
	client   *http.Client
	results  []Result
	services []carriers.Service
}

// Run makes all checks, in an order in which the first failure explains those behind it.
func Run(ctx context.Context, o Options) []Result {
	if o.Budget == 0 {
		o.Budget = carriers.Budget
	}
	o.URL = strings.TrimRight(o.URL, "/")
	c := &checker{o: o, client: &http.Client{
		Timeout:       o.Budget,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}}
	for _, check := range []struct {
		name string
		run  func(context.Context) (problem, note string)
	}{
		{"GET /services lists the services", c.listed},
		{"POST /rates prices a parcel", c.one},
		{"there is an amount for each parcel", c.two},
		{"the same question has the same answer", c.same},
		{"a parcel whose sides are not known is a question too", c.unsized},
		{"what no service takes is no failure", c.untakable},
		{"500 parcels are answered in time", c.many},
		{"another currency is not mixed up", c.currency},
		{"what is no question is refused", c.nonsense},
		{"a wrong secret is refused", c.wrongSecret},
	} {
		problem, note := check.run(ctx)
		c.results = append(c.results, Result{check.name, problem, note})
	}
	return c.results
}

// ask sends a request and reads the whole answer.
func (c *checker) ask(ctx context.Context, method, path, secret string, body []byte) (int, []byte, string) {
	r, err := http.NewRequestWithContext(ctx, method, c.o.URL+path, bytes.NewReader(body))
	if err != nil {
		return 0, nil, err.Error()
	}
	if body != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	if secret != "" {
		r.Header.Set("Authorization", "Bearer "+secret)
	}
	answer, err := c.client.Do(r)
	if err != nil {
		return 0, nil, fmt.Sprintf("no answer within %g s: %s", c.o.Budget.Seconds(), err)
	}
	defer answer.Body.Close()
	text, err := io.ReadAll(io.LimitReader(answer.Body, maxAnswer+1))
	switch {
	case err != nil:
		return 0, nil, fmt.Sprintf("the answer broke off, or took longer than %g s: %s", c.o.Budget.Seconds(), err)
	case len(text) > maxAnswer:
		return 0, nil, "the answer has more than 4 MB"
	}
	return answer.StatusCode, text, ""
}

const maxAnswer = 4 << 20

// json asks for what must be answered with status 200 and JSON.
func (c *checker) json(ctx context.Context, method, path string, body []byte, into any) string {
	status, text, problem := c.ask(ctx, method, path, c.o.Secret, body)
	if problem != "" {
		return problem
	}
	if status != http.StatusOK {
		return fmt.Sprintf("status %d, where 200 is expected: %.120s", status, text)
	}
	if err := json.Unmarshal(text, into); err != nil {
		return fmt.Sprintf("not the JSON that is expected (%s): %.120s", err, text)
	}
	return ""
}

func (c *checker) listed(ctx context.Context) (problem, note string) {
	var said struct {
		Services []carriers.Service `json:"services"`
	}
	if problem := c.json(ctx, http.MethodGet, "/services", nil, &said); problem != "" {
		return problem, ""
	}
	if len(said.Services) == 0 {
		return `no services: write {"services": [{"code", "name", "days"}]}`, ""
	}
	if err := carriers.CheckServices(said.Services); err != nil {
		return err.Error(), ""
	}
	c.services = said.Services
	var names []string
	for _, s := range said.Services {
		if s.Name == "" {
			return fmt.Sprintf("service %q has no name: buyers read it", s.Code), ""
		}
		names = append(names, s.Code)
	}
	return "", strings.Join(names, ", ")
}

func (c *checker) question(parcels ...carriers.Parcel) *carriers.Question {
	return &carriers.Question{Currency: c.o.Currency, From: c.o.From, To: c.o.To, Parcels: parcels}
}

// usual is a parcel that most carriers take.
var usual = carriers.Parcel{Weight: "1.25", Length: "30", Width: "20.5", Height: "10"}

// rates asks a question and judges the answer as Diadrom does.
func (c *checker) rates(ctx context.Context, q *carriers.Question) ([]quote.CarrierRate, string) {
	body, err := json.Marshal(q)
	if err != nil {
		return nil, err.Error()
	}
	var said struct {
		Currency string          `json:"currency"`
		ValidFor *json.Number    `json:"valid_for"`
		Rates    []carriers.Rate `json:"rates"`
	}
	if problem := c.json(ctx, http.MethodPost, "/rates", body, &said); problem != "" {
		return nil, problem
	}
	if said.Rates == nil {
		return nil, `no "rates": an empty list says that nothing is priced`
	}
	a := carriers.Answer{Currency: said.Currency, Rates: said.Rates}
	rates, err := a.Check(q)
	if err != nil {
		return nil, err.Error()
	}
	for _, r := range rates {
		if !slices.ContainsFunc(c.services, func(s carriers.Service) bool { return s.Code == r.Service }) {
			return nil, fmt.Sprintf("service %q is priced, and not listed by GET /services", r.Service)
		}
	}
	return rates, ""
}

func (c *checker) one(ctx context.Context) (problem, note string) {
	rates, problem := c.rates(ctx, c.question(usual))
	if problem == "" && len(rates) == 0 {
		note = fmt.Sprintf("no price for %s kg from %s to %s: name places that are served with --from and --to, or "+
			"what follows tells little", usual.Weight, c.o.From.Country, c.o.To.Country)
	}
	return problem, note
}

func (c *checker) two(ctx context.Context) (problem, note string) {
	_, problem = c.rates(ctx, c.question(usual, carriers.Parcel{Weight: "0.4", Length: "20", Width: "15", Height: "5"}))
	return problem, ""
}

func (c *checker) same(ctx context.Context) (problem, note string) {
	first, problem := c.rates(ctx, c.question(usual))
	if problem != "" {
		return problem, ""
	}
	second, problem := c.rates(ctx, c.question(usual))
	if problem != "" {
		return problem, ""
	}
	if a, b := sums(first), sums(second); a != b {
		return fmt.Sprintf("%s, and then %s: a price holds for at least as long as valid_for says", a, b), ""
	}
	return "", ""
}

// sums writes rates shortly.
func sums(rates []quote.CarrierRate) string {
	var list []string
	for _, r := range rates {
		text := r.Service
		for _, d := range r.Amounts {
			text += " " + d.String()
		}
		list = append(list, text)
	}
	return strings.Join(list, ", ")
}

func (c *checker) unsized(ctx context.Context) (problem, note string) {
	_, problem = c.rates(ctx, c.question(carriers.Parcel{Weight: "1.25"}))
	return problem, ""
}

func (c *checker) untakable(ctx context.Context) (problem, note string) {
	rates, problem := c.rates(ctx, c.question(carriers.Parcel{Weight: "100000", Length: "9000", Width: "9000",
		Height: "9000"}))
	if problem != "" {
		return problem + `. Answer {"rates": []} where no service takes a parcel: errors count as failures`, ""
	}
	if len(rates) > 0 {
		note = "100 t are priced: " + sums(rates)
	}
	return "", note
}

func (c *checker) many(ctx context.Context) (problem, note string) {
	parcels := make([]carriers.Parcel, carriers.MaxParcels)
	for i := range parcels {
		parcels[i] = usual
	}
	begun := time.Now()
	_, problem = c.rates(ctx, c.question(parcels...))
	return problem, fmt.Sprintf("%d ms", time.Since(begun).Milliseconds())
}

// currency asks in one that nobody has (ISO 4217 keeps XTS for tests).
func (c *checker) currency(ctx context.Context) (problem, note string) {
	q := c.question(usual)
	q.Currency = "XTS"
	body, err := json.Marshal(q)
	if err != nil {
		return err.Error(), ""
	}
	status, text, problem := c.ask(ctx, http.MethodPost, "/rates", c.o.Secret, body)
	if problem != "" {
		return problem, ""
	}
	var said struct {
		Currency string            `json:"currency"`
		Rates    []json.RawMessage `json:"rates"`
	}
	switch err := json.Unmarshal(text, &said); {
	case status >= 500:
		return fmt.Sprintf("status %d: refuse it with 422, or answer in your own currency", status), ""
	case status == http.StatusOK && err == nil && said.Currency == "XTS" && len(said.Rates) > 0:
		return "it claims to have prices in XTS, a currency of tests: say which currency they are in", ""
	}
	return "", ""
}

func (c *checker) nonsense(ctx context.Context) (problem, note string) {
	for _, body := range []string{`{`, `[]`, `{"currency":"` + c.o.Currency + `","parcels":[{"weight_kg":"-1"}]}`} {
		status, _, problem := c.ask(ctx, http.MethodPost, "/rates", c.o.Secret, []byte(body))
		if problem != "" {
			return problem, ""
		}
		if status < 400 || status >= 500 {
			return fmt.Sprintf("%s was answered with status %d, where 400 to 499 is expected", body, status), ""
		}
	}
	return "", ""
}

func (c *checker) wrongSecret(ctx context.Context) (problem, note string) {
	if c.o.Secret == "" {
		return "", "not tried: no secret is given"
	}
	status, _, problem := c.ask(ctx, http.MethodGet, "/services", c.o.Secret+"x", nil)
	if problem == "" && status != http.StatusUnauthorized && status != http.StatusForbidden {
		problem = fmt.Sprintf("status %d, where 401 or 403 is expected", status)
	}
	return problem, ""
}
