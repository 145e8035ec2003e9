// Package terms reads and writes the terms of a delivery method as a shop owner would say them:
//
//	days      2 to 4 working days, 3 days, within 1 working day, the same day
//	free      from 120.00 or from 3 items or with coupon LÖYLY; with "and" all of them are asked for
//	handling  1.00, 5 %, 1.00 + 5 % of goods
//	bounds    up to 15 kg, from 5 kg, 5 to 30 kg; a number alone is "up to"
//
// Numbers take a decimal point or comma; the unit or the currency may stand beside them or not. Each Format
// writes the one form that its Parse reads back as the same.
package terms

import (
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/store"
)

var days = regexp.MustCompile(
	`^(?:(within|up to)\s+)?([0-9]{1,3})(?:\s*(?:to|-|–)\s*([0-9]{1,3}))?\s*` +
		`(working days?|business days?|weekdays?|calendar days?|days?)?$`,
)

// ParseDays reads how long delivery takes; "" is not said. Days are working days unless they are said to be others.
func ParseDays(text string) (*store.Days, error) {
	text = strings.ToLower(strings.Join(strings.Fields(text), " "))
	switch text {
	case "":
		return nil, nil
	case "same day", "the same day", "today":
		return &store.Days{}, nil
	}
	m := days.FindStringSubmatch(text)
	if m == nil {
		return nil, errors.New("write it as 2 to 4 working days, 3 days, or the same day")
	}
	d := &store.Days{
		Business: m[4] == "" || strings.HasPrefix(m[4], "working") || strings.HasPrefix(m[4], "business") ||
			strings.HasPrefix(m[4], "week"),
	}
	d.Min, _ = strconv.ParseInt(m[2], 10, 64)
	d.Max = d.Min
	if m[3] != "" {
		d.Max, _ = strconv.ParseInt(m[3], 10, 64)
	}
	if m[1] != "" {
		d.Min = 0
	}
	if d.Max < d.Min {
		return nil, fmt.Errorf("%d to %d runs backwards: %d to %d?", d.Min, d.Max, d.Max, d.Min)
	}
	if d.Max == 0 {
		return &store.Days{}, nil
	}
	return d, nil
}

// FormatDays writes it.
func FormatDays(d *store.Days) string {
	if d == nil {
		return ""
	}
	unit := " days"
	if d.Business {
		unit = " working days"
	}
	if d.Max == 1 {
		unit = strings.TrimSuffix(unit, "s")
	}
	switch {
	case d.Max == 0:
		return "the same day"
	case d.Min == 0:
		return "within " + strconv.FormatInt(d.Max, 10) + unit
	case d.Min == d.Max:
		return strconv.FormatInt(d.Max, 10) + unit
	}
	return strconv.FormatInt(d.Min, 10) + " to " + strconv.FormatInt(d.Max, 10) + unit
}

// ParseMoney reads an amount; "" is none.
func ParseMoney(text string, w charge.Words) (*decimal.Decimal, error) {
	if strings.TrimSpace(text) == "" {
		return nil, nil
	}
	d, err := measure.Number(text, w.Currency)
	if err != nil {
		return nil, fmt.Errorf("%w: write an amount such as 8.00", err)
	}
	return &d, nil
}

// FormatMoney writes it.
func FormatMoney(d *decimal.Decimal, w charge.Words) string {
	if d == nil {
		return ""
	}
	return w.Money(*d)
}

var joints = regexp.MustCompile(`(?i)\s+(or|and)\s+((?:from|with)\b|(?:over|above)\s+\S)`)

var itemsEnd = regexp.MustCompile(`(?i)^([0-9]+)\s*(?:items?|goods|pieces?)$`)

// ParseFree reads from what on delivery is free; "" and "no" are never.
func ParseFree(text string, w charge.Words) (*store.Free, error) {
	text = strings.Join(strings.Fields(text), " ")
	if text == "" || strings.EqualFold(text, "no") || strings.EqualFold(text, "never") {
		return nil, nil
	}
	f := &store.Free{}
	text = quotes.ReplaceAllStringFunc(text, func(q string) string { return strings.ReplaceAll(q, " ", hiddenSpace) })
	text, period, err := forAWhile(text)
	if err != nil {
		return nil, err
	}
	f.Available = period
	parts, require, err := jointed(text)
	if err != nil {
		return nil, err
	}
	f.Require = require
	for _, part := range parts {
		if err := freePart(f, part, w); err != nil {
			return nil, err
		}
	}
	return f, nil
}

// forAWhile takes the period off a text: "from 75.00 during 1 December 2026 to 24 December 2026", "… until 24
// December 2026", "… starting 1 December 2026".
func forAWhile(text string) (rest string, p *calendar.Period, err error) {
	lower := strings.ToLower(text)
	for _, form := range [][2]string{{" during ", ""}, {" starting ", "from "}, {" until ", "until "}} {
		if i := strings.LastIndex(lower, form[0]); i >= 0 {
			p, err = calendar.ParsePeriod(form[1] + text[i+len(form[0]):])
			return text[:i], p, err
		}
	}
	return text, nil, nil
}

