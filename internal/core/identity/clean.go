package identity

import (
	"slices"
	"strings"

	"tirelessowl/internal/core/text"
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
	mostNeighbours  = 1000
	mostStations    = 2000
)

// Cleaned is an answer as it can be kept and shown, whatever the device said: it comes in
// here, and nothing behind has to ask again.
func (a Answer) Cleaned() Answer {
	a.Name = text.Brief(a.Name, mostName)
	a.Description = text.Brief(a.Description, mostDescription)
	a.Location = text.Brief(a.Location, mostLocation)
	a.Serial = realSerial(text.Brief(a.Serial, mostSerial))
	a.Maker, a.Model = text.Brief(a.Maker, mostSerial), text.Brief(a.Model, mostSerial)
	if a.ObjectID = text.Brief(a.ObjectID, mostObjectID+1); len(a.ObjectID) > mostObjectID {
		a.ObjectID = ""
	}
	if a.EngineID = text.Brief(a.EngineID, mostEngineID+1); len(a.EngineID) > mostEngineID {
		a.EngineID = "" // it would name a device that there is not
	}
	a.Own = a.Own[:min(len(a.Own), mostOwn)]
	a.Shared = a.Shared[:min(len(a.Shared), mostOwn)]
	a.Hardware = a.Hardware[:min(len(a.Hardware), mostOwn)]
	a.Neighbours, a.Stations = cleanNeighbours(a.Neighbours), a.Stations[:min(len(a.Stations), mostStations)]
	for i, x := range a.Stations {
		a.Stations[i] = Station{text.Brief(x.Port, mostName), text.Brief(x.Hardware, mostSerial)}
	}
	for purpose, n := range a.Parts {
		a.Parts[purpose] = min(max(n, 0), mostParts)
	}
	return a
}

// placeholders are what makers write where a serial number belongs, and has been forgotten.
var placeholders = []string{"none", "n/a", "unknown", "not specified", "default string", "to be filled by o.e.m.", "system serial number"}

// realSerial is a serial number that tells devices apart; empty for what many have.
func realSerial(s string) string {
	const few = 4
	if len(s) < few || strings.Trim(s, s[:1]) == "" || slices.Contains(placeholders, strings.ToLower(s)) ||
		strings.HasPrefix("0123456789", s) || strings.HasPrefix("123456789", s) {
		return ""
	}
	return s
}
