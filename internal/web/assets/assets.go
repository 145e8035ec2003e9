// Package assets carries the styles, scripts and fonts of the screens; nothing of them is fetched from elsewhere.
package assets

import (
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"io/fs"
	"net/http"
	"path"
	"regexp"
	"slices"
	"strings"
	"sync"
)

// Files are the styles, scripts and fonts, by their names under [Root] and [Base].
//
//go:embed *.css *.js *.svg js vendor
var Files embed.FS

// Root is the address below which assets are found by their names alone.
const Root = "/assets/"

// Base is the address below which pages ask for assets. It names what they hold, so that browsers may keep them for good:
// a program with other assets has another.
var Base = sync.OnceValue(func() string { return Root + version() + "/" })

var version = sync.OnceValue(func() string {
	sum := sha256.New()
	err := fs.WalkDir(Files, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		body, err := fs.ReadFile(Files, name)
		sum.Write([]byte(name + "\x00"))
		sum.Write(body)
		return err
	})
	if err != nil {
		panic(err) // what is built in can be read
	}
	return hex.EncodeToString(sum.Sum(nil)[:8])
})

// Main is the script of the screens, by its name.
const Main = "diadrom.js"

var imports = regexp.MustCompile(`(?m)^import (?:[^"]* from )?"(\.[^"]+)"`)

// Modules are the names of all scripts that [Main] needs, in alphabetical order, without itself: a browser that is told of
// them at once does not find them one after another.
var Modules = sync.OnceValue(func() []string {
	var found []string
	var follow func(name string)
	follow = func(name string) {
		body, err := fs.ReadFile(Files, name)
		if err != nil {
			panic(err) // what is built in can be read
		}
		for _, m := range imports.FindAllStringSubmatch(string(body), -1) {
			if next := path.Join(path.Dir(name), m[1]); !slices.Contains(found, next) {
				found = append(found, next)
				follow(next)
			}
		}
	}
	follow(Main)
	slices.Sort(found)
	return found
})

// Handler answers with files: those below [Base] may be kept for good, those below [Root] are asked about each time. files
// are [Files], or others in their place while somebody works on them.
func Handler(files fs.FS) http.Handler {
	byName := http.FileServerFS(files)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		if strings.HasPrefix(r.URL.Path, Base()) && files == fs.FS(Files) {
			h.Set("Cache-Control", "public, max-age=31536000, immutable")
			http.StripPrefix(Base(), byName).ServeHTTP(w, r)
			return
		}
		h.Set("Cache-Control", "no-cache")
		if files == fs.FS(Files) {
			h.Set("ETag", `"`+version()+`"`)
		}
		http.StripPrefix(Root, byName).ServeHTTP(w, r)
	})
}
