// Package problem shows what went wrong.
package problem

import "embed"

// Files are the screen's templates.
//
//go:embed tmpl/*.html
var Files embed.FS

// AwayFiles are the templates of the page that needs no data.
//
//go:embed away/tmpl/*.html
var AwayFiles embed.FS
