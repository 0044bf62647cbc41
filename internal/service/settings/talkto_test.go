package settings_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/settings"
	"tirelessowl/internal/testkit"
)

// wrong is what is said against a value.
func wrong(t *testing.T, err error) string {
	t.Helper()
	var errs domain.FieldErrors
	require.ErrorAs(t, err, &errs)
	return errs["value"]
}

// The pier has 192.0.2.1 and 192.0.2.2.
func TestWhatIsWatchedMayBeTalkedTo(t *testing.T) {
	w := setup(t)
	line, pier := inherit.Place(w.line), inherit.Place(w.pier)
	const key = domain.SettingTalkTo
	assert.Equal(t, "np-sw-2 192.0.2.2: lies outside of what the place Line lets be talked to.",
		wrong(t, w.set(t, line, key, "any but 192.0.2.2")))
	assert.False(t, w.setting(t, line, key).Set, "nothing is half-done")
	require.NoError(t, w.set(t, line, key, "192.0.2.0/24"))

	assert.Contains(t, wrong(t, w.set(t, pier, key, "192.0.2.0/24, 198.51.100.7")), "198.51.100.7, of what is set at Pier, lies outside")
	require.NoError(t, w.set(t, pier, key, "192.0.2.0/25"))
	assert.Contains(t, wrong(t, w.set(t, line, key, "192.0.2.0/26")), "192.0.2.64, of what is set at Pier")
	require.NoError(t, w.set(t, pier, key, ""), "what is taken away lets hold what is above")
	require.NoError(t, w.set(t, line, key, "192.0.2.0/26"))

	for _, value := range []string{"x", "192.0.2.1 but 192.0.2.0/30", ","} {
		assert.NotEmpty(t, wrong(t, w.set(t, line, key, value)), value)
	}
	assert.Zero(t, *w.reloads)
}

func TestOnlyAdministratorsBoundAPlace(t *testing.T) {
	w := setup(t)
	places, err := w.store.Places.All(t.Context())
	require.NoError(t, err)
	at := func(level domain.Access) access.Actor {
		given := access.Given{Grant: domain.Grant{PlaceID: w.pier, Level: level}}
		sheet := access.NewSheet(access.NewTree(places), []access.Given{given})
		return access.Actor{Kind: access.Person, ID: 9, Name: "marek", Sheet: sheet}
	}
	typed := settings.Typed{At: inherit.Place(w.pier), Key: domain.SettingTalkTo, Value: "192.0.2.0/24"}
	assert.ErrorIs(t, w.Set(t.Context(), at(domain.AccessConfigure), typed), domain.ErrForbidden)
	_, err = w.Rehearse(t.Context(), at(domain.AccessConfigure), typed)
	assert.ErrorIs(t, err, domain.ErrForbidden)
	require.NoError(t, w.Set(t.Context(), at(domain.AccessAdminister), typed))
	for level, may := range map[domain.Access]bool{domain.AccessConfigure: false, domain.AccessAdminister: true} {
		all, err := w.Of(t.Context(), at(level), inherit.Place(w.pier))
		require.NoError(t, err)
		for _, x := range all {
			assert.Equal(t, may || x.Key != domain.SettingTalkTo, x.May, "%s at %v", x.Key, level)
		}
	}
}

// A rehearsal says the same as what would be done.
func TestBoundsAreRehearsed(t *testing.T) {
	w := setup(t)
	line := inherit.Place(w.line)
	said := func(value string) string {
		trace, err := w.Rehearse(t.Context(), testkit.Anyone, settings.Typed{At: line, Key: domain.SettingTalkTo, Value: value})
		require.NoError(t, err)
		out := trace.Answer
		for _, f := range trace.Facts {
			out += "; " + f.Text
		}
		return out
	}
	assert.Equal(t, "2 devices of here, and what comes, would be held to it", said("192.0.2.0/30"))
	assert.Contains(t, said("192.0.2.2"), "It cannot be set as things are; np-sw-1 192.0.2.1: lies outside")
	assert.Contains(t, said(""), "Anything could be talked to")
	assert.False(t, w.setting(t, line, domain.SettingTalkTo).Set)
}
