package history

import (
	"context"
	"encoding/gob"
	"encoding/json"
	"errors"
	"io"

	"diadrom/internal/core/past"
	"diadrom/internal/shop/confined"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/orderlist"
)

// ordersArgs say how a file of orders is read, and how far it has been.
type ordersArgs struct {
	Choices Choices
	Taken   int64 // bytes behind the head
	Line    int
}

// Kinds are the works on files of orders that a child process does.
var Kinds = map[string]confined.Work{"orders": readOrders}

// kindLong is the kind of failure of a file with a record that is too long.
const kindLong = "long"

// ordersPart is a part of a file as it is sent: its rows, and the rest as JSON, because the sums are decimals.
type ordersPart struct {
	Orders []sqlite.PastRow
	Rest   []byte
}

// readOrders writes the parts of a file as gobs.
func readOrders(args []byte, in io.Reader, out *confined.Out) error {
	var a ordersArgs
	if err := json.Unmarshal(args, &a); err != nil {
		return err
	}
	w := gob.NewEncoder(out)
	err := orders(context.Background(), &a, in, func(part *sqlite.PastPart) error {
		rest := *part
		rest.Orders = nil
		body, err := json.Marshal(rest)
		if err != nil {
			return err
		}
		out.Progress(confined.Progress{Done: part.Bytes, What: "bytes"})
		return w.Encode(ordersPart{part.Orders, body})
	})
	if errors.Is(err, orderlist.ErrLong) {
		return &confined.Failure{Kind: kindLong, Message: err.Error()}
	}
	return err
}

// read has a child read a file of orders, and adds its parts.
func (h *History) read(ctx context.Context, a *ordersArgs, in io.Reader, add func(*sqlite.PastPart) error) error {
	err := h.files.RunLong(confined.As(ctx, "orders"), "orders", a, in, -1, func(in io.Reader) error {
		for r := gob.NewDecoder(in); ; {
			var got ordersPart
			if err := r.Decode(&got); err != nil {
				if errors.Is(err, io.EOF) {
					return nil
				}
				return err
			}
			var part sqlite.PastPart
			if err := json.Unmarshal(got.Rest, &part); err != nil {
				return err
			}
			part.Orders = got.Orders
			if err := add(&part); err != nil {
				return err
			}
		}
	})
	var failure *confined.Failure
	if errors.As(err, &failure) && failure.Kind == kindLong {
		return orderlist.ErrLong
	}
	return err
}

// orders reads a file of orders from where it was left, part by part.
func orders(ctx context.Context, a *ordersArgs, in io.Reader, add func(*sqlite.PastPart) error) error {
	_, _, rest, err := orderlist.Open(in)
	if err != nil {
		return err
	}
	if _, err := io.CopyN(io.Discard, rest, a.Taken); err != nil {
		return err
	}
	o := a.Choices.options()
	o.Skip = max(a.Line, 1)
	var part sqlite.PastPart
	return orderlist.Parts(ctx, rest, o, func(order *past.Order, line int) error {
		row := sqlite.NewPastRow(order)
		row.Line = line
		part.Orders = append(part.Orders, row)
		return nil
	}, func(p *orderlist.Part) error {
		part.Lines, part.Count, part.Refunds, part.Refunded = p.Lines, p.RefusedLines, p.Refunds, p.Refunded
		part.Bytes, part.Line = a.Taken+int64(p.Bytes), p.Line
		for _, r := range p.Refused {
			part.Refused = append(part.Refused, sqlite.PastRefused{Line: r.Line, Text: r.Text, Reason: r.Reason})
		}
		err := add(&part)
		part = sqlite.PastPart{Orders: part.Orders[:0]}
		return err
	})
}
