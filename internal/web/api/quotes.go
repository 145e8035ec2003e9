package api

import (
	"bytes"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/fault"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/spoken"
	"diadrom/internal/shop/held"

	"github.com/gin-gonic/gin"
)

// quotes answers one request, or a list of them: in place of an answer stands the problem of a request that has none.
func (a *API) quotes(c *gin.Context) {
	a.answer(c, func(q *asked, items []quote.Item, many bool) {
		if many {
			a.list(c, q, items, false)
			return
		}
		answer, p := a.quote(q, q.engine, &items[0])
		if p != nil {
			tell(c, *p)
			return
		}
		if answer.Language != "" {
			c.Header("Content-Language", answer.Language)
		}
		out := buffers.Get().(*bytes.Buffer)
		defer giveBackBuffer(out)
		write(out, answer)
		if q.end(); q.who.buyers() && out.Len() > PageAnswer {
			tell(c, *tooLong())
			return
		}
		q.write(c, http.StatusOK, out)
	})
}

// batch answers a list of requests, each with its status.
func (a *API) batch(c *gin.Context) {
	a.answer(c, func(q *asked, items []quote.Item, many bool) {
		if !many {
			problem(c, Malformed, "the request is not of the form that the API takes",
				fault.List{{Code: fault.Type, Message: "a batch is a list of requests"}})
			return
		}
		a.list(c, q, items, true)
	})
}

// answer reads what is asked, in its turn and within what the asker may ask for, and has it answered. Its turn ends
// before the answer is written: whoever reads slowly has nobody wait.
func (a *API) answer(c *gin.Context, say func(q *asked, items []quote.Item, many bool)) {
	q, ok := a.engine(c)
	if !ok {
		return
	}
	if !sentJSON(c, "a request") {
		return
	}
	limits, end := a.begin(c, &q.who)
	if end == nil {
		return
	}
	defer end()
	q.limits = limits
	most := int64(MaxBody)
	if q.who.buyers() {
		most = PageBody
	}
	raw, packed := buffers.Get().(*bytes.Buffer), buffers.Get().(*bytes.Buffer) // what is read of them keeps nothing of them
	defer giveBackBuffer(raw)
	defer giveBackBuffer(packed)
	body, ok := receive(c, raw, most)
	if !ok {
		return
	}
	in := raw
	if body.z != nil {
		in = packed
	}
	q.end = func() {}
	defer func() { q.end() }()
	done, err := body.unpack(in, smallBody)
	if !read(c, err, most) {
		return
	}
	large := !done || in.Len() > smallBody
	if large {
		size := in.Len()
		if !done {
			size = int(most)
		}
		if !a.turn(c, &q, size, 0) {
			return
		}
		if done, err = body.unpack(in, most); !read(c, err, most) {
			return
		}
		if !done {
			tooLarge(c, most)
			return
		}
	}
	bounds := readLimits
	if bounds.Now = time.Now(); q.who.buyers() {
		bounds.At, bounds.Lines = bounds.Now, PageLines
	}
	items, many, faults := q.engine.ReadItems(in.Bytes(), bounds)
	if len(faults) > 0 {
		p := faulty(faults)
		if len(items) >= MaxRequests {
			p = TooLarge.Details(fmt.Sprintf("a list has at most %d requests", MaxRequests), faults)
		}
		tell(c, p)
		return
	}
	if !count(c, limits, max(1, len(items))) || !large && !a.turn(c, &q, in.Len(), weigh(items)) {
		return
	}
	if q.who.buyers() {
		for i := range items {
			if len(items[i].Faults) > 0 {
				continue // it is not looked at
			}
			items[i].Coupons = a.coupons.known(&q, c.GetHeader("Origin"), items[i].Coupons)
		}
	}
	q.language = spoken.Accepted(c.GetHeader("Accept-Language"))
	if q.edition != nil {
		c.Header("Diadrom-Edition", strconv.FormatInt(q.edition.Number, 10))
	}
	say(&q, items, many)
}

// write writes an answer, which counts as waiting to be read meanwhile.
func (q *asked) write(c *gin.Context, status int, out *bytes.Buffer) {
	for _, k := range q.limits {
		k.writing.Add(int64(out.Len()))
		defer k.writing.Add(-int64(out.Len()))
	}
	sendWritten(c, status, out)
}

// turn waits for the turn of a request, which q.end ends; false where that took too long, which has been answered then.
func (a *API) turn(c *gin.Context, q *asked, size, lines int) bool {
	end := a.entered(c, &q.who, size, lines)
	if end == nil {
		return false
	}
	q.end = end
	return !unread(c, q.limits) // others of the same asker may have been answered meanwhile
}

// weigh is how many lines requests are as work: each line, and units, which take room in boxes, as part of one.
func weigh(items []quote.Item) (lines int) {
	for i := range items {
		units := int64(0)
		for j := range items[i].Lines {
			units += min(items[i].Lines[j].Quantity, maxUnits)
		}
		if lines += len(items[i].Lines) + int(units/unitsALine); items[i].Parcels {
			lines += int(units / parcelUnitsALine)
		}
	}
	return lines
}

