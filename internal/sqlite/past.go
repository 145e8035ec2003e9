package sqlite

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/past"
)

// PastName is the file of a shop's folder that has its past orders. They are kept apart from the shop: no backup, no
// copy elsewhere and no edition has them.
const PastName = "orders.db"

// Past has the past orders of a shop in a file of their own. It is safe for many goroutines.
type Past struct {
	sql *sql.DB
	dir string
}

// pastSchema is that of [PastName]: orders without names and streets. lines is a JSON array of the goods,
// [{"s": sku, "n": quantity, "p": price, "w": weight, "c": class}]; sums are decimals as text.
const pastSchema = `
CREATE TABLE IF NOT EXISTS file (
    id       INTEGER PRIMARY KEY,
    name     TEXT NOT NULL,
    bytes    INTEGER NOT NULL,
    taken    INTEGER NOT NULL DEFAULT 0,  -- bytes that have been read
    line     INTEGER NOT NULL DEFAULT 0,  -- lines that have been read
    lines    INTEGER NOT NULL DEFAULT 0,  -- with something in them
    orders   INTEGER NOT NULL DEFAULT 0,
    repeated INTEGER NOT NULL DEFAULT 0,
    refused  INTEGER NOT NULL DEFAULT 0,
    refunds  INTEGER NOT NULL DEFAULT 0,
    refunded TEXT NOT NULL DEFAULT '0',
    state    TEXT NOT NULL,
    options  TEXT NOT NULL DEFAULT '{}',
    problem  TEXT NOT NULL DEFAULT '',
    added    TEXT NOT NULL
) STRICT;
CREATE TABLE IF NOT EXISTS past_order (
    id       INTEGER PRIMARY KEY,
    file     INTEGER NOT NULL,
    number   TEXT NOT NULL UNIQUE,
    at       TEXT NOT NULL DEFAULT '',    -- RFC 3339
    day      TEXT NOT NULL DEFAULT '',
    country  TEXT NOT NULL,
    region   TEXT NOT NULL DEFAULT '',
    city     TEXT NOT NULL DEFAULT '',
    postcode TEXT NOT NULL DEFAULT '',
    buyer    TEXT NOT NULL DEFAULT '',    -- the group of the customer
    coupons  TEXT NOT NULL DEFAULT '',    -- parted by line ends
    method   TEXT NOT NULL DEFAULT '',    -- as the file names it
    paid     TEXT,
    cost     TEXT,
    tracking TEXT NOT NULL DEFAULT '',
    lines    TEXT NOT NULL
) STRICT;
CREATE INDEX IF NOT EXISTS past_day ON past_order (day);
CREATE INDEX IF NOT EXISTS past_tracking ON past_order (tracking) WHERE tracking <> '';
CREATE TABLE IF NOT EXISTS refused (
    file INTEGER NOT NULL, line INTEGER NOT NULL, text TEXT NOT NULL, reason TEXT NOT NULL
) STRICT;
CREATE TABLE IF NOT EXISTS method_name (name TEXT PRIMARY KEY, method TEXT NOT NULL) STRICT;
PRAGMA user_version = 1;
`

// OpenPast opens the past orders of the shop in a folder.
func OpenPast(ctx context.Context, dir string) (*Past, error) {
	path := filepath.Join(dir, PastName)
	if err := private(path); err != nil {
		return nil, err
	}
	query := url.Values{"_txlock": {"immediate"}, "_pragma": {
		"busy_timeout(5000)", "journal_mode(WAL)", "synchronous(NORMAL)", "secure_delete(1)"}}
	db, err := sql.Open("sqlite", "file:"+(&url.URL{Path: path}).EscapedPath()+"?"+query.Encode())
	if err != nil {
		return nil, err
	}
	db.SetMaxOpenConns(4)
	if _, err := db.ExecContext(ctx, pastSchema); err != nil {
		return nil, errors.Join(err, db.Close())
	}
	return &Past{db, dir}, nil
}

// Close closes the file.
func (p *Past) Close() error { return p.sql.Close() }

// PastRow is an order as it is kept.
type PastRow struct {
	Number, At, Day, Country, Region, City, Postcode, Buyer, Coupons, Method string
	Paid, Cost                                                               sql.NullString
	Tracking, Lines                                                          string
	Line                                                                     int // of the file
}

// pastLine is goods of an order as they are kept.
type pastLine struct {
	SKU      string `json:"s,omitempty"`
	Quantity int64  `json:"n"`
	Price    string `json:"p,omitempty"`
	Weight   string `json:"w,omitempty"`
	Class    string `json:"c,omitempty"`
}

