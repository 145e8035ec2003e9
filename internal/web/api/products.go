package api

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/auth"
	"diadrom/internal/core/fault"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/feed"
	"diadrom/internal/sqlite"

	jsonpatch "github.com/evanphx/json-patch/v5"
	"github.com/gin-gonic/gin"
)

// MaxProducts is the most bytes of products that are sent at once.
const MaxProducts = 32 << 20

// etag is the entity tag of what a resource has (RFC 9110, 8.8.3).
func etag(body []byte) string {
	sum := sha256.Sum256(body)
	return `"` + hex.EncodeToString(sum[:8]) + `"`
}

// product is a product as a store file has it; nil where there is none.
func productOf(parts *store.Parts, sku string) []byte { return parts.Body("products", sku) }

// named says whether a list of entity tags, as If-Match and If-None-Match have it, names one; "" for no such thing.
func named(list, tag string) bool {
	for part := range strings.SplitSeq(list, ",") {
		if part = strings.TrimSpace(part); tag != "" && (part == "*" || part == tag) {
			return true
		}
	}
	return false
}

// source gives the store that is looked at: the draft, unless the query says live.
func (a *API) source(c *gin.Context) (parts *store.Parts, ok bool) {
	switch c.Query("of") {
	case "", "draft":
		return a.Store.State().Parts, true
	case "live":
		if live := a.Store.Live(); live != nil {
			return live.Parts, true
		}
		problem(c, NotLive, "nothing is live yet: the shop is still being set up", nil)
		return nil, false
	}
	problem(c, BadRequest, "products are of the draft or of what is live", nil)
	return nil, false
}

// mayEdit finds who changes products; false where that has been answered already.
func (a *API) mayEdit(c *gin.Context, right auth.Right) (who Asker, ok bool) {
	if who, ok = a.asker(c); !ok || !a.allowed(c, &who) {
		return who, false
	}
	if !who.May(right) {
		problem(c, NoRight, "this key may not "+right.String()+": make one that may under People", nil)
		return who, false
	}
	if err := a.Store.Refresh(c.Request.Context()); err != nil {
		a.internal(c, err)
		return who, false
	}
	return who, true
}

// requestID is the id of a request, under which the log has it.
func requestID(c *gin.Context) string { return c.Writer.Header().Get("X-Request-Id") }

func (a *API) internal(c *gin.Context, err error) {
	a.Log.Error("api", "id", requestID(c), "error", err)
	if sqlite.Full(err) {
		problem(c, DiskFull, "the disk is full: nothing was changed", nil)
		return
	}
	problem(c, Internal, "this could not be done; the log of the server says why", nil)
}

// products lists the products, one on each line.
func (a *API) products(c *gin.Context) {
	if _, ok := a.mayEdit(c, auth.Products); !ok {
		return
	}
	parts, ok := a.source(c)
	if !ok {
		return
	}
	p, ok := readPages(c)
	if !ok {
		return
	}
	list := parts.Lists["products"]
	if p.after != "" {
		at := slices.IndexFunc(list, func(e store.Entry) bool { return e.ID == p.after })
		if at < 0 {
			problem(c, BadRequest, "the product at which the page before ended is gone: begin again", nil)
			return
		}
		list = list[at+1:]
	}
	if p.limit > 0 && len(list) > p.limit {
		list = list[:p.limit]
		p.next(c, list[p.limit-1].ID)
	}
	sum := sha256.New()
	for _, e := range list {
		sum.Write(e.Body)
		sum.Write([]byte("\n"))
	}
	if unchanged(c, sum) {
		return
	}
	c.Header("Content-Type", "application/x-ndjson")
	c.Status(http.StatusOK)
	for _, e := range list {
		c.Writer.Write(e.Body)
		if _, err := c.Writer.Write([]byte("\n")); err != nil {
			return
		}
	}
}

func (a *API) product(c *gin.Context) {
	if _, ok := a.mayEdit(c, auth.Products); !ok {
		return
	}
	parts, ok := a.source(c)
	if !ok {
		return
	}
	body := productOf(parts, c.Param("sku"))
	if body == nil {
		problem(c, NoProduct, "the store has no such product", nil)
		return
	}
	c.Header("ETag", etag(body))
	if named(c.GetHeader("If-None-Match"), etag(body)) {
		c.Status(http.StatusNotModified)
		return
	}
	c.Header("Cache-Control", "no-cache")
	c.Data(http.StatusOK, "application/json", append(bytes.Clone(body), '\n'))
}

