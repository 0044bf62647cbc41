// Package ports reads lists of TCP and UDP ports as people write them.
package ports

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/core/field"
)

// Most is how many ports a list may have.
const Most = 64

// Read reads numbers and ranges such as 22, 80, 8000-8003, with commas or spaces between, and
// returns them in order. What is no list of ports is an error in words.
func Read(text string) ([]int, error) {
	var out []int
	for _, piece := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(", \t\r\n;", r) }) {
		from, to, isRange := strings.Cut(piece, "-")
		if !isRange {
			to = from
		}
		first, err1 := strconv.Atoi(from)
		last, err2 := strconv.Atoi(to)
		if err1 != nil || err2 != nil || first < 1 || last > field.LastPort || first > last {
			return nil, fmt.Errorf("“%.20s” is no port: write 22, or 8000-8003", piece)
		}
		if last-first >= Most {
			return nil, fmt.Errorf("at most %d ports", Most)
		}
		for p := first; p <= last; p++ {
			out = append(out, p)
		}
		slices.Sort(out)
		if out = slices.Compact(out); len(out) > Most {
			return nil, fmt.Errorf("at most %d ports", Most)
		}
	}
	return out, nil
}
