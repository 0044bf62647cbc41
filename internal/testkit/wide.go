package testkit

import (
	"fmt"
	"strings"
)

// WideKit is the file of a kit of many readings of a device, each of a column of its own.
func WideKit(version, readings int) string {
	var columns, made strings.Builder
	for i := range readings {
		fmt.Fprintf(&columns, "      - {as: c%d, of: 1.3.6.1.4.1.99999.1.%d.0}\n", i, i)
		fmt.Fprintf(&made, "  - {key: r%d, name: Reading %d, source: whole, value: [c%d]}\n", i, i, i)
	}
	return fmt.Sprintf("kit: wide\ntitle: Wide\nversion: %d\nsources:\n  - key: whole\n    way: snmp\n    every: 60s\n"+
		"    ask: {form: get}\n    columns:\n%sreadings:\n%s", version, columns.String(), made.String())
}
