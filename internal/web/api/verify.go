package api

import (
	"bytes"
	"net/http"
	"slices"
	"time"

	"diadrom/internal/core/fault"
	"diadrom/internal/core/jsonread"
	"diadrom/internal/core/quote"
	"diadrom/internal/shop/held"

	"github.com/gin-gonic/gin"
	"github.com/go-json-experiment/json/jsontext"
)

// jwks answers with the public keys of held quotes (RFC 7517). A verifier asks again when it meets a key that it does
// not know, so that they may be remembered.
func (a *API) jwks(c *gin.Context) {
	c.Header("Cache-Control", "public, max-age=300")
	c.Data(http.StatusOK, "application/jwk-set+json", a.Holds().JWKS())
}

// verdict is whether a quote is held.
type verdict struct {
	Valid   bool         `json:"valid"`
	Why     held.Reason  `json:"why,omitempty"`
	Message string       `json:"message,omitempty"`
	Differs []string     `json:"differs,omitempty"`
	ID      string       `json:"id,omitempty"`
	Expires string       `json:"expires,omitempty"`
	Edition int64        `json:"edition,omitempty"`
	Option  *held.Option `json:"option,omitempty"`
}

var reasons = map[held.Reason]string{
	held.Forged:     "this token was not signed here, or is damaged",
	held.Expired:    "the quote was held until then: ask for another",
	held.Changed:    "the request or the total is not the one that was quoted",
	held.NotOffered: "this method was not offered in that quote",
	held.Differs:    "the quote is for another order: compare what differs names in the request",
}

// verify says whether what a buyer was quoted still holds.
func (a *API) verify(c *gin.Context) {
	who, ok := a.asker(c)
	switch {
	case !ok:
		return
	case who.buyers():
		problem(c, ServersOnly, "quotes are verified by the shop's server, with a key for servers: what a page "+
			"verifies, its visitor can change", nil)
		return
	case !sentJSON(c, "a request"):
		return
	}
	limits, end := a.begin(c, &who)
	if end == nil {
		return
	}
	defer end()
	in := buffers.Get().(*bytes.Buffer)
	defer giveBackBuffer(in)
	if !readInto(c, in, MaxBody) || !count(c, limits, 1) {
		return
	}
	claim, faults := readClaim(in.Bytes())
	if len(faults) > 0 {
		tell(c, faulty(faults))
		return
	}
	if faults := a.refusedForm(c, claim.Request); len(faults) > 0 {
		tell(c, faulty(faults))
		return
	}
	claims, option, why := a.Holds().Verify(claim)
	var differs []string
	if why == "" && claim.Order != nil {
		var err error
		if differs, err = held.Differences(claim.Request, claim.Order); err != nil {
			a.internal(c, err)
			return
		}
		if len(differs) > 0 {
			option, why = nil, held.Differs
		}
	}
	v := verdict{Valid: why == "", Why: why, Message: reasons[why], Differs: differs, Option: option}
	if claims != nil {
		v.ID, v.Edition = claims.ID, claims.Edition
		v.Expires = time.Unix(claims.Expires, 0).UTC().Format(time.RFC3339)
	}
	send(c, http.StatusOK, v)
}

// refusedForm gives the faults with which the quote API would refuse a request, whatever shop it is asked of. What it
// says of the store is not looked at: products may have gone since, and the quote still holds.
func (a *API) refusedForm(c *gin.Context, request []byte) (faults fault.List) {
	e := a.Live()
	if e == nil {
		return nil
	}
	item := e.Engine.ReadSent(request, "/request", quote.Limits{Faults: MaxFaults, At: time.Now()})
	for _, f := range item.Faults {
		if f.Code != fault.Reference {
			faults = append(faults, f)
		}
	}
	return faults
}

func readClaim(body []byte) (claim held.Claim, faults fault.List) {
	r := jsonread.New(body, "")
	r.MaxFaults = MaxFaults
	absent := r.Kind() == 'n'
	ok := r.Object(func(name []byte) bool {
		switch string(name) {
		case "token":
			claim.Token = r.Text()
		case "request":
			if r.Kind() != '{' {
				r.Skip()
				r.Fault(fault.Type, "the request is an object, as it was sent for the quote")
				return true
			}
			claim.Request = r.Raw()
		case "method":
			claim.Method = r.Text()
		case "service":
			claim.Service = r.Text()
		case "total":
			claim.Total = r.Text()
		default:
			if !slices.Contains(held.OrderMembers, string(name)) {
				return false
			}
			if claim.Order == nil {
				claim.Order = held.Order{}
			}
			claim.Order[string(name)] = readMember(r, string(name))
		}
		return true
	})
	if absent {
		r.Fault(fault.Type, "what is verified is an object, not null")
	}
	for _, need := range []struct {
		name   string
		absent bool
	}{{"token", claim.Token == ""}, {"request", claim.Request == nil}, {"method", claim.Method == ""},
		{"total", claim.Total == ""}} {
		if ok && need.absent && len(r.Faults) == 0 {
			r.FaultBelow(fault.Path{need.name}, fault.Missing, "say the %s", need.name)
		}
	}
	for _, name := range []string{"lines", "to"} {
		if ok && claim.Order != nil && claim.Order[name] == nil && len(r.Faults) == 0 {
			r.FaultBelow(fault.Path{name}, fault.Missing, "an order has lines and an address: say %s", name)
		}
	}
	r.End()
	return claim, r.Faults
}

// readMember reads a member of an order, of the kind that a request has there.
func readMember(r *jsonread.Reader, name string) []byte {
	kind, want := jsontext.Kind('"'), "a text"
	switch name {
	case "lines", "coupons":
		kind, want = '[', "a list"
	case "to":
		kind, want = '{', "an object"
	}
	if r.Kind() != kind {
		r.Skip()
		r.Fault(fault.Type, "%s is %s, as in a request", name, want)
		return []byte("null")
	}
	return r.Raw()
}
