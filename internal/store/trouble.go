package store

import (
	"errors"

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
