package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"diadrom/internal/core/decimal"
)

// States of a file of past orders.
const (
	PastPreview = "preview" // it is kept until somebody says how it is read
	PastWaiting = "waiting" // it is being taken in, or will be
	PastDone    = "done"
	PastStopped = "stopped"
	PastFailed  = "failed"
)

// PastFile is a file of past orders, or of a carrier's invoices, and how far it has been taken in.
type PastFile struct {
	ID                               int64
	Name                             string
	Bytes, Taken                     int64
	Line                             int
	Lines, Orders, Repeated, Refused int
	Refunds                          int
	Refunded                         decimal.Decimal
	State, Options, Problem          string
	Added                            time.Time
}

const pastColumns = "id, name, bytes, taken, line, lines, orders, repeated, refused, refunds, refunded, state, " +
	"options, " +
	"problem, added"

func scanPast(row interface{ Scan(...any) error }) (f PastFile, err error) {
	var refunded, added string
	err = row.Scan(
		&f.ID,
		&f.Name,
		&f.Bytes,
		&f.Taken,
		&f.Line,
		&f.Lines,
		&f.Orders,
		&f.Repeated,
		&f.Refused,
		&f.Refunds,
		&refunded,
		&f.State,
		&f.Options,
		&f.Problem,
		&added,
	)
	if err != nil {
		return f, err
	}
	f.Added, _ = time.Parse(time.RFC3339, added)
	f.Refunded, err = decimal.Parse(refunded)
	return f, err
}

// AddFile begins a file of that name and size.
func (p *Past) AddFile(ctx context.Context, name string, bytes int64, at time.Time) (PastFile, error) {
	return scanPast(
		p.sql.QueryRowContext(ctx, "INSERT INTO file (name, bytes, state, added) VALUES (?, ?, ?, ?) RETURNING "+
			pastColumns, name, bytes, PastPreview, at.UTC().Format(time.RFC3339)),
	)
}

// File finds a file; false where there is none.
func (p *Past) File(ctx context.Context, id int64) (PastFile, bool, error) {
	f, err := scanPast(p.sql.QueryRowContext(ctx, "SELECT "+pastColumns+" FROM file WHERE id = ?", id))
	if errors.Is(err, sql.ErrNoRows) {
		return f, false, nil
	}
	return f, err == nil, err
}

// Files lists the files, the newest first.
func (p *Past) Files(ctx context.Context) (list []PastFile, err error) {
	rows, err := p.sql.QueryContext(ctx, "SELECT "+pastColumns+" FROM file ORDER BY id DESC")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		f, err := scanPast(rows)
		if err != nil {
			return nil, err
		}
		list = append(list, f)
	}
	return list, rows.Err()
}

// SetState says what becomes of a file, and how it is read.
func (p *Past) SetState(ctx context.Context, id int64, state, options, problem string) error {
	_, err := p.sql.ExecContext(ctx, "UPDATE file SET state = ?, options = ?, problem = ? WHERE id = ?", state, options,
		problem, id)
	return err
}

// RemoveFile forgets a file that is only looked at.
func (p *Past) RemoveFile(ctx context.Context, id int64) error {
	_, err := p.sql.ExecContext(ctx, "DELETE FROM file WHERE id = ? AND orders = 0", id)
	return err
}

// PastRefused is a line that was not taken in, with the reason.
type PastRefused struct {
	Line         int
	Text, Reason string
}

// maxPastRefused is how many refused lines of a file are kept with their reasons; all are counted.
const maxPastRefused = 1000

// PastPart is a part of a file: orders that are taken in together with how far the file has been read.
type PastPart struct {
	Orders   []PastRow
	Refused  []PastRefused
	Lines    int
	Count    int // of refused lines
	Refunds  int
	Refunded decimal.Decimal
	Bytes    int64
	Line     int
}

// AddPart keeps the next part of a file in one transaction, which also says how far the file has been read. An order
// whose number is there already is kept as it is: where it is the same it is counted as repeated, else it is refused.
func (p *Past) AddPart(ctx context.Context, f *PastFile, part *PastPart) error {
	tx, err := p.sql.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	insert, err := tx.PrepareContext(ctx, insertPast)
	if err != nil {
		return err
	}
	next := *f
	for i := range part.Orders {
		o := &part.Orders[i]
		res, err := insert.ExecContext(
			ctx,
			f.ID,
			o.Number,
			o.At,
			o.Day,
			o.Country,
			o.Region,
			o.City,
			o.Postcode,
			o.Buyer,
			o.Coupons,
			o.Method,
			o.Paid,
			o.Cost,
			o.Tracking,
			o.Lines,
		)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil {
			return err
		} else if n == 1 {
			next.Orders++
			continue
		}
		same, err := sameOrder(ctx, tx, o)
		if err != nil {
			return err
		}
		if same {
			next.Repeated++
			continue
		}
		part.Refused = append(part.Refused, PastRefused{o.Line, o.Number,
			"order " + o.Number + " is there already and says something else: it was kept as it was"})
		part.Count++
	}
	next.Lines, next.Refused, next.Refunds = next.Lines+part.Lines, next.Refused+part.Count, next.Refunds+part.Refunds
	next.Refunded, next.Taken, next.Line = next.Refunded.Add(part.Refunded), part.Bytes, part.Line
	for i := range part.Refused {
		if r := &part.Refused[i]; f.Refused+i < maxPastRefused {
			if _, err := tx.ExecContext(ctx,
				"INSERT INTO refused (file, line, text, reason) VALUES (?, ?, ?, ?)", f.ID, r.Line,
				r.Text, r.Reason); err != nil {
				return err
			}
		}
	}
	if _, err := tx.ExecContext(ctx,
		"UPDATE file SET taken = ?, line = ?, lines = ?, orders = ?, repeated = ?, refused = ?, "+
			"refunds = ?, refunded = ? WHERE id = ?", next.Taken, next.Line, next.Lines, next.Orders, next.Repeated,
		next.Refused,
		next.Refunds, next.Refunded.String(), f.ID); err != nil {
		return err
	}
	if err := tx.Commit(); err != nil {
		return err
	}
	*f = next
	return nil
}

// sameOrder says whether the order that has a number is the same as another.
func sameOrder(ctx context.Context, tx *sql.Tx, o *PastRow) (bool, error) {
	var lines, day, country, postcode, method string
	var paid, cost sql.NullString
	err := tx.QueryRowContext(ctx,
		"SELECT lines, day, country, postcode, method, paid, cost FROM past_order WHERE number = ?",
		o.Number).
		Scan(&lines, &day, &country, &postcode, &method, &paid, &cost)
	return lines == o.Lines && day == o.Day && country == o.Country && postcode == o.Postcode && method == o.Method &&
		paid == o.Paid && (cost == o.Cost || !o.Cost.Valid), err
}

// RefusedOf gives the first lines of a file that were refused.
func (p *Past) RefusedOf(ctx context.Context, file int64, most int) (list []PastRefused, err error) {
	rows, err := p.sql.QueryContext(
		ctx,
		"SELECT line, text, reason FROM refused WHERE file = ? ORDER BY line LIMIT ?",
		file,
		most,
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var r PastRefused
		if err := rows.Scan(&r.Line, &r.Text, &r.Reason); err != nil {
			return nil, err
		}
		list = append(list, r)
	}
	return list, rows.Err()
}
