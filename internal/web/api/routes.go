package api

import (
	"encoding/json"
	"net/http"
	"slices"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"
	"go.yaml.in/yaml/v3"
)

// resource is a path with what may be done to it.
type resource struct {
	path    string // as gin has it
	open    bool   // whether it wants no key, and any page may read it
	methods map[string]gin.HandlerFunc
}

// allowed lists the methods of a resource, as the header Allow has them.
func (r *resource) allowed() string {
	list := []string{http.MethodOptions}
	for method := range r.methods {
		if list = append(list, method); method == http.MethodGet {
			list = append(list, http.MethodHead)
		}
	}
	slices.Sort(list)
	return strings.Join(list, ", ")
}

// is says whether a path is the resource's.
func (r *resource) is(path string) bool {
	want, got := strings.Split(r.path, "/"), strings.Split(path, "/")
	if len(want) != len(got) {
		return false
	}
	for i := range want {
		if strings.HasPrefix(want[i], ":") && got[i] != "" {
			continue
		}
		if want[i] != got[i] {
			return false
		}
	}
	return true
}

// API is the API of a shop.
type API struct {
	Shops
	limits    *limits
	lanes     *lanes
	coupons   *guesses
	reached   reached
	pending   pending
	streams   streams
	resources []resource
}

// New makes the API of a shop.
func New(s Shops) *API {
	a := &API{Shops: s, limits: newLimits(), lanes: newLanes(), coupons: newGuesses(),
		streams: streams{of: map[int64]int{}, ended: make(chan struct{})}}
	get := func(h gin.HandlerFunc) map[string]gin.HandlerFunc {
		return map[string]gin.HandlerFunc{http.MethodGet: h}
	}
	post := func(h gin.HandlerFunc) map[string]gin.HandlerFunc {
		return map[string]gin.HandlerFunc{http.MethodPost: h}
	}
	a.resources = []resource{
		{path: "/api/v1/quotes", methods: post(a.quotes)},
		{path: "/api/v1/quotes/batch", methods: post(a.batch)},
		{path: "/api/v1/quotes/verify", methods: post(a.verify)},
		{path: "/.well-known/jwks.json", open: true, methods: get(a.jwks)},
		{path: "/api/v1/address-forms", methods: get(a.forms)},
		{path: "/api/v1/address-forms/:country", methods: get(a.form)},
		{path: "/api/v1/products", methods: map[string]gin.HandlerFunc{http.MethodGet: a.products,
			http.MethodPatch: a.patchProducts}},
		{path: "/api/v1/products/:sku", methods: map[string]gin.HandlerFunc{http.MethodGet: a.product,
			http.MethodPut: a.putProduct, http.MethodPatch: a.patchProduct, http.MethodDelete: a.deleteProduct}},
		{
			path:    "/api/v1/store",
			methods: map[string]gin.HandlerFunc{http.MethodGet: a.storeFile, http.MethodPut: a.putStore},
		},
		{path: "/api/v1/changes", methods: get(a.changes)},
		{path: "/api/v1/editions", methods: map[string]gin.HandlerFunc{http.MethodGet: a.editions,
			http.MethodPost: a.publish}},
		{path: "/api/v1/review", methods: get(a.review)},
		{path: "/api/v1/events", methods: get(a.events)},
		{path: "/api/v1/openapi.yaml", open: true, methods: get(describeAPI)},
		{path: "/api/v1/openapi.json", open: true, methods: get(describeAPIAsJSON)},
	}
	if a.Node {
		a.resources = slices.DeleteFunc(a.resources, func(r resource) bool { return edits[r.path] })
	}
	return a
}

// edits are the resources that are answered where the shop is edited alone.
var edits = map[string]bool{"/api/v1/products": true, "/api/v1/products/:sku": true, "/api/v1/store": true,
	"/api/v1/changes": true, "/api/v1/editions": true, "/api/v1/review": true,
	"/api/v1/events": true}

// Routes adds the API to a router. A resource that is read answers HEAD as well, and all say with OPTIONS what they
// take. A path with a slash too many is a problem and no redirect.
func (a *API) Routes(r *gin.Engine) {
	r.RedirectTrailingSlash = false
	r.UseRawPath = true // a sku may have a slash in it, written as %2F
	for i := range a.resources {
		res := &a.resources[i]
		for method, handle := range res.methods {
			r.Handle(method, res.path, a.crossOrigin(res), handle)
			if method == http.MethodGet {
				r.HEAD(res.path, a.crossOrigin(res), handle)
			}
		}
		allowed := res.allowed()
		r.OPTIONS(res.path, a.crossOrigin(res), func(c *gin.Context) {
			c.Header("Allow", allowed)
			c.Status(http.StatusNoContent)
		})
	}
}

// Asked says whether a path is one of the API, whose answers are JSON whatever happens.
func Asked(path string) bool {
	return path == "/api" || strings.HasPrefix(path, "/api/") || strings.HasPrefix(path, "/.well-known/")
}

// Unknown answers what is asked of the API and is not there: a path, or a method of one that is. It goes before
// everything that leads people to where they sign in.
func (a *API) Unknown(c *gin.Context) {
	path := c.Request.URL.EscapedPath()
	if !Asked(path) || c.FullPath() != "" {
		c.Next()
		return
	}
	defer c.Abort()
	for i := range a.resources {
		if res := &a.resources[i]; res.is(path) {
			a.share(c, res)
			c.Header("Allow", res.allowed())
			problem(c, WrongMethod, "this takes "+res.allowed()+" only", nil)
			return
		}
	}
	problem(
		c,
		NotFound,
		"there is no such thing in this API: its description is at /api/v1/openapi.yaml",
		nil,
	)
}

// descriptionJSON is the description as JSON.
var descriptionJSON = sync.OnceValue(func() []byte {
	var doc map[string]any
	if err := yaml.Unmarshal(Description, &doc); err != nil {
		panic(err) // a test reads it
	}
	out, err := json.Marshal(doc)
	if err != nil {
		panic(err)
	}
	return out
})

func describeAPIAsJSON(c *gin.Context) {
	c.Header("Cache-Control", "no-cache")
	c.Data(http.StatusOK, "application/json", descriptionJSON())
}

func describeAPI(c *gin.Context) {
	c.Header("Cache-Control", "no-cache")
	c.Data(http.StatusOK, "application/yaml; charset=utf-8", Description) // RFC 9512
}