// NewPastRow makes an order a row. Of the buyer it keeps the group alone.
func NewPastRow(o *past.Order) PastRow {
	r := PastRow{Number: o.ID, Country: o.To.Country, Region: o.To.Region, City: o.To.City, Postcode: o.To.Postcode,
		Buyer: o.Group, Coupons: strings.Join(o.Coupons, "\n"), Method: o.Method, Tracking: o.Tracking}
	if !o.At.IsZero() {
		r.At, r.Day = o.At.Format(time.RFC3339), o.At.Format(time.DateOnly)
	}
	for _, sum := range []struct {
		of   *decimal.Decimal
		into *sql.NullString
	}{{o.Paid, &r.Paid}, {o.Cost, &r.Cost}} {
		if sum.of != nil {
			*sum.into = sql.NullString{String: sum.of.String(), Valid: true}
		}
	}
	b := []byte{'['}
	for i := range o.Lines {
		if i > 0 {
			b = append(b, ',')
		}
		b = appendLine(b, &o.Lines[i])
	}
	r.Lines = string(append(b, ']'))
	return r
}

// appendLine writes goods as JSON; encoding/json writes texts that need more than quotes.
func appendLine(b []byte, l *past.Line) []byte {
	b = append(b, `{"n":`...)
	b = strconv.AppendInt(b, l.Quantity, 10)
	for _, text := range [...]struct{ name, value string }{{"s", l.SKU}, {"c", l.Class}} {
		if text.value != "" {
			quoted, _ := json.Marshal(text.value) // a string always is JSON
			b = append(append(append(append(b, `,"`...), text.name...), `":`...), quoted...)
		}
	}
	if l.Price != nil {
		b = append(l.Price.Append(append(b, `,"p":"`...), 0), '"')
	}
	if l.Weight != nil {
		b = append(l.Weight.Append(append(b, `,"w":"`...), 0), '"')
	}
	return append(b, '}')
}

const insertPast = "INSERT INTO past_order (file, number, at, day, country, region, city, postcode, buyer, " +
	"coupons, method, " +
	"paid, cost, tracking, lines) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT (number) DO NOTHING"

// PastSpan is how many orders there are, of which days, and a number that is another once they change.
type PastSpan struct {
	Orders      int
	First, Last string // days; "" where none is known
	Version     int64
}

// Span says what orders there are.
func (p *Past) Span(ctx context.Context) (s PastSpan, err error) {
	var first, last sql.NullString
	err = p.sql.QueryRowContext(ctx,
		"SELECT count(*), min(nullif(day, '')), max(day), coalesce(max(id), 0) FROM past_order").
		Scan(&s.Orders, &first, &last, &s.Version)
	s.First, s.Last = first.String, last.String
	var costs int64
	if err == nil {
		err = p.sql.QueryRowContext(ctx, "SELECT count(*) FROM past_order WHERE cost IS NOT NULL").Scan(&costs)
	}
	s.Version = s.Version<<20 + costs
	return s, err
}

// Count is how many orders there are from a day on; "" is all.
func (p *Past) Count(ctx context.Context, from string) (n int, err error) {
	err = p.sql.QueryRowContext(ctx, "SELECT count(*) FROM past_order WHERE day >= ?", from).Scan(&n)
	return n, err
}

// Orders gives the orders from a day on ("" is all), the method by its id where names has it. What is given lasts until
// the next.
func (p *Past) Orders(ctx context.Context, from string, names map[string]string, each func(*past.Order) error) error {
	return p.orders(ctx, names, each, "WHERE day >= ? ORDER BY id", from)
}

// orders gives the orders that a query chooses.
func (p *Past) orders(ctx context.Context, names map[string]string, each func(*past.Order) error, which string,
	values ...any) error {
	rows, err := p.sql.QueryContext(
		ctx,
		"SELECT id, number, at, country, region, city, postcode, buyer, coupons, method, paid, "+
			"cost, tracking, lines FROM past_order "+which,
		values...)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		o, err := scanOrder(rows)
		if err != nil {
			return err
		}
		if id, ok := names[o.Method]; ok {
			o.Method = id
		}
		if err := each(o); err != nil {
			return err
		}
	}
	return rows.Err()
}