// into says whether a change goes into what is live too; false where that has been answered already.
func (a *API) into(c *gin.Context, who *Asker) (live, ok bool) {
	switch c.Query("into") {
	case "", "draft":
		return false, true
	case "live":
		if !who.May(auth.ProductsLive) {
			why := "this key may change products in the draft alone: make one that may " + auth.ProductsLive.String()
			problem(c, NoRight, why, nil)
			return false, false
		}
		return true, true
	}
	problem(c, BadRequest, "products go into the draft, or into the draft and live", nil)
	return false, false
}

// feeder finds who changes products, and whether in what is live too; false where that has been answered already.
func (a *API) feeder(c *gin.Context) (who Asker, live, ok bool) {
	if who, ok = a.mayEdit(c, auth.Products); ok {
		live, ok = a.into(c, &who)
	}
	return who, live, ok
}

// by is whoever edits.
func (who *Asker) by() auth.Person {
	if who.Kind == Shop {
		return who.Key.Person()
	}
	return who.Person
}

// condition is what If-Match and If-None-Match ask of a product.
func condition(c *gin.Context, sku string) func(*store.File) error {
	match, none := c.GetHeader("If-Match"), c.GetHeader("If-None-Match")
	if match == "" && none == "" {
		return nil
	}
	return func(f *store.File) error {
		tag := ""
		if p := f.Product(sku); p != nil {
			tag = etag(store.ProductJSON(p))
		}
		if match != "" && !named(match, tag) || none != "" && named(none, tag) {
			return feed.ErrCondition
		}
		return nil
	}
}

// fed makes a change of products; false where it was not made, which has been answered then.
func (a *API) fed(c *gin.Context, change feed.Change) (feed.Result, bool) {
	r, err := a.Feed.Do(c.Request.Context(), change)
	var faults fault.List
	switch {
	case errors.Is(err, feed.ErrCondition):
		problem(
			c,
			NotAsRead,
			"the product is not as If-Match or If-None-Match has it: read it again",
			nil,
		)
	case errors.Is(err, errMoved):
	case errors.Is(err, draft.ErrNotLive):
		problem(c, NotLive, "nothing is live yet: the shop is still being set up", nil)
	case errors.As(err, &faults):
		problem(c, Breaks, "the store would not hold together: nothing was changed", faults)
	case errors.Is(err, sqlite.ErrConflict), errors.Is(err, sqlite.ErrLiveChanged):
		c.Header("Retry-After", "1")
		problem(
			c,
			Busy,
			"somebody else changed the shop at the same moment: send it again",
			nil,
		)
	case err != nil:
		a.internal(c, err)
	default:
		c.Header("Diadrom-Revision", strconv.FormatInt(r.Revision, 10))
		if r.Edition > 0 {
			c.Header("Diadrom-Edition", strconv.FormatInt(r.Edition, 10))
		}
		return r, true
	}
	return r, false
}

// putProduct makes a product what is sent, and nothing else.
func (a *API) putProduct(c *gin.Context) {
	who, live, ok := a.feeder(c)
	if !ok {
		return
	}
	if !sentJSON(c, "a product") {
		return
	}
	var in bytes.Buffer
	if !readInto(c, &in, MaxBody) {
		return
	}
	sku := c.Param("sku")
	a.once(c, &who, in.Bytes(), func() {
		change, faults := edit.ReadProductChange(in.Bytes(), sku, true)
		if len(faults) > 0 {
			tell(c, faulty(faults))
			return
		}
		r, ok := a.fed(c, feed.Change{By: who.by(), Live: live, List: []edit.ProductChange{change},
			Condition: condition(c, sku)})
		if !ok {
			return
		}
		if len(r.Refused) > 0 {
			tell(c, faulty(r.Refused[0].Faults))
			return
		}
		status := http.StatusOK
		if r.Created > 0 {
			status = http.StatusCreated
			c.Header("Location", c.Request.URL.EscapedPath())
		}
		body := productOf(a.Store.State().Parts, sku)
		c.Header("ETag", etag(body))
		c.Header("Cache-Control", "no-store")
		c.Data(status, "application/json", append(bytes.Clone(body), '\n'))
	})
}

// mergeType is the media type of a JSON merge patch (RFC 7396).
const mergeType = "application/merge-patch+json"

