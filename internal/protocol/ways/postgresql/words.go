package postgresql

import (
	"errors"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5/pgproto3"

	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/protocol/database"
)

// sqlState tells apart what a server says, by its code (PostgreSQL, appendix A) and its message.
func sqlState(code, message string, t database.Target) error {
	says := func(v verdict.Verdict, format string, args ...any) error {
		return verdict.Fail(v, fmt.Sprintf(format, args...))
	}
	switch code {
	case "28P01":
		return says(verdict.SignInFailed, "the user or its password is not taken")
	case "28000":
		return says(verdict.SignInFailed, "it lets nobody in so: %s", message)
	case "3D000":
		return says(verdict.Unexpected, "there is no database “%s”", t.Database)
	case "53300":
		return says(verdict.Unexpected, "it has as many connections as it allows, and lets in no further one")
	case "57P03", "57P01", "57P02":
		return says(verdict.Unexpected, "it is starting, stopping or recovering: %s", message)
	case "42501":
		return says(verdict.Unexpected, "a right is missing: %s", message)
	case "57014":
		return says(verdict.TimedOut, "the statement takes longer than %s, and was stopped", t.Patience)
	case "55P03":
		return says(verdict.TimedOut, "the statement waited longer than %s for a lock, and was stopped", t.Patience)
	case "25006":
		return says(verdict.Unexpected, "the statement would change something, and was not run: %s", message)
	case "42601":
		return says(verdict.Unexpected, "the statement is not understood: %s", message)
	}
	return says(verdict.Unexpected, "it refuses: %s (%s)", message, code)
}

// plainly leaves to all checks what is told apart there, and says what is special here.
func plainly(err error) error {
	var huge *pgproto3.ExceededMaxBodyLenErr
	switch text := err.Error(); {
	case errors.As(err, &huge):
		return verdict.Fail(verdict.ProtocolError,
			fmt.Sprintf("it sends a message of %d bytes, which is more than is read", huge.ActualBodyLen))
	case strings.Contains(text, "server refused TLS connection"):
		return verdict.Fail(verdict.TLSFailed, "it offers no TLS")
	case strings.Contains(text, "require_auth") || strings.Contains(text, "authentication method"):
		return verdict.Fail(verdict.SignInFailed, "it wants the password itself, which is sent only by TLS with a certificate that holds")
	}
	return err
}
