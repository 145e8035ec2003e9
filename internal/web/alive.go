package web

import (
	"context"
	"net/http"
	"time"

	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"

	"github.com/gin-gonic/gin"
)

// readyWithin is how long the database may take to answer a shop that is ready.
const readyWithin = 2 * time.Second

// alive answers monitors: whether the program runs, and whether buyers are quoted.
func alive(r gin.IRouter, d *draft.Draft, db *sqlite.DB) {
	r.GET("/healthz", func(c *gin.Context) { c.String(http.StatusOK, "ok\n") })
	r.GET("/readyz", func(c *gin.Context) {
		c.Header("Cache-Control", "no-store")
		live := d.Live()
		if live == nil {
			c.JSON(http.StatusServiceUnavailable, gin.H{"ready": false, "why": "no edition is live yet"})
			return
		}
		ctx, stop := context.WithTimeout(c.Request.Context(), readyWithin)
		defer stop()
		if _, err := db.Settings(ctx); err != nil {
			c.JSON(http.StatusServiceUnavailable, gin.H{"ready": false, "why": "the database does not answer"})
			return
		}
		c.JSON(http.StatusOK, gin.H{"ready": true, "edition": live.Number})
	})
}
