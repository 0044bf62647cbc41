package modules

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
	"tirelessowl/objects"
)

func TestMain(m *testing.M) { testkit.Main(m) }

const lamp = `LAMP-MIB DEFINITIONS ::= BEGIN
IMPORTS enterprises FROM SNMPv2-SMI LampColour FROM COLOUR-TC;
lamp OBJECT IDENTIFIER ::= { enterprises 99999 }
lampColour OBJECT-TYPE SYNTAX LampColour MAX-ACCESS read-only STATUS current DESCRIPTION "Its colour." ::= { lamp 1 }
END`

const colour = `COLOUR-TC DEFINITIONS ::= BEGIN
LampColour ::= INTEGER { red(1), green(2) }
END`

func setup(t *testing.T) *Service {
	t.Helper()
	all, err := mib.ReadAll(objects.Files)
	require.NoError(t, err)
	s := testkit.Store(t)
	return New(s, testkit.Desk(s), all)
}

func files(texts ...string) (out []File) {
	for i, text := range texts {
		out = append(out, File{fmt.Sprint("file-", i, ".mib"), []byte(text)})
	}
	return out
}

// A module that lacks another is made anew when that comes, and both are there after a start.
func TestModulesMayComeOneAfterTheOther(t *testing.T) {
	s := setup(t)
	ctx := t.Context()
	problems, err := s.Take(ctx, testkit.Anyone, files(lamp, "no module"))
	require.NoError(t, err)
	require.Len(t, problems, 1)
	assert.Contains(t, problems[0].String(), "file-1.mib: it has no module")
	all, err := s.All(ctx, testkit.Anyone)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, []string{"COLOUR-TC"}, all[0].Missing)
	_, there := s.Objects().Named("lampColour")
	assert.False(t, there)

	_, err = s.Take(ctx, testkit.Anyone, files(colour))
	require.NoError(t, err)
	o, there := s.Objects().Named("lampColour")
	require.True(t, there)
	assert.Equal(t, "green", o.Words[2])
	again := New(s.store, s.desk, s.shipped)
	require.NoError(t, again.Load(ctx))
	_, there = again.Objects().Named("lampColour")
	assert.True(t, there)

	require.NoError(t, s.Remove(ctx, testkit.Anyone, "LAMP-MIB"))
	_, there = s.Objects().Named("lampColour")
	assert.False(t, there)
	assert.ErrorIs(t, s.Remove(ctx, testkit.Anyone, "LAMP-MIB"), domain.ErrNotFound)
}

// What is loaded completes what is shipped, and a name that both have stays with the shipped one.
func TestLoadedModulesCompleteTheShippedOnes(t *testing.T) {
	s := setup(t)
	_, err := s.Take(t.Context(), testkit.Anyone, files(`NEW-IF DEFINITIONS ::= BEGIN
IMPORTS ifEntry FROM IF-MIB enterprises FROM SNMPv2-SMI;
ifOperStatus OBJECT-TYPE SYNTAX INTEGER { up(1), down(2), asleep(8) } ACCESS read-only STATUS current DESCRIPTION "N." ::= { ifEntry 8 }
ifIndex OBJECT IDENTIFIER ::= { enterprises 99997 }
END`))
	require.NoError(t, err)
	state, _ := s.Objects().Named("ifOperStatus")
	assert.Equal(t, "asleep", state.Words[8])
	index, _ := s.Objects().Named("ifIndex")
	assert.Equal(t, "1.3.6.1.2.1.2.2.1.1", index.OID.String(), "no module leads others astray by a name")
}

func TestLoadingInTheBackground(t *testing.T) {
	s := setup(t)
	ctx := t.Context()
	var many []File
	for i := range 200 {
		module := fmt.Sprintf("M%d DEFINITIONS ::= BEGIN x%d OBJECT IDENTIFIER ::= { iso %d } END", i, i, i+50)
		many = append(many, File{fmt.Sprint(i), []byte(module)})
	}
	s.mu.Lock() // so that it cannot end before it is looked at
	require.NoError(t, s.Begin(ctx, testkit.Anyone, many))
	state, err := s.State(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.True(t, state.Running)
	assert.Equal(t, 200, state.All)
	assert.ErrorIs(t, s.Begin(ctx, testkit.Anyone, many), domain.ErrConflict)
	require.NoError(t, s.Stop(ctx, testkit.Anyone))
	s.mu.Unlock()
	ended := func() State {
		require.Eventually(t, func() bool { state, err = s.State(ctx, testkit.Anyone); return err == nil && !state.Running },
			20*time.Second, 5*time.Millisecond)
		return state
	}
	assert.Contains(t, ended().Failed, "stopped")
	all, err := s.All(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Empty(t, all, "nothing is half-done")

	require.NoError(t, s.Begin(ctx, testkit.Anyone, many))
	assert.Empty(t, ended().Failed)
	assert.Equal(t, 200, state.Done)
	all, err = s.All(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Len(t, all, 200)
}

func TestWhatIsTooMuchIsRefused(t *testing.T) {
	s := setup(t)
	ctx := t.Context()
	for _, given := range [][]File{nil, make([]File, MostFiles+1), {{"huge", make([]byte, MostBytes+1)}}} {
		_, err := s.Take(ctx, testkit.Anyone, given)
		var errs domain.FieldErrors
		assert.ErrorAs(t, err, &errs)
	}
	nobody := access.Actor{Kind: access.Person, Name: "nobody"}
	_, err := s.Take(ctx, nobody, files(lamp))
	assert.ErrorIs(t, err, domain.ErrForbidden)
	assert.ErrorIs(t, s.Begin(ctx, nobody, files(lamp)), domain.ErrForbidden)
	_, err = s.Take(ctx, testkit.Anyone, files(lamp, lamp, colour))
	require.NoError(t, err)
	all, err := s.All(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Len(t, all, 2, "of two of one name the last counts")
}
