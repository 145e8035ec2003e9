// Package widget serves the element that shows delivery prices in the pages of a shop: /widget.js, the same under an
// address for each version, as an ES module, and its types.
package widget

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"crypto/sha512"
	"embed"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"io/fs"
	"net/http"
	"path"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"
)

// Script defines the element diadrom-delivery, without anything that it needs beside it.
//
//go:embed widget.js
var Script []byte

// types are those of the element, for TypeScript.
//
//go:embed widget.d.ts
var types []byte

// versions are the scripts that releases had, by their name.
//
//go:embed versions
var versions embed.FS

// own is where the script finds out where it came from; a module says it instead.
const own = `  const script = document.currentScript;
  const home = script ? new URL(script.src).origin : location.origin;
`

// file is what is served at an address.
type file struct {
	body, packed []byte
	kind, etag   string
	forever      bool // whether the address is that of a version, which does not change
}

const scriptType = "text/javascript; charset=utf-8"

func made(body []byte, kind string, forever bool) *file {
	return &file{body: body, packed: pack(body), kind: kind, etag: `"` + version(body) + `"`, forever: forever}
}

// pack is a text as gzip.
func pack(body []byte) []byte {
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		panic(err) // of a level that there is not
	}
	z.Write(body)
	z.Close()
	return b.Bytes()
}

// version is the first 16 hexadecimal digits of the SHA-256 of a script.
func version(body []byte) string {
	sum := sha256.Sum256(body)
	return hex.EncodeToString(sum[:8])
}

// Integrity is the SHA-384 of a script as subresource integrity has it (https://www.w3.org/TR/SRI/).
func Integrity(body []byte) string {
	sum := sha512.Sum384(body)
	return "sha384-" + base64.StdEncoding.EncodeToString(sum[:])
}

// Path is the address of the script's version, which never has another content.
func Path() string { return "/widget-" + version(Script) + ".js" }

// Module is the script as an ES module that asks a Diadrom at an origin, wherever it was bundled to, and its address.
func Module(origin string) (body []byte, path string) {
	home, err := json.Marshal(origin)
	if err != nil {
		panic(err) // of a text
	}
	body = bytes.Replace(Script, []byte(own), []byte("  const home = "+string(home)+";\n"), 1)
	return body, "/widget-" + version(body) + ".mjs"
}

// modules are the modules of the origins under which a shop is reached: few, since it answers under no others.
type modules struct {
	mu   sync.Mutex
	list map[string]*file
}

func (m *modules) of(origin string) *file {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.list[origin] == nil {
		if len(m.list) > 16 {
			clear(m.list)
		}
		body, _ := Module(origin)
		m.list[origin] = made(body, scriptType, false)
	}
	return m.list[origin]
}

// Routes registers the script, which any page may load. home is where the shop is reached, as whoever asks has it:
// https://shipping.example.
func Routes(r gin.IRouter, home func(*http.Request) string) {
	fixed := map[string]*file{
		"/widget.js":   made(Script, scriptType, false),
		"/widget.d.ts": made(types, "application/typescript; charset=utf-8", false),
		Path():         made(Script, scriptType, true),
	}
	earlier, err := fs.Glob(versions, "versions/*.js")
	if err != nil {
		panic(err) // of a pattern
	}
	for _, name := range earlier {
		body, err := versions.ReadFile(name)
		if err != nil {
			panic(err)
		}
		fixed["/"+path.Base(name)] = made(body, scriptType, true)
	}
	get := func(at string, handle gin.HandlerFunc) {
		r.GET(at, handle)
		r.HEAD(at, handle)
	}
	for at, f := range fixed {
		get(at, f.serve)
	}
	all := modules{list: map[string]*file{}}
	get("/widget.mjs", func(c *gin.Context) { all.of(home(c.Request)).serve(c) })
}

func (f *file) serve(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("Access-Control-Allow-Origin", "*")
	h.Set("Cross-Origin-Resource-Policy", "cross-origin")
	h.Set("Cache-Control", "public, max-age=300")
	if f.forever {
		h.Set("Cache-Control", "public, max-age=31536000, immutable")
	}
	h.Set("ETag", f.etag)
	h.Add("Vary", "Accept-Encoding")
	if strings.Contains(c.GetHeader("If-None-Match"), f.etag) {
		c.Status(http.StatusNotModified)
		return
	}
	body := f.body
	if strings.Contains(c.GetHeader("Accept-Encoding"), "gzip") {
		h.Set("Content-Encoding", "gzip")
		body = f.packed
	}
	c.Data(http.StatusOK, f.kind, body)
}
