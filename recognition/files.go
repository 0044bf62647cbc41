// Package recognition holds the rules by which devices are recognised where nobody says otherwise;
// docs/recognition.md tells how they are written.
package recognition

import _ "embed"

// Rules are those that come with the application.
//
//go:embed rules.yaml
var Rules []byte
