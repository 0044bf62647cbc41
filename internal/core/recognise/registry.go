package recognise

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"tirelessowl/internal/core/text"
)

// The bounds of a registry.
const (
	MostNumber      = 1<<32 - 1 // a part of an object id (RFC 2578)
	mostRegistered  = 500_000
	mostMaker       = 100
	MostRegistry    = 32 << 20 // bytes
	longestRegistry = 4096     // of a line
)

// ReadRegistry reads the public list of private enterprise numbers as the registry publishes it:
// a number at the beginning of a line, in the next, which is indented, the organisation, and then
// whom to ask. What cannot be read is told with its line.
func ReadRegistry(r io.Reader) (makers map[int64]string, err error) {
	makers = map[int64]string{}
	lines := bufio.NewScanner(r)
	lines.Buffer(nil, longestRegistry)
	number, line := int64(-1), 0
	for lines.Scan() {
		line++
		said := strings.TrimRight(lines.Text(), " \t\r")
		if n, ok := numberAlone(said); ok {
			number = n
			continue
		}
		if number < 0 || said == "" {
			continue
		}
		if said[0] == ' ' || said[0] == '\t' {
			if name := text.Brief(strings.TrimSpace(said), mostMaker); name != "" && name != "---none---" {
				makers[number] = name
			}
			number = -1 // what follows is whom to ask
		}
		if len(makers) > mostRegistered {
			return nil, Wrong{line, fmt.Sprintf("more than %d enterprises", mostRegistered)}
		}
	}
	if err := lines.Err(); errors.Is(err, bufio.ErrTooLong) {
		return nil, Wrong{line + 1, fmt.Sprintf("longer than %d characters: is this the registry's text file?", longestRegistry)}
	} else if err != nil {
		return nil, err
	}
	if len(makers) == 0 {
		return nil, Wrong{max(1, line), "there is no enterprise number up to here: is this the registry's text file?"}
	}
	return makers, nil
}

// numberAlone is the number that a line is.
func numberAlone(line string) (int64, bool) {
	if line == "" || line[0] < '0' || line[0] > '9' {
		return 0, false
	}
	n, err := strconv.ParseInt(line, 10, 64)
	return n, err == nil && n <= MostNumber
}
