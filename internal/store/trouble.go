package store

import (
	"context"
	"errors"
	"net"

	"github.com/jackc/pgx/v5/pgconn"
	"gorm.io/gorm"

	"tirelessowl/internal/domain"
)

// Trouble tells whether an error is one of the database itself, such as that it
// is away, full or busy: then a further try may help. What it refuses for its
// own reason, such as a reference to what is gone, would be refused again.
func Trouble(err error) bool {
	if err == nil {
		return false
	}
	for _, own := range []error{domain.ErrNotFound, domain.ErrConflict, gorm.ErrRecordNotFound, gorm.ErrDuplicatedKey,
		gorm.ErrForeignKeyViolated, gorm.ErrCheckConstraintViolated, gorm.ErrInvalidData, gorm.ErrInvalidValue} {
		if errors.Is(err, own) {
			return false
		}
	}
	var refused *pgconn.PgError
	if errors.As(err, &refused) && len(refused.Code) == 5 {
		switch refused.Code[:2] { // classes of SQLSTATE, PostgreSQL appendix A
		case "22", "23": // data exception, integrity constraint violation
			return false
		}
	}
	return true
}

// Unavailable tells whether an error is one that says so of the database: it is
// away, full, out of connections or takes no changes now.
func Unavailable(err error) bool {
	var said *pgconn.PgError
	if errors.As(err, &said) && len(said.Code) == 5 {
		switch said.Code[:2] { // insufficient resources, operator intervention, system error, connection exception
		case "53", "57", "58", "08":
			return true
		}
		return said.Code == "25006" // read_only_sql_transaction
	}
	var connecting *pgconn.ConnectError
	return errors.As(err, &connecting) || errors.Is(err, errWentAway)
}

// Plain is what an error of the database says, without how it was asked.
func Plain(err error) string {
	var said *pgconn.PgError
	if errors.As(err, &said) {
		return said.Message
	}
	var network *net.OpError
	if errors.As(err, &network) {
		return network.Err.Error()
	}
	switch {
	case err == nil:
		return ""
	case errors.Is(err, context.DeadlineExceeded):
		return "it does not answer in time"
	}
	return err.Error()
}
