package tag

import (
	"fmt"
	"strings"
	"testing"

	"tirelessowl/internal/domain"

	"github.com/stretchr/testify/assert"
)

func TestTagsAreRead(t *testing.T) {
	for typed, want := range map[string][]string{
		"":                         {},
		" , ,":                     {},
		"night":                    {"night"},
		"#night, ferry stop,night": {"ferry stop", "night"},
		"Ä, b":                     {"b", "Ä"},
	} {
		got, problem := Read(typed)
		assert.Empty(t, problem, typed)
		assert.ElementsMatch(t, want, got, typed)
	}
}

func TestWrongTagsAreTold(t *testing.T) {
	for _, typed := range []string{"a=b", "a, ##b", "x\x00y", "two\nlines", strings.Repeat("ä", 61), "\xff"} {
		got, problem := Read(typed)
		assert.Contains(t, problem, "is no tag", typed)
		assert.Nil(t, got)
		assert.LessOrEqual(t, len([]rune(problem)), 150)
	}
	var many []string
	for i := range Most + 1 {
		many = append(many, fmt.Sprint("t", i))
	}
	_, problem := Read(strings.Join(many, ","))
	assert.Equal(t, "At most 20 tags.", problem)
	got, _ := Read(strings.Join(many[:Most], ",") + ", t0")
	assert.Len(t, got, Most, "the same one counts once")
}

func TestShared(t *testing.T) {
	assert.Equal(t, "b", Shared([]string{"a", "b"}, []string{"c", "b"}))
	assert.Empty(t, Shared([]string{"a"}, nil))
	assert.Equal(t, []string{"a", "b", "c"}, Union([]string{"c", "a"}, nil, []string{"b", "a"}))
}

func TestTheBoundsOfANameAreInside(t *testing.T) {
	longest := strings.Repeat("ß", domain.MostAttributeName)
	assert.False(t, Valid(""))
	assert.True(t, Valid("a"))
	assert.True(t, Valid(longest))
	assert.False(t, Valid(longest+"s"))
	_, problem := Read(longest + "=")
	assert.Contains(t, problem, "“"+longest+"…”", "one too many is cut")
	_, problem = Read(longest[2:] + "=")
	assert.Contains(t, problem, "“"+longest[2:]+"=”")
}
