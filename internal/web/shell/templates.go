package shell

import (
	"embed"
	"encoding/json"
	"fmt"
	"html/template"
	"io/fs"
	"strings"

	"diadrom/internal/core/plural"
	"diadrom/internal/web/assets"
)

// Files are the frame's own templates.
//
//go:embed templates/*.html
var Files embed.FS

// Templates gives the templates of all screens.
type Templates func() (*template.Template, error)

// Parse reads the templates of several packages as one set, in which they may name one another. dev is whether pages
// reload by themselves while somebody works on them.
func Parse(dev bool, files ...fs.FS) (*template.Template, error) {
	base := assets.Base
	if dev {
		base = func() string { return assets.Root }
	}
	t := template.New("").Funcs(template.FuncMap{
		"assets":  base,
		"modules": assets.Modules,
		"join":    strings.Join,
		"vals":    vals,
		"dict":    dict,
		"plural":  plural.Count,
		"number":  plural.Number,
		"dev":     func() bool { return dev },
	})
	for _, f := range files {
		if _, err := t.ParseFS(f, "templates/*.html"); err != nil {
			return nil, err
		}
	}
	return t, nil
}

// dict gives a template several values by name.
func dict(pairs ...any) map[string]any {
	m := map[string]any{}
	for i := 0; i+1 < len(pairs); i += 2 {
		m[fmt.Sprint(pairs[i])] = pairs[i+1]
	}
	return m
}

// vals writes pairs of names and values as the JSON that htmx sends along.
func vals(pairs ...any) (string, error) {
	m := map[string]string{}
	for i := 0; i+1 < len(pairs); i += 2 {
		m[fmt.Sprint(pairs[i])] = fmt.Sprint(pairs[i+1])
	}
	out, err := json.Marshal(m)
	return string(out), err
}
