// Package assets carries the styles, scripts and fonts of the screens; nothing of them is fetched from elsewhere.
package assets

import "embed"

// Files are the styles, scripts and fonts, by their names under /assets/.
//
//go:embed *.css *.js *.svg js vendor
var Files embed.FS
