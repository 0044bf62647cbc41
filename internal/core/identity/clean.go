package identity

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// The longest of what a device may say of itself, in bytes: texts of the system group are
// bounded by RFC 3418, engine ids by RFC 3411, object ids by RFC 2578 (128 numbers).
const (
	mostName        = 200
	mostDescription = 1000
	mostLocation    = 255
	mostSerial      = 100
	mostEngineID    = 2 * 32 // in hexadecimal
	mostObjectID    = 128 * 11
	mostOwn         = 1000
	mostParts       = 100_000
)

// Cleaned is an answer as it can be kept and shown, whatever the device said: it comes in
// here, and nothing behind has to ask again.
func (a Answer) Cleaned() Answer {
	a.Name = Brief(a.Name, mostName)
	a.Description = Brief(a.Description, mostDescription)
	a.Location = Brief(a.Location, mostLocation)
	a.Serial = Brief(a.Serial, mostSerial)
	if a.ObjectID = Brief(a.ObjectID, mostObjectID+1); len(a.ObjectID) > mostObjectID {
		a.ObjectID = ""
	}
	if a.EngineID = Brief(a.EngineID, mostEngineID+1); len(a.EngineID) > mostEngineID {
		a.EngineID = "" // it would name a device that there is not
	}
	a.Own = a.Own[:min(len(a.Own), mostOwn)]
	for purpose, n := range a.Parts {
		a.Parts[purpose] = min(max(n, 0), mostParts)
	}
	return a
}

// Brief is a text of a stranger on one line, without what cannot be kept or shown, of at
// most so many bytes.
func Brief(s string, most int) string {
	if len(s) > 4*most { // no more of it is needed, however much there is
		s = s[:4*most]
	}
	s = strings.Map(func(r rune) rune {
		if unicode.IsSpace(r) || !unicode.IsPrint(r) {
			return ' '
		}
		return r
	}, strings.ToValidUTF8(s, "\uFFFD"))
	s = strings.Join(strings.Fields(s), " ")
	if len(s) <= most {
		return s
	}
	s = s[:most]
	for !utf8.ValidString(s) {
		s = s[:len(s)-1]
	}
	return s
}
