package sqlite

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
)

// CartLine is a line of the Till's cart: some of a product of the store, or goods of its own.
//
// What a line says beside a sku stands in the place of what the product has.
type CartLine struct {
	SKU           string `json:"sku,omitempty"`
	Name          string `json:"name,omitempty"`
	Price         string `json:"price,omitempty"`
	Weight        string `json:"weight,omitempty"`
	Length        string `json:"length,omitempty"`
	Width         string `json:"width,omitempty"`
	Height        string `json:"height,omitempty"`
	Class         string `json:"class,omitempty"`
	NeedsShipping *bool  `json:"needs_shipping,omitempty"` // nil: it does
	ShipsFree     bool   `json:"ships_free,omitempty"`
	OwnParcel     bool   `json:"own_parcel,omitempty"`
	Upright       bool   `json:"upright,omitempty"`
	From          string `json:"from,omitempty"`
	Quantity      int64  `json:"quantity"`
}

// Till is what lies in the Till.
type Till struct {
	Cart        []CartLine
	Destination string // as typed
	Coupons     string // as typed, parted by commas
	Customer    string
	Group       string
}

// SampleCart is a cart to choose.
type SampleCart struct {
	ID    string     `json:"id"`
	Name  string     `json:"name"`
	Lines []CartLine `json:"lines"`
}

// LoadTill reads the Till; false where it was never changed.
func (db *DB) LoadTill(ctx context.Context) (t Till, ok bool, err error) {
	var cart string
	err = db.sql.QueryRowContext(
		ctx,
		"SELECT cart, destination, coupons, customer, customer_group FROM till",
	).Scan(&cart, &t.Destination, &t.Coupons, &t.Customer, &t.Group)
	if errors.Is(err, sql.ErrNoRows) {
		return t, false, nil
	}
	if err != nil {
		return t, false, err
	}
	return t, true, json.Unmarshal([]byte(cart), &t.Cart)
}

// SaveTill keeps the Till.
func (db *DB) SaveTill(ctx context.Context, t Till) error {
	cart, err := json.Marshal(t.Cart)
	if err != nil {
		return err
	}
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if _, err := tx.ExecContext(
		ctx,
		`INSERT INTO recent_destination (line, used) SELECT ?, coalesce(max(used), 0) + 1
			FROM recent_destination WHERE true
		ON CONFLICT (line) DO UPDATE SET used = excluded.used`,
		t.Destination,
	); err != nil {
		return err
	}
	if _, err := tx.ExecContext(
		ctx,
		"DELETE FROM recent_destination WHERE line NOT IN (SELECT line FROM recent_destination ORDER BY "+
			"used DESC LIMIT ?)",
		maxRecent,
	); err != nil {
		return err
	}
	if _, err = tx.ExecContext(
		ctx,
		`INSERT INTO till (id, cart, destination, coupons, customer, customer_group) VALUES (1, ?, ?, ?, ?, ?)
		ON CONFLICT (id) DO UPDATE SET cart = excluded.cart, destination = excluded.destination,
			coupons = excluded.coupons,
			customer = excluded.customer, customer_group = excluded.customer_group`,
		string(cart),
		t.Destination,
		t.Coupons,
		t.Customer,
		t.Group,
	); err != nil {
		return err
	}
	return tx.Commit()
}

// maxRecent is how many of the last destinations are remembered.
const maxRecent = 12

// RecentDestinations lists where the Till was sent, the last one first.
func (db *DB) RecentDestinations(ctx context.Context) (lines []string, err error) {
	rows, err := db.sql.QueryContext(ctx, "SELECT line FROM recent_destination ORDER BY used DESC")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var line string
		if err := rows.Scan(&line); err != nil {
			return nil, err
		}
		lines = append(lines, line)
	}
	return lines, rows.Err()
}

// Samples lists the sample carts and the shop's usual destinations.
func (db *DB) Samples(ctx context.Context) (carts []SampleCart, destinations []string, err error) {
	rows, err := db.sql.QueryContext(ctx, "SELECT id, name, cart FROM sample_cart ORDER BY position")
	if err != nil {
		return nil, nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var c SampleCart
		var lines string
		if err := rows.Scan(&c.ID, &c.Name, &lines); err != nil {
			return nil, nil, err
		}
		if err := json.Unmarshal([]byte(lines), &c.Lines); err != nil {
			return nil, nil, err
		}
		carts = append(carts, c)
	}
	if err := rows.Err(); err != nil {
		return nil, nil, err
	}
	lines, err := db.sql.QueryContext(ctx, "SELECT line FROM destination ORDER BY position")
	if err != nil {
		return nil, nil, err
	}
	defer lines.Close()
	for lines.Next() {
		var line string
		if err := lines.Scan(&line); err != nil {
			return nil, nil, err
		}
		destinations = append(destinations, line)
	}
	return carts, destinations, lines.Err()
}

// UpdateSamples changes the sample carts and the usual destinations; of two changes at once none is lost. An error of
// change is returned, and nothing is saved.
func (db *DB) UpdateSamples(
	ctx context.Context,
	change func(carts []SampleCart, destinations []string) ([]SampleCart, []string, error),
) error {
	db.samples.Lock()
	defer db.samples.Unlock()
	carts, destinations, err := db.Samples(ctx)
	if err != nil {
		return err
	}
	if carts, destinations, err = change(carts, destinations); err != nil {
		return err
	}
	return db.SaveSamples(ctx, carts, destinations)
}

// SaveSamples replaces the sample carts and the usual destinations.
func (db *DB) SaveSamples(ctx context.Context, carts []SampleCart, destinations []string) error {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if _, err := tx.ExecContext(ctx, "DELETE FROM sample_cart; DELETE FROM destination"); err != nil {
		return err
	}
	for i, c := range carts {
		lines, err := json.Marshal(c.Lines)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(
			ctx,
			"INSERT INTO sample_cart (id, name, position, cart) VALUES (?, ?, ?, ?)",
			c.ID,
			c.Name,
			i,
			string(lines),
		); err != nil {
			return err
		}
	}
	for i, line := range destinations {
		if _, err := tx.ExecContext(
			ctx,
			"INSERT INTO destination (line, position) VALUES (?, ?)",
			line,
			i,
		); err != nil {
			return err
		}
	}
	return tx.Commit()
}
