package mariadb

import (
	"errors"
	"fmt"
	"strings"

	"github.com/go-sql-driver/mysql"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/protocol/database"
)

// inWords tells apart what a server says (MariaDB, error codes).
func inWords(err error, t database.Target) error {
	var said *mysql.MySQLError
	says := func(v verdict.Verdict, format string, args ...any) error {
		return verdict.Fail(v, fmt.Sprintf(format, args...))
	}
	if !errors.As(err, &said) {
		return plainly(err)
	}
	message := text.Brief(strings.TrimSpace(said.Message), 200)
	switch said.Number {
	case 1045, 1698:
		return says(verdict.SignInFailed, "the user or its password is not taken")
	case 1129, 1130:
		return says(verdict.SignInFailed, "it lets nobody in from this machine")
	case 1044, 1049:
		return says(verdict.Unexpected, "the database “%s” is not there for this user", t.Database)
	case 1040, 1203:
		return says(verdict.Unexpected, "it has as many connections as it allows, and lets in no further one")
	case 1142, 1143, 1227, 1370:
		return says(verdict.Unexpected, "a right is missing: %s", message)
	case 1969, 3024:
		return says(verdict.TimedOut, "the statement takes longer than %s, and was stopped", t.Patience)
	case 1205:
		return says(verdict.TimedOut, "the statement waited too long for a lock, and was stopped")
	case 1792:
		return says(verdict.Unexpected, "the statement would change something, and was not run: %s", message)
	case 1064:
		return says(verdict.Unexpected, "the statement is not understood: %s", message)
	}
	return says(verdict.Unexpected, "it refuses: %s (%d)", message, said.Number)
}

// plainly leaves to all checks what is told apart there, and says what is special here.
func plainly(err error) error {
	switch {
	case errors.Is(err, mysql.ErrNoTLS):
		return verdict.Fail(verdict.TLSFailed, "it offers no TLS")
	case errors.Is(err, mysql.ErrCleartextPassword), errors.Is(err, mysql.ErrOldPassword):
		return verdict.Fail(verdict.SignInFailed, "it wants the password itself, which is sent only by TLS with a certificate that holds")
	case errors.Is(err, mysql.ErrUnknownPlugin):
		return verdict.Fail(verdict.SignInFailed, "it wants this user to sign in by a method that is not known here")
	case errors.Is(err, mysql.ErrMalformPkt), errors.Is(err, mysql.ErrPktSync), errors.Is(err, mysql.ErrPktSyncMul),
		errors.Is(err, mysql.ErrInvalidConn):
		return verdict.Fail(verdict.ProtocolError, "it breaks off the connection, sends more than is read, or speaks another protocol")
	}
	return err
}
