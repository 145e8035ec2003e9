// Package charge reads and writes charges as a shop owner would say them.
//
// The grammar, in which amount is money, n a measure, and unit the store's unit of weight or distance:
//
//	charge   = "no" | "free" | term { ( "+" | "," ) term }
//	term     = amount                                               a fixed sum
//	         | amount "per" "item"                                  for each item
//	         | amount "first" "item"                                for the first item
//	         | amount ( "each" "next" | "per" "next" "item" )       for each further item
//	         | amount "per" [ "started" ] [ n ] unit [ "above" n ]  by weight or distance
//	         | n "%" [ "of" "goods" ]                               of the goods' subtotal
//
// "no" means not offered, "free" a charge of 0. Terms may stand in any order, each kind once. Numbers take a
// decimal point or a decimal comma; a comma is a decimal one where digits stand on both sides of it without a
// space, and it is refused where three digits behind it may be thousands (1,200). The currency's code or sign
// may stand beside an amount; that of another is refused. Case and extra spaces do not matter.
//
// [Format] writes the one canonical form, which [Parse] reads back as the same charge:
//
//	6.90
//	3.00 + 1.00 per item
//	4.00 first item, 1.50 each next
//	9.90 + 0.80 per started kg above 10
//	5 % of goods
package charge

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/world"
)

// Words are what charges of a store are written in.
type Words struct {
	rate.Units
	Currency string // ISO 4217 code
}

// Error is a slip in a charge: where it stands, what is wrong and, where it can be told, what would be right.
type Error struct {
	Text     string
	From, To int // bytes of Text
	Problem  string
	Instead  string
}

// Error says what is wrong.
func (e *Error) Error() string {
	if e.Instead != "" {
		return e.Problem + ": " + e.Instead + "?"
	}
	return e.Problem
}

// Parse reads a charge; nil means not offered. Its errors are of type [*Error].
func Parse(text string, w Words) (*rate.Charge, error) {
	p := parser{text: text, words: w, tokens: scan(text, w.Currency)}
	c, err := p.charge()
	if err != nil {
		return nil, err
	}
	return c, nil
}

type tokenKind uint8

const (
	number tokenKind = iota
	word
	sign // + , %
	end
)

type token struct {
	kind     tokenKind
	text     string // numbers with a point, words in small letters
	from, to int
}

func (t token) is(text string) bool { return t.kind != number && t.text == text }

// scan cuts text into tokens; currency codes and signs are passed over.
func scan(text, currency string) []token {
	var tokens []token
	for i := 0; i < len(text); {
		r, size := utf8.DecodeRuneInString(text[i:])
		from := i
		switch {
		case unicode.IsSpace(r) || unicode.Is(unicode.Sc, r) && world.NamesCurrency(string(r), currency):
			i += size
		case r >= '0' && r <= '9' || r == '.' || r == '-':
			i = numberEnd(text, i)
			tokens = append(tokens, token{number, strings.Replace(text[from:i], ",", ".", 1), from, i})
		case unicode.IsLetter(r):
			for i < len(text) {
				r, size := utf8.DecodeRuneInString(text[i:])
				if !unicode.IsLetter(r) {
					break
				}
				i += size
			}
			if !strings.EqualFold(text[from:i], currency) {
				tokens = append(tokens, token{word, strings.ToLower(text[from:i]), from, i})
			}
		default:
			i += size
			tokens = append(tokens, token{sign, text[from:i], from, i})
		}
	}
	return append(tokens, token{end, "", len(text), len(text)})
}

// numberEnd is where a number ends that begins at i: digits, with points and commas that have a digit behind them.
func numberEnd(text string, i int) int {
	i++
	for i < len(text) {
		c := text[i]
		isMark := (c == '.' || c == ',') && i+1 < len(text) && text[i+1] >= '0' && text[i+1] <= '9'
		if !isMark && (c < '0' || c > '9') {
			break
		}
		i++
	}
	return i
}

type parser struct {
	text   string
	words  Words
	tokens []token
	at     int
}

func (p *parser) peek() token { return p.tokens[p.at] }

func (p *parser) take() token {
	t := p.tokens[p.at]
	if t.kind != end {
		p.at++
	}
	return t
}

