package attributes

import (
	"errors"
	"io"
	"unicode/utf8"
)

// MaxTable is the largest table that is taken, in bytes.
const MaxTable = 32 << 20

// readAll reads a file as text.
func readAll(from io.Reader) (string, error) {
	data, err := io.ReadAll(io.LimitReader(from, MaxTable+1))
	switch {
	case err != nil:
		return "", err
	case len(data) > MaxTable:
		return "", errors.New("it is too large")
	case !utf8.Valid(data):
		return "", errors.New("it is not text in UTF-8")
	}
	return string(data), nil
}