// whileText writes a period behind a rule of free delivery.
func whileText(p *calendar.Period) string {
	switch text := p.String(); {
	case text == "":
		return ""
	case p.From == "":
		return " " + text
	case p.To == "":
		return " starting" + strings.TrimPrefix(text, "from")
	default:
		return " during " + text
	}
}

// begins is where a condition of free delivery begins behind another.
var begins = regexp.MustCompile(`(?i)\s(?:from|with coupons?|over|above|at least)\s+\S`)

// bareBefore are the last words before a condition that are part of it, or join it to the one before.
var bareBefore = regexp.MustCompile(`(?i)(?:^|\s)(?:or|and|orders|with)$`)

// joined puts "and" between conditions that stand behind one another without a word: "with coupon GIFT from 50" asks for
// both.
func joined(text string) string {
	var b strings.Builder
	last := 0
	for _, at := range begins.FindAllStringIndex(text, -1) {
		if before := strings.TrimSpace(text[:at[0]]); before == "" || bareBefore.MatchString(before) {
			continue
		}
		b.WriteString(text[last:at[0]] + " and")
		last = at[0]
	}
	return b.String() + text[last:]
}

// hiddenSpace stands for a space in quotation marks, which parts no words.
const hiddenSpace = "\x00"

var quotes = regexp.MustCompile(`"[^"]*"|“[^”]*”|„[^“”]*[“”]`)

// coupon is one of a list of coupons: a code without spaces, or one in quotation marks.
var coupon = regexp.MustCompile(`^\s*(?:"([^"]*)"|“([^”]*)”|„([^“”]*)[“”]|([^\s,"“„]+))\s*(?:,|$)`)

// couponsIn reads a list of coupons.
func couponsIn(text string) (list []string, err error) {
	for text = strings.Trim(text, " ,"); text != ""; {
		m := coupon.FindStringSubmatch(text)
		if m == nil {
			return nil, errors.New(`a coupon with a space stands in quotation marks: with coupon "SUMMER 26"`)
		}
		if code := strings.TrimSpace(strings.ReplaceAll(m[1]+m[2]+m[3]+m[4], hiddenSpace, " ")); code != "" {
			list = append(list, code)
		}
		text = strings.Trim(text[len(m[0]):], " ,")
	}
	return list, nil
}

// couponText is a coupon as [ParseFree] reads it.
func couponText(code string) string {
	switch {
	case strings.Contains(code, `"`):
		return "“" + code + "”"
	case strings.ContainsAny(code, " ,“„\u00a0"):
		return `"` + code + `"`
	}
	return code
}

// jointed cuts a text at its "and"s or "or"s, of which it has one kind.
func jointed(text string) (parts []string, require store.Require, err error) {
	all, any, rest := false, false, joined(text)
	for {
		m := joints.FindStringSubmatchIndex(rest)
		if m == nil {
			break
		}
		all = all || strings.EqualFold(rest[m[2]:m[3]], "and")
		any = any || strings.EqualFold(rest[m[2]:m[3]], "or")
		parts, rest = append(parts, rest[:m[0]]), rest[m[4]:]
	}
	parts = append(parts, rest)
	switch {
	case all && any:
		return nil, "", errors.New("say either all of them, with and, or any of them, with or")
	case all:
		return parts, store.RequireAll, nil
	}
	return parts, store.RequireAny, nil
}

// freePart reads one condition of free delivery: a sum, a number of items, or coupons.
func freePart(f *store.Free, part string, w charge.Words) error {
	errForm := errors.New("write it as from 120.00, from 3 items or with coupon NAME")
	lower := strings.ToLower(part)
	if strings.HasPrefix(lower, "with coupon ") || strings.HasPrefix(lower, "with coupons ") {
		list := part[len("with coupon"):]
		if lower[len("with coupon")] == 's' {
			list = list[1:]
		}
		coupons, err := couponsIn(list)
		if err != nil {
			return err
		}
		f.Coupons = append(f.Coupons, coupons...)
		if len(f.Coupons) == 0 {
			return errForm
		}
		return nil
	}
	bare := lower
	for _, word := range []string{"for orders ", "orders ", "from ", "over ", "above ", "at least "} {
		bare = strings.TrimSpace(strings.TrimPrefix(bare, word))
	}
	for _, word := range []string{" and over", " and above", " and more", " or more"} {
		bare = strings.TrimSuffix(bare, word)
	}
	bare = strings.TrimSpace(strings.Trim(bare, "€$£"))
	if m := itemsEnd.FindStringSubmatch(bare); m != nil {
		n, err := strconv.ParseInt(m[1], 10, 64)
		if strings.HasPrefix(lower, "over") || strings.HasPrefix(lower, "above") {
			return fmt.Errorf("write from %d items, or from %d items where %[1]d are not enough", n, n+1)
		}
		if err != nil || f.Quantity != nil {
			return errForm
		}
		f.Quantity = &n
		return nil
	}
	d, err := measure.Number(bare, strings.ToLower(w.Currency))
	if err != nil || f.Subtotal != nil {
		return errForm
	}
	f.Subtotal = &d
	return nil
}

