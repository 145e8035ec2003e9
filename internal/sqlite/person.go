package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"slices"
	"time"

	"diadrom/internal/auth"
)

// Person is somebody who works on the shop.
type Person struct {
	auth.Person
	Active bool
	At     time.Time // made
}

// ErrTaken is returned when somebody else has the name.
var ErrTaken = errors.New("somebody has this name already")

// ErrStarted is returned when a first person is added to a shop that has people.
var ErrStarted = errors.New("this shop has its people already")

// People lists who works on the shop.
func (db *DB) People(ctx context.Context) (list []Person, err error) {
	rows, err := db.sql.QueryContext(ctx, "SELECT id, name, role, active, made_at FROM person ORDER BY id")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var p Person
		var at string
		if err := rows.Scan(&p.ID, &p.Name, &p.Role, &p.Active, &at); err != nil {
			return nil, err
		}
		if p.At, err = time.Parse(time.RFC3339, at); err != nil {
			return nil, err
		}
		list = append(list, p)
	}
	return list, rows.Err()
}

// AddPerson adds a person. first is for the first person of a shop; it is refused where there is one already.
func (db *DB) AddPerson(
	ctx context.Context,
	name string,
	role auth.Role,
	passphrase string,
	first bool,
) (auth.Person, error) {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return auth.Person{}, err
	}
	defer tx.Rollback()
	names, err := namesOf(ctx, tx, "SELECT name FROM person")
	switch {
	case err != nil:
		return auth.Person{}, err
	case first && len(names) > 0:
		return auth.Person{}, ErrStarted
	case slices.ContainsFunc(names, func(known string) bool { return auth.Fold(known) == auth.Fold(name) }):
		return auth.Person{}, ErrTaken
	}
	p := auth.Person{Name: name, Role: role}
	if err := tx.QueryRowContext(
		ctx,
		"INSERT INTO person (name, role, passphrase, made_at) VALUES (?, ?, ?, ?) RETURNING id",
		name,
		string(role),
		passphrase,
		now(),
	).Scan(&p.ID); err != nil {
		return auth.Person{}, err
	}
	return p, tx.Commit()
}

// querier is a database or a transaction.
type querier interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
}

// namesOf reads the names that a query gives.
func namesOf(ctx context.Context, from querier, query string) (names []string, err error) {
	rows, err := from.QueryContext(ctx, query)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var name string
		if err := rows.Scan(&name); err != nil {
			return nil, err
		}
		names = append(names, name)
	}
	return names, rows.Err()
}

// Passphrase finds an active person by name, with what is kept of the passphrase; "" where there is none.
func (db *DB) Passphrase(ctx context.Context, name string) (p auth.Person, hash string, err error) {
	people, err := db.People(ctx)
	if err != nil {
		return p, "", err
	}
	for _, known := range people {
		if known.Active && auth.Fold(known.Name) == auth.Fold(name) {
			err := db.sql.QueryRowContext(ctx, "SELECT passphrase FROM person WHERE id = ?", known.ID).Scan(&hash)
			return known.Person, hash, err
		}
	}
	return p, "", nil
}

// SetPassphrase gives a person another passphrase and signs them out everywhere.
func (db *DB) SetPassphrase(ctx context.Context, person int64, hash string) error {
	return db.both(
		ctx,
		"UPDATE person SET passphrase = ? WHERE id = ?",
		[]any{hash, person},
		"DELETE FROM session WHERE person = ?",
		[]any{person},
	)
}

// ErrLastOwner is returned when the last owner would be deactivated.
var ErrLastOwner = errors.New("a shop needs an owner")

// SetActive activates a person, or deactivates them and signs them out everywhere. The last owner stays active.
func (db *DB) SetActive(ctx context.Context, person int64, active bool) error {
	if active {
		_, err := db.sql.ExecContext(ctx, "UPDATE person SET active = 1 WHERE id = ?", person)
		return err
	}
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	var owners int
	if err := tx.QueryRowContext(
		ctx,
		"SELECT count(*) FROM person WHERE role = 'owner' AND active = 1 AND id <> ?",
		person,
	).Scan(&owners); err != nil {
		return err
	}
	if owners == 0 {
		return ErrLastOwner
	}
	for _, query := range []string{"UPDATE person SET active = 0 WHERE id = ?", "DELETE FROM session WHERE person = " +
		"?"} {
		if _, err := tx.ExecContext(ctx, query, person); err != nil {
			return err
		}
	}
	return tx.Commit()
}

// both runs two statements, or none.
func (db *DB) both(ctx context.Context, one string, args []any, two string, more []any) error {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if _, err := tx.ExecContext(ctx, one, args...); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, two, more...); err != nil {
		return err
	}
	return tx.Commit()
}
