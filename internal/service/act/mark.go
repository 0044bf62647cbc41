package act

import (
	"crypto/sha256"
	"encoding/hex"

	"tirelessowl/internal/domain"
)

// markBytes is how much of the digest a mark is.
const markBytes = 8

// Mark is the same for things that are the same. Who changes one that has no version names
// the mark of what he saw.
func Mark(x any) string {
	sum := sha256.Sum256(document(x))
	return hex.EncodeToString(sum[:markBytes])
}

// Since is ErrChanged where a thing is no more what somebody saw, by its mark; where that is
// empty any will do.
func Since(now any, mark string) error {
	if mark != "" && mark != Mark(now) {
		return domain.ErrChanged
	}
	return nil
}