func (p *parser) accept(words ...string) bool {
	for i, w := range words {
		if p.at+i >= len(p.tokens) || !p.tokens[p.at+i].is(w) {
			return false
		}
	}
	p.at += len(words)
	return true
}

func (p *parser) fail(t token, problem, instead string) error {
	return &Error{p.text, t.from, t.to, problem, instead}
}

func (p *parser) charge() (*rate.Charge, error) {
	first := p.peek()
	switch {
	case first.kind == end:
		return nil, p.fail(first, "an empty cell says nothing: write a price such as 6.90, free, or no", "")
	case p.accept("no"), p.accept("free"):
		if rest := p.peek(); rest.kind != end {
			return nil, p.fail(rest, "nothing can stand behind "+first.text, first.text)
		}
		if first.text == "no" {
			return nil, nil
		}
		zero := decimal.Zero
		return &rate.Charge{Base: &zero}, nil
	}
	c := &rate.Charge{}
	for {
		if err := p.term(c); err != nil {
			return nil, err
		}
		t := p.peek()
		if t.kind == end {
			return c, nil
		}
		if !p.accept("+") && !p.accept(",") {
			if t.kind == number {
				return nil, p.fail(
					t,
					"put a + between two terms",
					strings.TrimSpace(p.text[:t.from])+" + "+p.text[t.from:],
				)
			}
			return nil, p.fail(t, fmt.Sprintf("%q does not belong here", p.text[t.from:t.to]), "")
		}
	}
}

const howToSay = "6.90, 1.00 per item, 0.80 per started kg above 10, 5 % of goods, free or no"

func (p *parser) term(c *rate.Charge) error {
	start := p.take()
	if start.kind != number {
		if start.kind == end {
			return p.fail(start, "a term is missing behind the last +", "")
		}
		if r, _ := utf8.DecodeRuneInString(start.text); unicode.Is(unicode.Sc, r) {
			return p.fail(start, start.text+" is not the currency of this shop, which is "+p.words.Currency, "")
		}
		return p.fail(
			start,
			fmt.Sprintf("%q is not how a term begins: write %s", p.text[start.from:start.to], howToSay),
			"",
		)
	}
	amount, err := p.decimal(start)
	if err != nil {
		return err
	}
	switch {
	case p.accept("%"), p.accept("percent"):
		if p.accept("of") && !p.accept("goods") && !p.accept("the", "goods") {
			return p.fail(p.peek(), "a percentage is of the goods", amount.String()+" % of goods")
		}
		return p.set(start, &c.Percent, amount, "percentage")
	case p.accept("first", "item"), p.accept("first"):
		return p.set(start, &c.FirstItem, amount, "price of the first item")
	case p.accept("each", "next", "item"),
		p.accept("each", "next"),
		p.accept("per", "next", "item"),
		p.accept("next", "item"):
		return p.set(start, &c.NextItem, amount, "price of each next item")
	case p.accept("per", "item"), p.accept("each"), p.accept("an", "item"):
		return p.set(start, &c.PerItem, amount, "price per item")
	case p.accept("per"), p.accept("a"):
		return p.perUnit(start, amount, c)
	}
	return p.set(start, &c.Base, amount, "fixed sum")
}

// decimal reads a number that is not negative.
func (p *parser) decimal(t token) (decimal.Decimal, error) {
	if strings.Count(t.text, ".")+strings.Count(t.text, ",") > 1 {
		plain := strings.NewReplacer(".", "", ",", "").Replace(t.text)
		i := strings.LastIndexAny(t.text, ".,")
		return decimal.Zero, p.fail(
			t,
			"write a number without marks between thousands",
			plain[:len(plain)-(len(t.text)-1-i)]+"."+t.text[i+1:],
		)
	}
	if whole, fraction, ok := strings.Cut(
		p.text[t.from:t.to],
		",",
	); ok && len(fraction) == 3 && len(whole) <= 3 &&
		whole != "0" {
		return decimal.Zero, p.fail(
			t,
			"a comma with three digits behind it may part thousands; write "+whole+fraction+" or "+whole+"."+fraction,
			"",
		)
	}
	if strings.HasPrefix(t.text, ".") {
		return decimal.Zero, p.fail(t, "write the 0 before the point", "0"+t.text)
	}
	d, err := decimal.Parse(t.text)
	switch {
	case err != nil:
		return decimal.Zero, p.fail(t, err.Error(), "")
	case d.Sign() < 0:
		return decimal.Zero, p.fail(t, "a charge cannot be below 0", d.Neg().String())
	}
	return d, nil
}

