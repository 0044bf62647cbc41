// Package objects holds compact descriptions, in our own words, of the objects of the standard
// MIB modules that are worth a look on most devices; docs/objects.md tells how they are written.
package objects

import "embed"

// Files are the descriptions, a file for each module.
//
//go:embed *.yaml
var Files embed.FS
