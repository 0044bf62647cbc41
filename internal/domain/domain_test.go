package domain

import (
	"encoding/json"
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestSecretHidesItself(t *testing.T) {
	s := Secret("harbour")
	data, _ := json.Marshal(map[string]any{"a": s})
	for _, text := range []string{fmt.Sprint(s), fmt.Sprintf("%v %+v %#v %q", s, s, s, s), string(data), s.LogValue().String()} {
		assert.NotContains(t, text, "harbour")
	}
	assert.Equal(t, "harbour", s.Reveal())
}

func TestLevels(t *testing.T) {
	for _, l := range []Level{LevelNone, LevelNotice, LevelWarning, LevelCritical} {
		back, err := ParseLevel(l.String())
		assert.NoError(t, err)
		assert.Equal(t, l, back)
		assert.Equal(t, Health(l.String()), HealthOf(l))
	}
	_, err := ParseLevel("dire")
	assert.Error(t, err)
	// RFC 5424 table 2: 2 critical, 4 warning, 5 notice, 6 informational.
	assert.Equal(t, 2, LevelCritical.Syslog())
	assert.Equal(t, 6, LevelNone.Syslog())
	assert.Contains(t, Level(9).String(), "9")
}

func TestHealthOrder(t *testing.T) {
	all := AllHealth()
	for i := 1; i < len(all); i++ {
		assert.Greater(t, all[i-1].Badness(), all[i].Badness())
	}
	assert.Equal(t, Critical, Worse(Fine, Critical))
	assert.Equal(t, Unreachable, Worse(Unreachable, Notice))
}

func TestAccess(t *testing.T) {
	assert.True(t, AccessAdminister.Allows(AccessSee))
	assert.False(t, AccessSee.Allows(AccessOperate))
	assert.False(t, Access("root").Allows(AccessSee))
}

func TestFieldErrors(t *testing.T) {
	assert.NoError(t, FieldErrors{}.OrNil())
	err := FieldErrors{"b": "two", "a": "one"}.OrNil()
	assert.EqualError(t, err, "a: one; b: two")
	var fields FieldErrors
	assert.True(t, errors.As(err, &fields))
}

func TestTheRunsOfAScope(t *testing.T) {
	assert.Equal(t, [][2]ID{{1, 3}, {5, 5}, {7, 8}}, Only(8, 1, 2, 7, 3, 5, 5).InPlaces().Runs)
	assert.Empty(t, Only().InPlaces().Runs)
	assert.Empty(t, Everywhere().InPlaces().Runs)
}