func (p *parser) set(t token, into **decimal.Decimal, amount decimal.Decimal, what string) error {
	if *into != nil {
		return p.fail(t, "there is already a "+what+" here; write their sum", (*into).Add(amount).String())
	}
	*into = &amount
	return nil
}

// perUnit reads what stands behind "per": [started] [n] unit [above n].
func (p *parser) perUnit(start token, amount decimal.Decimal, c *rate.Charge) error {
	u := &rate.PerUnit{Amount: amount}
	u.Started = p.accept("started")
	if p.peek().kind == number {
		t := p.take()
		every, err := p.decimal(t)
		if err != nil {
			return err
		}
		if every.IsZero() {
			return p.fail(t, "a step of 0 cannot be counted", "")
		}
		if every.Cmp(decimal.One) != 0 {
			u.Every = &every
		}
		u.Started = p.accept("started") || u.Started
	}
	unit := p.take()
	if p.accept("above") || p.accept("over") {
		if err := p.above(u, unit); err != nil {
			return err
		}
	}
	into := &c.PerWeight
	switch {
	case unit.is(p.words.Weight):
	case unit.is(p.words.Distance):
		into = &c.PerDistance
	default:
		said := p.text[unit.from:unit.to]
		if said == "" {
			return p.fail(unit, "per what? An item, a "+p.words.Weight+" or a "+p.words.Distance, "")
		}
		return p.fail(unit, fmt.Sprintf("nothing is priced per %s here: this store counts items, %s and %s",
			said, p.words.Weight, p.words.Distance), "")
	}
	if *into != nil {
		return p.fail(start, "there is already a price per "+unit.text+" here", "")
	}
	*into = u
	return nil
}

// above reads from how much on a price per unit counts: "10", or "10 kg" in its unit.
func (p *parser) above(u *rate.PerUnit, unit token) error {
	t := p.take()
	if t.kind != number {
		return p.fail(t, "say above how much", "above 10")
	}
	above, err := p.decimal(t)
	if err != nil {
		return err
	}
	if !above.IsZero() {
		u.Above = &above
	}
	if next := p.peek(); next.kind == word && next.text == unit.text {
		p.take()
	}
	return nil
}

// Format writes a charge in its canonical form; nil is "no".
func Format(c *rate.Charge, w Words) string {
	if c == nil || *c == (rate.Charge{}) {
		return "no"
	}
	if c.Base != nil && c.Base.IsZero() && *c == (rate.Charge{Base: c.Base}) {
		return "free"
	}
	var terms []string
	add := func(d *decimal.Decimal, what string) {
		if d != nil {
			terms = append(terms, w.Money(*d)+what)
		}
	}
	add(c.Base, "")
	add(c.PerItem, " per item")
	switch {
	case c.FirstItem != nil && c.NextItem != nil:
		terms = append(terms, w.Money(*c.FirstItem)+" first item, "+w.Money(*c.NextItem)+" each next")
	default:
		add(c.FirstItem, " first item")
		add(c.NextItem, " each next")
	}
	terms = appendPerUnit(terms, c.PerWeight, w.Weight, w)
	terms = appendPerUnit(terms, c.PerDistance, w.Distance, w)
	if c.Percent != nil {
		terms = append(terms, c.Percent.String()+" % of goods")
	}
	return strings.Join(terms, " + ")
}

func appendPerUnit(terms []string, u *rate.PerUnit, unit string, w Words) []string {
	if u == nil {
		return terms
	}
	s := w.Money(u.Amount) + " per "
	if u.Started {
		s += "started "
	}
	if u.Every != nil && u.Every.Cmp(decimal.One) != 0 {
		s += u.Every.String() + " "
	}
	s += unit
	if u.Above != nil && !u.Above.IsZero() {
		s += " above " + u.Above.String()
	}
	return append(terms, s)
}