// FormatFree writes it.
func FormatFree(f *store.Free, w charge.Words) string {
	if f == nil {
		return ""
	}
	var parts []string
	if f.Subtotal != nil {
		parts = append(parts, "from "+w.Money(*f.Subtotal))
	}
	if f.Quantity != nil {
		n := strconv.FormatInt(*f.Quantity, 10) + " items"
		if *f.Quantity == 1 {
			n = "1 item"
		}
		parts = append(parts, "from "+n)
	}
	if len(f.Coupons) > 0 {
		written := make([]string, len(f.Coupons))
		for i, code := range f.Coupons {
			written[i] = couponText(code)
		}
		parts = append(parts, "with coupon "+strings.Join(written, ", "))
	}
	if f.Require == store.RequireAll {
		return strings.Join(parts, " and ") + whileText(f.Available)
	}
	return strings.Join(parts, " or ") + whileText(f.Available)
}

// ParseHandling reads a handling fee; "" is none.
func ParseHandling(text string, w charge.Words) (*store.Handling, error) {
	text = strings.TrimSpace(text)
	if text == "" || strings.EqualFold(text, "no") {
		return nil, nil
	}
	h := &store.Handling{Of: store.OfCharge}
	for _, part := range strings.Split(text, "+") {
		sum, of, isPercent := strings.Cut(part, "%")
		d, err := measure.Number(sum, w.Currency)
		of = strings.ToLower(strings.Join(strings.Fields(of), " "))
		switch {
		case err != nil || isPercent && h.Percent != nil || !isPercent && h.Amount != nil:
			return nil, errors.New("write it as 1.00, 5 % or 1.00 + 5 % of goods")
		case !isPercent:
			h.Amount = &d
		default:
			h.Percent = &d
			switch of {
			case "", "of charge", "of the charge":
			case "of goods", "of the goods":
				h.Of = store.OfSubtotal
			default:
				return nil, errors.New("a percentage is of the charge or of the goods: 5 %, or 5 % of goods")
			}
		}
	}
	return h, nil
}

// FormatHandling writes it.
func FormatHandling(h *store.Handling, w charge.Words) string {
	if h == nil {
		return ""
	}
	var parts []string
	if h.Amount != nil {
		parts = append(parts, w.Money(*h.Amount))
	}
	if h.Percent != nil {
		percent := h.Percent.String() + " %"
		if h.Of == store.OfSubtotal {
			percent += " of goods"
		}
		parts = append(parts, percent)
	}
	return strings.Join(parts, " + ")
}

var between = regexp.MustCompile(`(?i)^(?:from|between)?\s*(.+?)\s*(?:to|and|-|–)\s*(.+)$`)

// ParseBounds reads the bounds of a measure in a unit; "" is none.
func ParseBounds(text, unit string) (*store.Bounds, error) {
	text = strings.Join(strings.Fields(text), " ")
	lower := strings.ToLower(text)
	if text == "" || lower == "any" {
		return nil, nil
	}
	b := &store.Bounds{}
	set := func(into **decimal.Decimal, part string) error {
		d, err := measure.Number(strings.TrimSuffix(part, " and over"), unit)
		if err == nil {
			*into = &d
		}
		return err
	}
	var err error
	switch {
	case strings.HasPrefix(lower, "up to"):
		err = set(&b.To, text[len("up to"):])
	case strings.HasSuffix(lower, " and over"):
		err = set(&b.From, strings.TrimPrefix(lower, "from "))
	case between.MatchString(text):
		m := between.FindStringSubmatch(text)
		err = errors.Join(set(&b.From, m[1]), set(&b.To, m[2]))
	case strings.HasPrefix(lower, "from"):
		err = set(&b.From, text[len("from"):])
	default:
		err = set(&b.To, text)
	}
	if err != nil {
		return nil, fmt.Errorf("write it as up to 15, from 5, or 5 to 15 %s", unit)
	}
	if b.From != nil && b.To != nil && b.To.Less(*b.From) {
		return nil, fmt.Errorf("%s to %s runs backwards: %s to %s?", b.From, b.To, b.To, b.From)
	}
	return b, nil
}

// FormatBounds writes them; write is how a value is written with its unit.
func FormatBounds(b *store.Bounds, write func(decimal.Decimal) string) string {
	switch {
	case b == nil:
		return ""
	case b.From == nil && b.To != nil:
		return "up to " + write(*b.To)
	case b.To == nil && b.From != nil:
		return "from " + write(*b.From)
	case b.From != nil:
		return write(*b.From) + " to " + write(*b.To)
	}
	return ""
}

// ParseList reads names parted by commas, each once.
func ParseList(text string) (list []string) {
	for part := range strings.SplitSeq(text, ",") {
		part = strings.Join(strings.Fields(part), " ")
		dup := false
		for _, have := range list {
			dup = dup || strings.EqualFold(have, part)
		}
		if part != "" && !dup {
			list = append(list, part)
		}
	}
	return list
}
