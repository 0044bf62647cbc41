// Package problem shows what went wrong.
package problem

import "embed"

// Files are the screen's templates.
//
//go:embed tmpl/*.html
var Files embed.FS
