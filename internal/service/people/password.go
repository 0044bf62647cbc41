package people

import (
	"fmt"
	"strings"

	"github.com/ccojocar/zxcvbn-go"

	"tirelessowl/internal/domain"
)

const (
	minPassword = 8
	maxPassword = 72 // bytes: bcrypt reads no more
	// leastBits is how hard a new password is to guess at least, by an estimate that knows
	// words, names, dates and rows of keys: a million guesses, for which the gate takes years.
	leastBits = 20
	// leastElse is how many characters there must be besides the own name.
	leastElse = 4
)

// checkPassword says what is wrong with a new password of a person.
func checkPassword(errs domain.FieldErrors, password domain.Secret, u domain.User) {
	text := password.Reveal()
	switch n := len(text); {
	case n < minPassword:
		errs["password"] = fmt.Sprintf("Must have at least %d characters.", minPassword)
	case n > maxPassword:
		errs["password"] = fmt.Sprintf("At most %d bytes: letters with accents, and those of other scripts, take two to four.", maxPassword)
	case isOwn(text, u):
		errs["password"] = "It is hardly more than the own name."
	case zxcvbn.PasswordStrength(text, []string{u.Name, u.Display, "tireless", "owl"}).Entropy < leastBits:
		errs["password"] = "It would be guessed soon: it is a well-known word, a name, a date or a row of keys. Take several words."
	}
}

// isOwn tells whether little is left of a password without the names of its person.
func isOwn(password string, u domain.User) bool {
	left := strings.ToLower(password)
	for _, name := range append(strings.Fields(u.Display), u.Name) {
		left = strings.ReplaceAll(left, strings.ToLower(name), "")
	}
	return len(left) < leastElse && left != strings.ToLower(password)
}
