package sqlite

import (
	"context"
	"database/sql"
	"errors"

	"diadrom/internal/core/decimal"
)

// leastZeros is from how many orders of a month on it is told that all of them cost 0.
const leastZeros = 5

// ZeroMonths are the months, such as 2026-03, in which every order that has a cost cost 0: a carrier's bill was not
// there yet, or was exported as 0.
func (p *Past) ZeroMonths(ctx context.Context) (months []string, err error) {
	rows, err := p.sql.QueryContext(
		ctx,
		"SELECT substr(day, 1, 7) AS month FROM past_order WHERE cost IS NOT NULL AND day <> '' "+
			"GROUP BY month HAVING count(*) >= ? AND sum(cost <> '0') = 0 ORDER BY month",
		leastZeros,
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var month string
		if err := rows.Scan(&month); err != nil {
			return nil, err
		}
		months = append(months, month)
	}
	return months, rows.Err()
}

// ForgetZeros has the costs of 0 of a month count as not known.
func (p *Past) ForgetZeros(ctx context.Context, month string) error {
	_, err := p.sql.ExecContext(
		ctx,
		"UPDATE past_order SET cost = NULL WHERE cost = '0' AND day >= ? AND day < ?",
		month,
		month+"~",
	)
	return err
}

// Invoice is what a carrier billed for an order, by its number or that of its parcel.
type Invoice struct {
	Order, Tracking string
	Cost            decimal.Decimal
	Line            int
}

// Invoiced is what became of a carrier's invoices.
type Invoiced struct {
	Matched, Changed int
	Unknown          []Invoice // of no order that is there
}

// AddInvoices gives orders what carriers billed: the sum of what an order's lines say. An order that had another cost
// gets the new one, which is counted.
func (p *Past) AddInvoices(ctx context.Context, list []Invoice) (out Invoiced, err error) {
	tx, err := p.sql.BeginTx(ctx, nil)
	if err != nil {
		return out, err
	}
	defer tx.Rollback()
	sums, had := map[int64]decimal.Decimal{}, map[int64]string{}
	for i := range list {
		var id int64
		var cost sql.NullString
		err := sql.ErrNoRows
		if list[i].Order != "" {
			err = tx.QueryRowContext(ctx, "SELECT id, cost FROM past_order WHERE number = ?", list[i].Order).
				Scan(&id, &cost)
		}
		if errors.Is(err, sql.ErrNoRows) && list[i].Tracking != "" {
			err = tx.QueryRowContext(ctx, "SELECT id, cost FROM past_order WHERE tracking = ?", list[i].Tracking).
				Scan(&id, &cost)
		}
		if errors.Is(err, sql.ErrNoRows) {
			out.Unknown = append(out.Unknown, list[i])
			continue
		}
		if err != nil {
			return out, err
		}
		sums[id], had[id] = sums[id].Add(list[i].Cost), cost.String
		out.Matched++
	}
	for id, sum := range sums {
		if was := had[id]; was != "" && was != sum.String() {
			out.Changed++
		}
		if _, err := tx.ExecContext(ctx, "UPDATE past_order SET cost = ? WHERE id = ?", sum.String(), id); err != nil {
			return out, err
		}
	}
	return out, tx.Commit()
}
