package carriers

import (
	"context"
	"encoding/json"
	"time"

	"diadrom/internal/outside/asking"
)

// protocol is the adapter of carriers that speak Diadrom's JSON protocol: GET /services, POST /rates below their
// address (docs/carriers.md).
type protocol struct{ *asking.Client }

// Services asks for the list of services.
func (p protocol) Services(ctx context.Context) ([]Service, error) {
	var said listed
	if err := p.Get(ctx, "/services", &said); err != nil {
		return nil, err
	}
	return said.Services, nil
}

// listed is an answer to GET /services, judged while it is read so that nonsense counts as a failure.
type listed struct{ Services []Service }

func (l *listed) UnmarshalJSON(data []byte) error {
	var said struct {
		Services []Service `json:"services"`
	}
	if err := json.Unmarshal(data, &said); err != nil {
		return err
	}
	if said.Services == nil {
		return failure("answered without a list of services")
	}
	l.Services = said.Services
	for i := range l.Services {
		l.Services[i].Name = cut(l.Services[i].Name)
	}
	return CheckServices(l.Services)
}

// Rates asks what parcels cost.
func (p protocol) Rates(ctx context.Context, q *Question) (*Answer, error) {
	said := rated{asked: q}
	if err := p.Post(ctx, "/rates", q, &said); err != nil {
		return nil, err
	}
	return &said.Answer, nil
}

// rated is an answer to POST /rates, judged while it is read.
type rated struct {
	Answer
	asked *Question
}

func (a *rated) UnmarshalJSON(data []byte) error {
	var said struct {
		Currency *string     `json:"currency"`
		ValidFor json.Number `json:"valid_for"` // seconds
		Rates    []Rate      `json:"rates"`
	}
	if err := json.Unmarshal(data, &said); err != nil {
		return err
	}
	if said.Currency == nil || said.Rates == nil {
		return failure("answered without rates and their currency")
	}
	seconds, err := said.ValidFor.Float64()
	if err != nil && said.ValidFor != "" {
		return failure("answered with a valid_for that is not a number of seconds")
	}
	a.Answer = Answer{Currency: *said.Currency, Rates: said.Rates,
		ValidFor: time.Duration(min(max(seconds, 0), KeptFor.Seconds()) * float64(time.Second))}
	_, err = a.Check(a.asked)
	return err
}
