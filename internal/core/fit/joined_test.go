package fit

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
)

// One value of the harbour feeds the power inside, and by it the lamps inside that.
func TestOneValueFeedsSeveralKits(t *testing.T) {
	shelf := kit.NewCatalogue([]*kit.Kit{
		{Name: "harbour", Parameters: []field.Field{{Name: "volts", Kind: field.Whole, Default: "230"}, {Name: "note", Kind: field.Text}},
			Inside: []kit.Inside{{Kit: "power", Set: map[string]string{"mains": "{volts}"}}}},
		{Name: "power", Parameters: []field.Field{{Name: "mains", Kind: field.Whole, Default: "110"}},
			Inside: []kit.Inside{{Kit: "lamps", Set: map[string]string{"feed": "{mains}"}}}},
		{Name: "lamps", Parameters: []field.Field{{Name: "feed", Kind: field.Whole, Default: "12", High: 300}}},
	}, nil)
	d := domain.Device{ID: 7, PlaceID: 2}
	feed := func(parameters map[string]string, set ...domain.Override) string {
		tree := inherit.NewTree([]domain.Place{{ID: 1}, {ID: 2, ParentID: 1}}, set)
		said := []domain.Fitting{
			{Kit: "lamps", Inside: "power", Presets: map[string]string{"feed": "{mains}"}},
			{Kit: "harbour", Parameters: parameters},
			{Kit: "power", Inside: "harbour", Presets: map[string]string{"mains": "{volts}"}},
		}
		e, err := Effect(shelf, tree, d, said[0], said...)
		require.NoError(t, err)
		assert.Equal(t, "{mains}", said[0].Presets["feed"], "nothing that was given is changed")
		return e.Whole.Value(e.Values, "feed")
	}
	key := func(kit, name string) domain.SettingKey {
		return domain.KitSetting{Sort: domain.Parameter, Kit: kit, Name: name}.Key()
	}
	assert.Equal(t, "230", feed(nil), "the default of the outermost goes all the way")
	assert.Equal(t, "48", feed(map[string]string{"volts": "48"}), "what is typed at the device, too")
	assert.Equal(t, "100", feed(nil, domain.Override{PlaceID: 1, Key: key("harbour", "volts"), Value: "100"}))
	nearer := domain.Override{PlaceID: 2, Key: key("power", "mains"), Value: "24"}
	assert.Equal(t, "24", feed(nil, nearer), "what is set for the kit between goes before")
	assert.Equal(t, "12", feed(map[string]string{"volts": "400"}), "what does not suit counts as not set: at most 300")

	tree := inherit.NewTree(nil, nil)
	e, err := Effect(shelf, tree, d, domain.Fitting{Kit: "lamps", Inside: "power", Presets: map[string]string{"feed": "{mains}"}})
	require.NoError(t, err)
	assert.Empty(t, e.Values, "the kit that brings it along is not there")
	e, err = Effect(shelf, tree, d, domain.Fitting{Kit: "lamps", Inside: "power", Presets: map[string]string{"feed": "{mains}"},
		Parameters: map[string]string{"feed": "6"}}, domain.Fitting{Kit: "power"})
	require.NoError(t, err)
	assert.Equal(t, "6", e.Values["feed"], "what is typed with it goes before")
}

// Kits in a circle are refused when they are brought in; an older database may have some all the same.
func TestKitsThatFeedOneAnotherInACircleEnd(t *testing.T) {
	of := func(name, other string) *kit.Kit {
		return &kit.Kit{Name: name, Parameters: []field.Field{{Name: "p", Kind: field.Text}},
			Inside: []kit.Inside{{Kit: other, Set: map[string]string{"p": "{p}"}}}}
	}
	shelf := kit.NewCatalogue([]*kit.Kit{of("a", "b"), of("b", "a")}, nil)
	preset := map[string]string{"p": "{p}"}
	said := []domain.Fitting{{Kit: "a", Inside: "b", Presets: preset}, {Kit: "b", Inside: "a", Presets: preset}}
	e, err := Effect(shelf, inherit.NewTree(nil, nil), domain.Device{ID: 7}, said[0], said...)
	require.NoError(t, err)
	assert.Empty(t, e.Values)
}