// How many units count as a line, of a request that asks for its parcels and of others, and how many are counted.
const (
	unitsALine       = 100
	parcelUnitsALine = 4
	maxUnits         = 1 << 20
)

// tooLong is the problem of an answer that a page is not given.
func tooLong() *ProblemDetails {
	p := TooLarge.Details(fmt.Sprintf("the answer has more than %d kB, which pages are not given: ask for fewer lines, or "+
		"without parcels", PageAnswer>>10), nil)
	return &p
}

// refusal says why somebody may not ask what a request asks; nil where they may.
func (q *asked) refusal(item *quote.Item) *ProblemDetails {
	forbidden := func(p *Problem, why string) *ProblemDetails {
		d := p.Details(why, nil)
		return &d
	}
	switch {
	case len(item.Faults) > 0:
		p := faulty(item.Faults)
		return &p
	case item.Costs && !q.who.May(auth.Costs):
		return forbidden(NoRight, "what sending costs the shop is for its people, and for keys that were made with that right")
	case q.who.buyers() && (item.Customer != "" || item.Group != ""):
		return forbidden(ServersOnly, "customers and groups have charges of their own: only the shop's server says who a buyer is, "+
			"with a key for servers")
	case item.Hold > 0 && q.edition == nil:
		return forbidden(Invalid, "a quote from the draft cannot be held: only what is live is promised to buyers")
	}
	return nil
}

// quote answers a request, or says why it is not answered.
func (a *API) quote(q *asked, engine *quote.Engine, item *quote.Item) (*quote.Answer, *ProblemDetails) {
	if p := q.refusal(item); p != nil {
		if a.Count != nil {
			a.Count.Faulty()
		}
		return nil, p
	}
	begun := time.Now()
	if item.Language == "" {
		item.Language = q.language
	}
	answer := engine.Quote(&item.Request)
	spoken.Answer(engine, &item.Request, answer)
	if item.Hold > 0 {
		kept, err := a.Holds().Hold(held.Edition{Number: q.edition.Number, Hash: q.edition.Hash}, item.Sent, answer,
			item.Hold)
		if err != nil {
			a.Log.Error("a quote was not held", "error", err)
			p := Internal.Details("quotes cannot be held at the moment: the log of the server says why", nil)
			return nil, &p
		}
		answer.Held = kept
	}
	if a.Count != nil {
		a.Count.Quoted(answer, time.Since(begun))
	}
	if q.who.buyers() {
		forBuyers(answer)
	}
	return answer, nil
}

// forBuyers leaves in an answer what a buyer may see. Whoever holds a publishable key may be anybody.
func forBuyers(a *quote.Answer) {
	a.Zones, a.Warnings = []quote.Zone{}, []quote.Warning{}
	told := []quote.Refused{}
	for _, r := range a.Refused {
		if r.Text != "" {
			told = append(told, quote.Refused{Method: r.Method, Code: r.Code, Text: r.Text})
		}
	}
	a.Refused = told
	for i := range a.Options {
		a.Options[i].Steps, a.Options[i].Zone = []quote.Step{}, ""
	}
}

// batchItem is the answer to a request of a batch, with the status that it would have by itself.
type batchItem struct {
	Status  int             `json:"status"`
	Answer  *quote.Answer   `json:"answer,omitempty"`
	Problem *ProblemDetails `json:"problem,omitempty"`
}

// list answers a list of requests. Where a request cannot be answered the status is 207, as far as that is known before the first is.
func (a *API) list(c *gin.Context, q *asked, items []quote.Item, wrapped bool) {
	status, sound := http.StatusOK, make([]quote.Request, 0, len(items))
	for i := range items {
		if q.refusal(&items[i]) != nil {
			status = http.StatusMultiStatus
			continue
		}
		sound = append(sound, items[i].Request)
	}
	engine := q.engine.AheadOf(sound)
	out := buffers.Get().(*bytes.Buffer)
	defer giveBackBuffer(out)
	most := MaxAnswers
	if q.who.buyers() {
		most = PageAnswer
	}
	out.WriteByte('[')
	for i := range items {
		if c.Request.Context().Err() != nil {
			return // nobody waits for it any more
		}
		if i > 0 {
			out.WriteByte(',')
		}
		var v any
		answer, p := (*quote.Answer)(nil), tooMuch(out.Len(), most)
		if p == nil {
			answer, p = a.quote(q, engine, &items[i])
		}
		switch {
		case wrapped && p != nil:
			v = batchItem{Status: p.Status, Problem: p}
		case wrapped:
			v = batchItem{Status: http.StatusOK, Answer: answer}
		case p != nil:
			v = p
		default:
			v = answer
		}
		write(out, v)
	}
	q.end()
	if q.who.buyers() && out.Len() > PageAnswer {
		tell(c, *tooLong())
		return
	}
	out.WriteString("]\n")
	q.write(c, status, out)
}

// tooMuch is the problem of a request whose answer would make those of a list longer than they may be.
func tooMuch(written, most int) *ProblemDetails {
	if written < most {
		return nil
	}
	p := TooLarge.Details(fmt.Sprintf("the answers before this one have %d kB together: ask for it again by itself", most>>10), nil)
	return &p
}
