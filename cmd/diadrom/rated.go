package main

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"os"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/past"

	"github.com/parquet-go/parquet-go"
)

// ratedScale is with how many decimals sums stand in a Parquet file: those of carriers' prices per gram have up to six.
const ratedScale = 6

// ratedRow is an order as it was rated, as a Parquet file has it. Sums are decimals with [ratedScale] decimals.
type ratedRow struct {
	Order    string `parquet:"order"`
	At       string `parquet:"at"`
	Country  string `parquet:"country,dict"`
	Postcode string `parquet:"postcode"`
	Outcome  string `parquet:"outcome,dict"`
	Method   string `parquet:"method,dict"`
	Zone     string `parquet:"zone,dict"`
	Class    string `parquet:"class,dict"`
	Weight   int64  `parquet:"weight,decimal(6:18)"`
	Paid     *int64 `parquet:"paid,optional,decimal(6:18)"`
	Charge   *int64 `parquet:"charge,optional,decimal(6:18)"`
	Tax      *int64 `parquet:"tax,optional,decimal(6:18)"`
	Total    *int64 `parquet:"total,optional,decimal(6:18)"`
	Cost     *int64 `parquet:"cost,optional,decimal(6:18)"`
	Margin   *int64 `parquet:"margin,optional,decimal(6:18)"`

	AgainstOutcome *string `parquet:"against_outcome,optional,dict"`
	AgainstMethod  *string `parquet:"against_method,optional,dict"`
	AgainstTotal   *int64  `parquet:"against_total,optional,decimal(6:18)"`
	AgainstMargin  *int64  `parquet:"against_margin,optional,decimal(6:18)"`
}

// ratedHead are the columns of a CSV file of orders as they were rated.
var ratedHead = []string{"order", "at", "country", "postcode", "outcome", "method", "zone", "class", "weight", "paid",
	"charge", "tax", "total", "cost", "margin", "against_outcome", "against_method", "against_total", "against_margin"}

var outcomes = map[past.Outcome]string{past.ByItsMethod: "own", past.ByOther: "other", past.NotOffered: "not_offered",
	past.Unrated: "unrated"}

// ratedOut writes orders as they were rated to a file.
type ratedOut struct {
	file    *os.File
	buffer  *bufio.Writer
	text    *csv.Writer
	parquet *parquet.GenericWriter[ratedRow]
	rows    []ratedRow
	digits  int
}

// newRatedOut makes the file: Parquet or CSV, as its name ends.
func newRatedOut(name string, digits int) (*ratedOut, error) {
	lower := strings.ToLower(name)
	if !strings.HasSuffix(lower, ".csv") && !strings.HasSuffix(lower, ".parquet") {
		return nil, fmt.Errorf("--out: %.60s ends neither in .csv nor in .parquet", name)
	}
	file, err := os.Create(name)
	if err != nil {
		return nil, err
	}
	o := &ratedOut{file: file, buffer: bufio.NewWriterSize(file, 1<<16), digits: digits}
	if strings.HasSuffix(lower, ".parquet") {
		o.parquet = parquet.NewGenericWriter[ratedRow](o.buffer, parquet.Compression(&parquet.Zstd))
		return o, nil
	}
	o.text = csv.NewWriter(o.buffer)
	return o, o.text.Write(ratedHead)
}

// add writes an order.
func (o *ratedOut) add(order *past.Order, is, against *past.Rated) error {
	at := ""
	if !order.At.IsZero() {
		at = order.At.Format("2006-01-02T15:04:05Z07:00")
	}
	if o.text != nil {
		row := []string{
			order.ID,
			at,
			order.To.Country,
			order.To.Postcode,
			outcomes[is.Outcome],
			is.Method,
			is.Zone,
			is.Classes,
			is.Weight.String(),
			o.sum(order.Paid, order.Paid != nil),
			o.sum(&is.Charge, is.Charged()),
			o.sum(&is.Tax, is.Charged()),
			o.sum(
				&is.Total,
				is.Charged(),
			),
			o.sum(&is.Cost, is.CostKnown),
			o.sum(&is.Margin, is.CostKnown),
			"",
			"",
			"",
			"",
		}
		if against != nil {
			copy(row[15:], []string{outcomes[against.Outcome], against.Method, o.sum(&against.Total, against.Charged()),
				o.sum(&against.Margin, against.CostKnown)})
		}
		return o.text.Write(row)
	}
	row := ratedRow{Order: order.ID, At: at, Country: order.To.Country, Postcode: order.To.Postcode,
		Outcome: outcomes[is.Outcome], Method: is.Method, Zone: is.Zone, Class: is.Classes,
		Weight: *scaled(&is.Weight, true),
		Paid: scaled(
			order.Paid,
			order.Paid != nil,
		), Charge: scaled(&is.Charge, is.Charged()), Tax: scaled(&is.Tax, is.Charged()),
		Total: scaled(
			&is.Total,
			is.Charged(),
		), Cost: scaled(&is.Cost, is.CostKnown), Margin: scaled(&is.Margin, is.CostKnown)}
	if against != nil {
		outcome, method := outcomes[against.Outcome], against.Method
		row.AgainstOutcome, row.AgainstMethod = &outcome, &method
		row.AgainstTotal = scaled(&against.Total, against.Charged())
		row.AgainstMargin = scaled(&against.Margin, against.CostKnown)
	}
	if o.rows = append(o.rows, row); len(o.rows) < 4096 {
		return nil
	}
	return o.flush()
}

func (o *ratedOut) flush() error {
	_, err := o.parquet.Write(o.rows)
	o.rows = o.rows[:0]
	return err
}

// sum writes a sum; "" where it is not known.
func (o *ratedOut) sum(d *decimal.Decimal, known bool) string {
	if !known {
		return ""
	}
	return d.Fixed(o.digits)
}

// scaled is a sum as a whole number of its least part, rounded half up; nil where it is not known.
func scaled(d *decimal.Decimal, known bool) *int64 {
	if !known {
		return nil
	}
	rounded, below := d.Round(ratedScale), d.Sign() < 0
	if below {
		rounded = rounded.Neg()
	}
	n := rounded.Whole(ratedScale, false, 1<<62)
	if below {
		n = -n
	}
	return &n
}

// close ends the file.
func (o *ratedOut) close() error {
	var err error
	if o.text != nil {
		o.text.Flush()
		err = o.text.Error()
	} else {
		err = errors.Join(o.flush(), o.parquet.Close())
	}
	return errors.Join(err, o.buffer.Flush(), o.file.Close())
}
