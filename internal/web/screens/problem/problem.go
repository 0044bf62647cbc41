// Package problem shows what went wrong.
package problem

import (
	"embed"
	"io/fs"

	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// away needs no data.
//
//go:embed away/tmpl/*.html
var away embed.FS

// Screen is the pages of what went wrong.
var Screen = screen.Screen{Templates: map[string]fs.FS{"problem": files, "away": ui.Folder(away, "away")}}
