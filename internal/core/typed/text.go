package typed

import (
	"context"
	"regexp"
	"strings"

	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
)

// Text reads places as one types or pastes them, parted by commas, semicolons, tabs or line ends:
//
//	Finland             a country by name or code (FI, FIN)
//	Lapland             a region, by its name or its ISO 3166-2 code
//	Northern Europe     a group of countries, by its name or code
//	everywhere          the world
//	Naantali            a town of the home country, or of the one country that has such a one; EE Tallinn,
//	Tallinn, Estonia    US-IL Springfield and Springfield, Illinois say where it is; "town Berlin" is no region
//	FI 22*              postcodes: a code, a beginning, a range, behind the country; the country
//	FI 96000 to 99999   holds for the codes and towns that follow it without one
//	21100 21110 21120   codes may also be parted by spaces alone
//	GB BT, GB IM1       areas and districts of Great Britain
//	within 15 km of the workshop, within 5 km of 60.45 22.27, within 5 km of Turku
//	not FI 21660        an exception
//
// The rules of one country's codes are joined into one.
func (r Reader) Text(text string) (t Text) {
	t, _ = r.TextUntil(context.Background(), text)
	return t
}

// TextUntil is Text that ends with the context's error where nobody waits for it any more.
func (r Reader) TextUntil(ctx context.Context, text string) (t Text, err error) {
	in := reading{
		Reader:  r,
		country: r.Home,
		codes:   len(digits.FindAllStringIndex(text, rowOfCodes)) == rowOfCodes,
		seen:    map[string]bool{},
	}
	s := newScanner(text)
	for {
		w, ok := s.next()
		if !ok {
			return in.text, nil
		}
		if err := ctx.Err(); err != nil {
			return Text{}, err
		}
		if rule, used := r.qualified(w.text, w.behind, in.country); used > 0 {
			if !w.except {
				in.text.Parts = append(in.text.Parts, Part{})
			}
			in.add(&w, rule, strings.Join(append([]string{w.whole}, w.behind[:used]...), ","))
			s.skip(used)
			continue
		}
		in.read(&w)
	}
}

// reading is a typed text while it is read.
type reading struct {
	Reader
	text    Text
	country string          // that holds for codes and towns without one
	codes   bool            // whether the text is a list of codes
	asked   int             // parts that were not understood
	seen    map[string]bool // what is in the rules
}

// rowOfCodes is from how many codes on a text is taken for a list of codes, in which a word that no list of
// places knows is a slip rather than a town.
const rowOfCodes = 3

var digits = regexp.MustCompile(`[0-9]+[*]?`)

// maxGuesses is for how many parts of a text names that are nearly the same are looked for.
const maxGuesses = 20

// guesses says whether names that are nearly the same are still looked for.
func (in *reading) guesses() bool { return in.asked < maxGuesses }

// read takes a part that stands for itself.
func (in *reading) read(w *word) {
	if !w.except {
		in.text.Parts = append(in.text.Parts, Part{Name: areaName(w.text)})
		defer func() {
			// It was not taken, or stood before.
			if last := len(in.text.Parts) - 1; len(in.text.Parts[last].Places) == 0 {
				in.text.Parts = in.text.Parts[:last]
			}
		}()
	}
	if together := countriesTogether(w.text); len(together) > 0 {
		for _, country := range together {
			in.take(w, place.Rule{Country: country}, w.not()+country)
		}
		return
	}
	rule, slip := in.place(w.text)
	if slip == nil {
		in.take(w, rule, w.whole)
		if rule.Country != "" {
			in.country = rule.Country
		}
		return
	}
	in.asked++
	codes, country := spacedCodes(w.text, in.country)
	if len(codes) < 2 {
		slip.Part = w.whole
		for i := range slip.Choices {
			slip.Choices[i].Text = w.not() + slip.Choices[i].Text
		}
		in.text.Slips = append(in.text.Slips, slip)
		return
	}
	in.country = country
	for _, code := range codes {
		entry, err := postcode.ParseEntry(country, code)
		if err != nil {
			part := w.not() + country + " " + code
			in.text.Slips = append(in.text.Slips, &TextError{Part: part, Reason: err.Error()})
			continue
		}
		in.take(w, place.Rule{Country: country, Postcodes: []postcode.Entry{entry}}, w.not()+country+" "+code)
	}
}

// take puts a rule in, and says where no list of places knows what it names.
func (in *reading) take(w *word, rule place.Rule, part string) {
	if len(rule.Postcodes) > 1 { // an area: it becomes its codes
		for i := range rule.Postcodes {
			one := rule
			one.Postcodes = rule.Postcodes[i : i+1 : i+1]
			in.take(w, one, part)
		}
		return
	}
	if in.unknown(&rule) {
		in.text.Unknown = append(in.text.Unknown, part)
	}
	in.add(w, rule, part)
}

// add puts a part's rule in, unless the same stood before.
func (in *reading) add(w *word, rule place.Rule, part string) {
	key := w.not() + rule.Words()[0]
	if in.seen[key] {
		in.text.Repeats = append(in.text.Repeats, part)
		return
	}
	in.seen[key] = true
	in.text.Taken++
	into := &in.text.Places
	if w.except {
		into = &in.text.Except
	} else if last := len(in.text.Parts) - 1; last >= 0 {
		p := &in.text.Parts[last]
		p.Places = place.Join(p.Places, rule)
	}
	*into = place.Join(*into, rule)
}
