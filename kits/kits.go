// Package kits ships the kit files.
package kits

import "embed"

// Files holds every shipped kit as NAME.yaml.
//
//go:embed *.yaml
var Files embed.FS
