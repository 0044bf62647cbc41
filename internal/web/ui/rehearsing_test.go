package ui

import (
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/domain"
)

func TestHowAFormComesBack(t *testing.T) {
	var errs domain.FieldErrors
	notice, left := Refused(fmt.Errorf("rule 3: %w", domain.ErrChanged), &errs)
	assert.Equal(t, ChangedMeanwhile, notice)
	assert.NoError(t, left)
	assert.Empty(t, errs)
	notice, left = Refused(fmt.Errorf("more: %w", domain.FieldErrors{"name": "too long"}), &errs)
	assert.Empty(t, notice)
	assert.NoError(t, left)
	assert.Equal(t, "too long", errs["name"])
	broken := errors.New("broken")
	_, left = Refused(broken, &errs)
	assert.ErrorIs(t, left, broken)
	_, left = Refused(nil, &errs)
	assert.NoError(t, left)
	assert.Equal(t, "load, input delay:400ms from:#form", Rehearsing{Form: "form", On: "input delay:400ms"}.Trigger())
}