// OrdersAt gives orders by where they are kept, as [Past.Orders] does.
func (p *Past) OrdersAt(
	ctx context.Context,
	rows []int64,
	names map[string]string,
	each func(*past.Order) error,
) error {
	const many = 500
	for len(rows) > 0 {
		part := rows[:min(len(rows), many)]
		rows = rows[len(part):]
		values := make([]any, len(part))
		for i := range part {
			values[i] = part[i]
		}
		err := p.orders(
			ctx,
			names,
			each,
			"WHERE id IN (?"+strings.Repeat(", ?", len(part)-1)+") ORDER BY id",
			values...)
		if err != nil {
			return err
		}
	}
	return nil
}

// Order finds an order by its number; false where there is none.
func (p *Past) Order(ctx context.Context, number string) (*past.Order, bool, error) {
	o, err := scanOrder(
		p.sql.QueryRowContext(ctx, "SELECT id, number, at, country, region, city, postcode, buyer, coupons, method, "+
			"paid, cost, tracking, lines FROM past_order WHERE number = ?", number),
	)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, false, nil
	}
	return o, err == nil, err
}

func scanOrder(row interface{ Scan(...any) error }) (*past.Order, error) {
	o := &past.Order{}
	var at, coupons, lines string
	var paid, cost sql.NullString
	if err := row.Scan(&o.Row, &o.ID, &at, &o.To.Country, &o.To.Region, &o.To.City, &o.To.Postcode, &o.Group, &coupons,
		&o.Method, &paid, &cost, &o.Tracking, &lines); err != nil {
		return nil, err
	}
	if at != "" {
		o.At, _ = time.Parse(time.RFC3339, at)
	}
	if coupons != "" {
		o.Coupons = strings.Split(coupons, "\n")
	}
	var err error
	if o.Paid, err = decimalOf(paid.String); err != nil {
		return nil, err
	}
	if o.Cost, err = decimalOf(cost.String); err != nil {
		return nil, err
	}
	var goods []pastLine
	if err := json.Unmarshal([]byte(lines), &goods); err != nil {
		return nil, err
	}
	o.Lines = make([]past.Line, len(goods))
	for i := range goods {
		l := &o.Lines[i]
		l.SKU, l.Quantity, l.Class = goods[i].SKU, goods[i].Quantity, goods[i].Class
		if l.Price, err = decimalOf(goods[i].Price); err != nil {
			return nil, err
		}
		if l.Weight, err = decimalOf(goods[i].Weight); err != nil {
			return nil, err
		}
	}
	return o, nil
}

// decimalOf reads a sum; nil for none.
func decimalOf(text string) (*decimal.Decimal, error) {
	if text == "" {
		return nil, nil
	}
	d, err := decimal.Parse(text)
	return &d, err
}

// MethodNames gives how the files name methods, with how many orders have each.
func (p *Past) MethodNames(ctx context.Context) (map[string]int, error) {
	rows, err := p.sql.QueryContext(ctx, "SELECT method, count(*) FROM past_order WHERE method <> '' GROUP BY method")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	names := map[string]int{}
	for rows.Next() {
		var name string
		var n int
		if err := rows.Scan(&name, &n); err != nil {
			return nil, err
		}
		names[name] = n
	}
	return names, rows.Err()
}

// NamedMethods are the ids of methods by the names that files have for them, as somebody said once; "" is none of the
// shop's.
func (p *Past) NamedMethods(ctx context.Context) (map[string]string, error) {
	rows, err := p.sql.QueryContext(ctx, "SELECT name, method FROM method_name")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	names := map[string]string{}
	for rows.Next() {
		var name, method string
		if err := rows.Scan(&name, &method); err != nil {
			return nil, err
		}
		names[name] = method
	}
	return names, rows.Err()
}

// NameMethod remembers which method a name means.
func (p *Past) NameMethod(ctx context.Context, name, method string) error {
	_, err := p.sql.ExecContext(
		ctx,
		"INSERT INTO method_name (name, method) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET "+
			"method = excluded.method",
		name,
		method,
	)
	return err
}

// Forget removes all past orders, and what was remembered of how they were read, from the disk.
func (p *Past) Forget(ctx context.Context) error {
	for _, statement := range []string{"DELETE FROM past_order", "DELETE FROM refused", "DELETE FROM file",
		"DELETE FROM method_name", "VACUUM", "PRAGMA wal_checkpoint(TRUNCATE)"} {
		if _, err := p.sql.ExecContext(ctx, statement); err != nil {
			return err
		}
	}
	return os.RemoveAll(filepath.Join(p.dir, "orders"))
}
