package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"strings"

	"diadrom/internal/core/world"
	"diadrom/internal/tables/addresslist"
)

const bookColumns = "name, customer, cust_group, street, postcode, city, region, country"

// ErrBookFull is returned where an address book would have more than [addresslist.MaxEntries] entries.
var ErrBookFull = errors.New("the address book is full")

// SaveBook adds entries to the address book, each in place of one with the same name.
func (db *DB) SaveBook(ctx context.Context, entries []addresslist.Entry) error {
	return db.inOne(ctx, func(tx *sql.Tx) error {
		put, err := tx.PrepareContext(ctx, "INSERT INTO book (key, "+bookColumns+") VALUES (?, ?, ?, ?, ?, ?, ?, ?, "+
			"?) "+
			"ON CONFLICT (key) DO UPDATE SET name = excluded.name, customer = excluded.customer, "+
			"cust_group = excluded.cust_group, street = excluded.street, postcode = excluded.postcode, "+
			"city = excluded.city, region = excluded.region, country = excluded.country")
		if err != nil {
			return err
		}
		defer put.Close()
		for i := range entries {
			e, a := &entries[i], &entries[i].Address
			if _, err := put.ExecContext(ctx, world.Fold(e.Name), e.Name, e.Customer, e.Group, a.Street, a.Postcode,
				a.City,
				a.Region, a.Country); err != nil {
				return err
			}
		}
		var n int
		if err := tx.QueryRowContext(ctx, "SELECT count(*) FROM book").Scan(&n); err != nil {
			return err
		}
		if n > addresslist.MaxEntries {
			return ErrBookFull
		}
		return nil
	})
}

// ReplaceInBook has an entry stand in the place of the one of a name. A name that another has is [ErrConflict].
func (db *DB) ReplaceInBook(ctx context.Context, name string, e addresslist.Entry) error {
	if world.Fold(name) != world.Fold(e.Name) {
		if _, taken, err := db.BookEntry(ctx, e.Name); err != nil || taken {
			return errors.Join(err, ErrConflict)
		}
	}
	done, err := db.sql.ExecContext(ctx, "UPDATE book SET key = ?, name = ?, customer = ?, cust_group = ?, street = "+
		"?, "+
		"postcode = ?, city = ?, region = ?, country = ? WHERE key = ?", world.Fold(e.Name), e.Name, e.Customer,
		e.Group,
		e.Address.Street, e.Address.Postcode, e.Address.City, e.Address.Region, e.Address.Country, world.Fold(name))
	if err != nil {
		return err
	}
	if n, err := done.RowsAffected(); err != nil || n == 0 {
		return errors.Join(err, ErrConflict)
	}
	return nil
}

// RemoveFromBook removes the entry of a name.
func (db *DB) RemoveFromBook(ctx context.Context, name string) error {
	_, err := db.sql.ExecContext(ctx, "DELETE FROM book WHERE key = ?", world.Fold(name))
	return err
}

// BookEntry finds the entry of a name; case and accents do not matter.
func (db *DB) BookEntry(ctx context.Context, name string) (e addresslist.Entry, ok bool, err error) {
	err = scanEntry(db.sql.QueryRowContext(ctx, "SELECT "+bookColumns+" FROM book WHERE key = ?", world.Fold(name)), &e)
	if errors.Is(err, sql.ErrNoRows) {
		return e, false, nil
	}
	return e, err == nil, err
}

// Book lists the entries whose name, customer or town has a text in it, by their names, those that begin with it before
// the others; at most so many (0: all). total is how many there are.
func (db *DB) Book(ctx context.Context, text string, most int) (list []addresslist.Entry, total int, err error) {
	text = world.Fold(text)
	like := "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(text) + "%"
	const where = ` FROM book WHERE ? = '' OR key LIKE ? ESCAPE '\' OR lower(customer) LIKE ? ESCAPE '\'
		OR lower(city) LIKE ? ESCAPE '\'`
	args := []any{text, like, like, like}
	if err := db.sql.QueryRowContext(ctx, "SELECT count(*)"+where, args...).Scan(&total); err != nil {
		return nil, 0, err
	}
	if most == 0 {
		most = -1
	}
	rows, err := db.sql.QueryContext(ctx, "SELECT "+bookColumns+where+" ORDER BY key NOT LIKE ? ESCAPE '\\', key "+
		"LIMIT ?",
		append(args, strings.TrimPrefix(like, "%"), most)...)
	if err != nil {
		return nil, 0, err
	}
	defer rows.Close()
	for rows.Next() {
		var e addresslist.Entry
		if err := scanEntry(rows, &e); err != nil {
			return nil, 0, err
		}
		list = append(list, e)
	}
	return list, total, rows.Err()
}

func scanEntry(row interface{ Scan(...any) error }, e *addresslist.Entry) error {
	a := &e.Address
	return row.Scan(&e.Name, &e.Customer, &e.Group, &a.Street, &a.Postcode, &a.City, &a.Region, &a.Country)
}
