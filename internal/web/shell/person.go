package shell

import (
	"context"

	"diadrom/internal/auth"
)

// Names says who people are, by their ids: 0 is whoever works in a shop that nobody signs in to.
func (s *Shell) Names(ctx context.Context) (func(int64) string, error) {
	people, err := s.db.People(ctx)
	if err != nil {
		return nil, err
	}
	known := map[int64]string{0: s.nobody}
	for _, p := range people {
		known[p.ID] = p.Name
	}
	return func(id int64) string { return known[id] }, nil
}

type personKey struct{}

// WithPerson has a request know who signed in for it.
func WithPerson(ctx context.Context, p auth.Person) context.Context {
	return context.WithValue(ctx, personKey{}, p)
}

// Person is who a request is signed in as; the zero Person where nobody is.
func Person(ctx context.Context) auth.Person {
	p, _ := ctx.Value(personKey{}).(auth.Person)
	return p
}