// patchProduct changes some fields of a product, as a JSON merge patch (RFC 7396): null takes a field back to its
// default.
func (a *API) patchProduct(c *gin.Context) {
	who, live, ok := a.feeder(c)
	if !ok {
		return
	}
	if kind, _, _ := strings.Cut(c.GetHeader("Content-Type"), ";"); !strings.EqualFold(strings.TrimSpace(kind),
		mergeType) {
		c.Header("Accept-Patch", mergeType)
		problem(c, WrongType, "what changes of a product is a JSON merge patch: send it with Content-Type: "+mergeType, nil)
		return
	}
	var in bytes.Buffer
	if !readInto(c, &in, MaxBody) {
		return
	}
	sku := c.Param("sku")
	a.once(c, &who, in.Bytes(), func() {
		if _, faults := edit.ReadProductChange(in.Bytes(), sku, false); len(faults) > 0 {
			tell(c, faulty(faults))
			return
		}
		asked := condition(c, sku)
		for again := range 3 {
			was := productOf(a.Store.State().Parts, sku)
			if was == nil {
				problem(c, NoProduct, "the store has no such product: PUT makes one", nil)
				return
			}
			merged, err := jsonpatch.MergePatch(was, in.Bytes())
			if err != nil {
				a.internal(c, err)
				return
			}
			change, faults := edit.ReadProductChange(merged, sku, true)
			if len(faults) > 0 {
				tell(c, faulty(faults))
				return
			}
			// What is merged with is what is replaced: a change of somebody else in between is merged with in its turn.
			moved := false
			r, ok := a.fed(c, feed.Change{By: who.by(), Live: live, List: []edit.ProductChange{change},
				Condition: func(f *store.File) error {
					if asked != nil {
						if err := asked(f); err != nil {
							return err
						}
					}
					if p := f.Product(sku); p == nil || !bytes.Equal(store.ProductJSON(p), was) {
						moved = true
						if again < 2 {
							return errMoved
						}
						return feed.ErrCondition
					}
					return nil
				}})
			switch {
			case !ok && moved && again < 2:
				continue
			case !ok:
			case len(r.Refused) > 0:
				tell(c, faulty(r.Refused[0].Faults))
			default:
				body := productOf(a.Store.State().Parts, sku)
				c.Header("ETag", etag(body))
				c.Header("Cache-Control", "no-store")
				c.Data(http.StatusOK, "application/json", append(bytes.Clone(body), '\n'))
			}
			return
		}
	})
}

// errMoved is of a product that somebody else has changed since it was read; nothing is answered yet.
var errMoved = errors.New("the product has changed since it was read")

func (a *API) deleteProduct(c *gin.Context) {
	who, live, ok := a.feeder(c)
	if !ok {
		return
	}
	sku := c.Param("sku")
	a.once(c, &who, nil, func() {
		r, ok := a.fed(c, feed.Change{By: who.by(), Live: live, List: []edit.ProductChange{{SKU: sku, Remove: true}},
			Condition: condition(c, sku)})
		switch {
		case !ok:
		case len(r.Refused) > 0:
			problem(c, NoProduct, "the store has no such product", nil)
		default:
			c.Header("Cache-Control", "no-store")
			c.Status(http.StatusNoContent)
		}
	})
}

// feedAnswer is what became of many products.
type feedAnswer struct {
	edit.FedProducts
	Revision int64 `json:"revision"`
	Edition  int64 `json:"edition,omitempty"`
}

// patchProducts changes many products, one on each line, as one edit.
func (a *API) patchProducts(c *gin.Context) {
	who, live, ok := a.feeder(c)
	if !ok {
		return
	}
	kind := strings.TrimSpace(strings.SplitN(strings.ToLower(c.GetHeader("Content-Type")), ";", 2)[0])
	if kind != "application/x-ndjson" && kind != "application/jsonl" {
		c.Header("Accept-Patch", "application/x-ndjson")
		why := "products are one JSON object on each line: send them with Content-Type: application/x-ndjson"
		problem(c, WrongType, why, nil)
		return
	}
	body, end := a.readTurn(c, &who, MaxProducts)
	if end == nil {
		return
	}
	defer end()
	sum := onceHash(c)
	list, refused, tooMany, err := edit.ReadProductLines(io.TeeReader(body.reader(), sum))
	switch {
	case errors.Is(err, edit.ErrLongLine):
		problem(c, TooLarge, err.Error(), nil)
		return
	case !read(c, err, MaxProducts):
		return
	case tooMany:
		why := fmt.Sprintf("at most %d products are changed at once: send the others by themselves", edit.MaxFed)
		problem(c, TooLarge, why, nil)
		return
	}
	a.onceHashed(c, &who, sum, func() {
		r, ok := a.fed(c, feed.Change{By: who.by(), Live: live, List: list})
		if !ok {
			return
		}
		answer := feedAnswer{r.FedProducts, r.Revision, r.Edition}
		answer.Refused = append(refused, answer.Refused...)
		if answer.Refused == nil {
			answer.Refused = []edit.RefusedProduct{}
		}
		status := http.StatusOK
		if len(answer.Refused) > 0 {
			status = http.StatusMultiStatus
		}
		answer.Refused = answer.Refused[:min(len(answer.Refused), maxRefused)]
		send(c, status, answer)
	})
}

// maxRefused is how many refused products an answer lists.
const maxRefused = 1_000
