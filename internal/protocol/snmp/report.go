package snmp

import (
	"strings"

	"github.com/gosnmp/gosnmp"
)

// What an agent reports instead of an answer: the counters of RFC 3414 section 5 and
// RFC 3412 section 5.
const (
	unsupportedLevel = ".1.3.6.1.6.3.15.1.1.1.0"
	notInWindow      = ".1.3.6.1.6.3.15.1.1.2.0"
	unknownUser      = ".1.3.6.1.6.3.15.1.1.3.0"
	unknownEngine    = ".1.3.6.1.6.3.15.1.1.4.0"
	wrongDigest      = ".1.3.6.1.6.3.15.1.1.5.0"
	decryptionError  = ".1.3.6.1.6.3.15.1.1.6.0"
	unknownContext   = ".1.3.6.1.6.3.12.1.5.0"
)

var reported = map[string]string{
	unsupportedLevel: "it does not let this user ask with this protection (unsupported security level)",
	notInWindow:      "its clock and ours do not agree (not in time window)",
	unknownUser:      "it does not know the user (unknown user name)",
	unknownEngine:    "its engine became another one (unknown engine id)",
	wrongDigest:      "the password of authentication, or its kind, is another one (wrong digest)",
	decryptionError:  "the password of privacy, or its kind, is another one (decryption error)",
	unknownContext:   "it does not know the context (unknown context)",
}

// report is what an agent says about a request instead of answering it.
type report struct{ of string }

func (r *report) Error() string {
	if words := reported[r.of]; words != "" {
		return ErrDenied.Error() + ": " + words
	}
	return ErrDenied.Error() + ": it reports " + strings.TrimPrefix(r.of, ".")
}

// Is makes a report an ErrDenied.
func (r *report) Is(target error) bool { return target == ErrDenied }

// mends tells whether asking again helps, now that we know better.
func (r *report) mends() bool { return r.of == notInWindow || r.of == unknownEngine }

// reportOf reads a report; nil where a PDU is none.
func reportOf(pdu []byte) *report {
	body := reading(pdu).inside(byte(gosnmp.Report))
	body.number()
	body.number()
	body.number()
	variable := body.inside(tagSequence).inside(tagSequence)
	name := variable.next(byte(gosnmp.ObjectIdentifier))
	if body.err != nil || variable.err != nil {
		return nil
	}
	return &report{oidOf(name)}
}
