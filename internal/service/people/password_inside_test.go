package people

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/domain"
)

func TestPasswordsThatAreRefused(t *testing.T) {
	u := domain.User{Name: "ines", Display: "Ines Tern"}
	wrong := func(password domain.Secret) string {
		errs := domain.FieldErrors{}
		checkPassword(errs, password, u)
		return errs["password"]
	}
	for password, why := range map[domain.Secret]string{
		"":                                       "at least 8",
		"short-7":                                "at least 8",
		domain.Secret(strings.Repeat("ß", 37)):   "At most 72 bytes", // 74
		domain.Secret(strings.Repeat("x1-", 25)): "At most 72 bytes",
		"password":                               "guessed soon",
		"P4ssw0rd!":                              "guessed soon",
		"12345678":                               "guessed soon",
		"qwertyuiop":                             "guessed soon",
		"aaaaaaaaaaaa":                           "guessed soon",
		"Summer2026":                             "guessed soon",
		"ines1234":                               "guessed soon",
		"inesines":                               "own name",
		"INES-tern-1":                            "own name",
	} {
		assert.Contains(t, wrong(password), why, password.Reveal())
	}
	for _, password := range []domain.Secret{"night-watch", "outer-quay", "crowd-of-owls", "gqz7-wk2m", "ines saw nine gannets"} {
		assert.Empty(t, wrong(password), password.Reveal())
	}
}
