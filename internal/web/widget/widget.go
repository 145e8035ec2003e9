// Package widget serves the element that shows delivery prices in the pages of a shop: /widget.js.
package widget

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	_ "embed"
	"encoding/hex"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"
)

// Script defines the element diadrom-delivery, without anything that it needs beside it.
//
//go:embed widget.js
var Script []byte

// packed is the script as gzip.
var packed = func() []byte {
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		panic(err) // of a level that there is not
	}
	z.Write(Script)
	z.Close()
	return b.Bytes()
}()

var etag = func() string {
	sum := sha256.Sum256(Script)
	return `"` + hex.EncodeToString(sum[:8]) + `"`
}()

// Routes registers the script, which any page may load.
func Routes(r gin.IRouter) {
	serve := func(c *gin.Context) {
		h := c.Writer.Header()
		h.Set("Access-Control-Allow-Origin", "*")
		h.Set("Cross-Origin-Resource-Policy", "cross-origin")
		h.Set("Cache-Control", "public, max-age=300")
		h.Set("ETag", etag)
		h.Add("Vary", "Accept-Encoding")
		if strings.Contains(c.GetHeader("If-None-Match"), etag) {
			c.Status(http.StatusNotModified)
			return
		}
		body := Script
		if strings.Contains(c.GetHeader("Accept-Encoding"), "gzip") {
			h.Set("Content-Encoding", "gzip")
			body = packed
		}
		c.Data(http.StatusOK, "text/javascript; charset=utf-8", body)
	}
	r.GET("/widget.js", serve)
	r.HEAD("/widget.js", serve)
}
