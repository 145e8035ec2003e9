package web

import (
	"log/slog"
	"net/http"
	"strings"
	"sync/atomic"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/quote"
	"diadrom/internal/shop/held"
	"diadrom/internal/shop/node"
	"diadrom/internal/web/api"
	"diadrom/internal/web/metrics"
	"diadrom/internal/web/visitor"
	"diadrom/internal/web/widget"

	"github.com/gin-gonic/gin"
)

// NodeOptions say how a node is served.
type NodeOptions struct {
	visitor.Options
	Metrics *metrics.Metrics // counts what is asked, nil for nothing
}

// NewNode makes the server of a node: the part of the API that quotes, and the element for pages. It answers under any
// name, because a balancer in front of it knows under which the shop is asked.
func NewNode(n *node.Node, log *slog.Logger, o NodeOptions) http.Handler {
	gin.SetMode(gin.ReleaseMode)
	s := &Server{log: log}
	r := gin.New()
	shops := nodeShops(n, &o.Options)
	shops.Log = log
	if o.Metrics != nil {
		shops.Count = o.Metrics
		o.Metrics.WatchNode(n)
		r.Use(o.Metrics.Count)
	}
	offered := api.New(shops)
	r.Use(identified, s.logged, s.recovered, headers(func() string { return "" }), offered.Unknown)
	offered.Routes(r)
	r.GET("/healthz", func(c *gin.Context) { c.String(http.StatusOK, "ok\n") })
	r.GET("/readyz", func(c *gin.Context) { nodeReady(c, n) })
	widget.Routes(r, o.Options.Home)
	api.ProblemPages(r)
	r.NoRoute(func(c *gin.Context) {
		api.NotOnNodes.Answer(c.Writer, "this is a node: it quotes at /api/v1/quotes. The shop is edited elsewhere")
	})
	return r
}

// nodeReady says whether buyers are quoted, and from which edition.
func nodeReady(c *gin.Context, n *node.Node) {
	c.Header("Cache-Control", "no-store")
	state := n.State()
	if state == nil || state.Live == nil {
		c.JSON(
			http.StatusServiceUnavailable,
			gin.H{"ready": false, "broker": n.Connected(), "why": "nothing has been published yet, " +
				"or no broker was reached so far"},
		)
		return
	}
	c.JSON(http.StatusOK, gin.H{"ready": true, "edition": state.Live.Number, "sha256": state.Live.Hash,
		"since": state.At.UTC().Format(time.RFC3339), "broker": n.Connected(), "stale": n.Stale()})
}

// nodeShops is what the API of a node answers from.
func nodeShops(n *node.Node, visitors *visitor.Options) api.Shops {
	var now atomic.Pointer[api.Edition]
	of := func(e *node.Edition) *api.Edition {
		return &api.Edition{Engine: e.Engine, Kept: e.Engine, Number: e.Number, Hash: e.Hash}
	}
	none, _ := held.Of(nil, nil, slog.Default())
	return api.Shops{
		Node: true,
		Live: func() *api.Edition {
			state := n.State()
			if state == nil || state.Live == nil {
				return nil
			}
			e := now.Load()
			if e == nil || e.Kept != state.Live.Engine || e.Number != state.Live.Number {
				e = of(state.Live)
				now.Store(e)
			}
			return e
		},
		Pinned: func(number int64) *api.Edition {
			if state := n.State(); state != nil {
				if e := state.Pinned(number, time.Now()); e != nil {
					return of(e)
				}
			}
			return nil
		},
		Draft: func() *quote.Engine { return nil },
		Asker: func(r *http.Request) api.Asker { return nodeAsker(n.State(), r, visitors) },
		Sites: func(origin string) bool {
			state := n.State()
			if state == nil {
				return false
			}
			for _, k := range state.Keys {
				if k.Publishable && k.From(origin) && !k.Expired(time.Now()) {
					return true
				}
			}
			return false
		},
		Holds: func() *held.Keys {
			if state := n.State(); state != nil {
				return state.Holds
			}
			return none
		},
	}
}

// nodeAsker says who asks a node: nobody but those who have a key.
func nodeAsker(state *node.State, r *http.Request, visitors *visitor.Options) api.Asker {
	scheme, secret, ok := strings.Cut(r.Header.Get("Authorization"), " ")
	if !ok || !strings.EqualFold(scheme, "Bearer") {
		return api.Asker{}
	}
	if state == nil {
		return api.Asker{Later: true, Why: "nothing has come to this node yet: ask again, or another node"}
	}
	k := state.Keys[auth.Kept(strings.TrimSpace(secret))]
	switch {
	case k == nil:
		return api.Asker{Why: "this key does not exist, or was revoked"}
	case k.Expired(time.Now()):
		return api.Asker{Why: "this key has expired"}
	}
	return api.Asker{Kind: api.Shop, Key: &k.Key, From: auth.Origin(visitors.From(r))}
}
