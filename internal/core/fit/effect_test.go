package fit

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
)

// power has two sources: one feeds the charge and the load, the other the rows of its outlets.
func power() *kit.Catalogue {
	return kit.NewCatalogue([]*kit.Kit{{
		Name:       "power",
		Title:      "Power",
		Parameters: []field.Field{{Name: "mains", Kind: field.Text, Default: "230"}},
		Sources:    []kit.Source{{Key: "whole", Every: time.Minute}, {Key: "outlets", Every: 2 * time.Minute}},
		Parts:      []kit.Parts{{Kind: "outlet", Source: "outlets"}},
		Readings: []kit.Reading{
			{Key: "charge", Source: "whole"},
			{Key: "load", Source: "whole"},
			{Key: "state", Source: "outlets", Of: "outlet"},
		},
	}}, nil)
}

// Line (1) > Pier (2); the device 7 stands on the pier.
func effect(t *testing.T, f domain.Fitting, set ...domain.Override) Effective {
	t.Helper()
	tree := inherit.NewTree([]domain.Place{{ID: 1, Name: "Line"}, {ID: 2, ParentID: 1, Name: "Pier"}}, set)
	f.Kit = "power"
	e, err := Effect(power(), tree, domain.Device{ID: 7, PlaceID: 2}, f)
	require.NoError(t, err)
	return e
}

func setting(sort domain.KitSort, name string) domain.SettingKey {
	return domain.KitSetting{Sort: sort, Kit: "power", Name: name}.Key()
}

func keys(e Effective) (readings, sources []string) {
	for _, r := range e.Kit.Readings {
		readings = append(readings, r.Key)
	}
	for _, s := range e.Kit.Sources {
		sources = append(sources, s.Key+" "+s.Every.String())
	}
	return readings, sources
}

func TestAKitIsCollectedAsItSays(t *testing.T) {
	e := effect(t, domain.Fitting{})
	assert.Same(t, e.Whole, e.Kit)
	assert.Equal(t, "as the kit says", e.Why().Answer)
}

func TestWhatIsOffIsNotAsked(t *testing.T) {
	e := effect(t, domain.Fitting{}, domain.Override{PlaceID: 1, Key: setting(domain.ReadingOn, "charge"), Value: "off"})
	readings, sources := keys(e)
	assert.Equal(t, []string{"load", "state"}, readings)
	assert.Equal(t, []string{"whole 1m0s", "outlets 2m0s"}, sources)
	set, off := e.Off("charge")
	require.True(t, off)
	assert.Equal(t, "at its place or further up", set.At())
	_, off = e.Off("load")
	assert.False(t, off)
	assert.Equal(t, "The reading charge is switched off", e.Why().Facts[0].Text)

	e = effect(t, domain.Fitting{},
		domain.Override{PlaceID: 1, Key: setting(domain.ReadingOn, "charge"), Value: "off"},
		domain.Override{PlaceID: 2, Key: setting(domain.ReadingOn, "load"), Value: "off"},
		domain.Override{PlaceID: 1, Key: setting(domain.SourceOn, "outlets"), Value: "off"})
	readings, sources = keys(e)
	assert.Empty(t, readings)
	assert.Empty(t, sources, "nobody reads the first any more, the second is off")
	assert.Empty(t, e.Kit.Parts)
	set, off = e.Off("state")
	assert.True(t, off)
	assert.Equal(t, domain.SourceOn, set.Sort)
}

func TestWhatIsSetLowerHolds(t *testing.T) {
	off := domain.Override{PlaceID: 1, Key: setting(domain.KitOn, ""), Value: "off"}
	readings, _ := keys(effect(t, domain.Fitting{}, off))
	assert.Empty(t, readings)
	readings, _ = keys(effect(t, domain.Fitting{}, off, domain.Override{DeviceID: 7, Key: off.Key, Value: "on"}))
	assert.Len(t, readings, 3)
}

// An interval that is set is not stretched; the others are: 2 × 2 min = 4 min.
func TestIntervalsAreSet(t *testing.T) {
	e := effect(t, domain.Fitting{},
		domain.Override{PlaceID: 1, Key: domain.SettingStretch, Value: "2"},
		domain.Override{PlaceID: 2, Key: setting(domain.Every, "whole"), Value: "90s"},
		domain.Override{DeviceID: 7, Key: setting(domain.Every, "outlets"), Value: "5 ms"}) // nothing that can be
	_, sources := keys(e)
	assert.Equal(t, []string{"whole 1m30s", "outlets 4m0s"}, sources)
}

func TestParametersComeFromTheNearest(t *testing.T) {
	place := domain.Override{PlaceID: 1, Key: setting(domain.Parameter, "mains"), Value: "110"}
	assert.Equal(t, map[string]string{"mains": "110"}, effect(t, domain.Fitting{}, place).Values)
	preset := map[string]string{"mains": "400"}
	assert.Equal(t, "400", effect(t, domain.Fitting{Presets: preset}).Values["mains"])
	assert.Equal(t, "110", effect(t, domain.Fitting{Presets: preset}, place).Values["mains"], "the tree goes before another kit")
	typed := domain.Fitting{Presets: preset, Parameters: map[string]string{"mains": "48"}}
	assert.Equal(t, "48", effect(t, typed, place).Values["mains"], "and what is typed before the tree")
	assert.Equal(t, "400", preset["mains"], "nothing that was given is changed")
}

func TestSettingsOfKitsAreRead(t *testing.T) {
	for key, want := range map[domain.SettingKey]domain.KitSetting{
		"kit:power":                 {Sort: domain.KitOn, Kit: "power"},
		"every:power:whole":         {Sort: domain.Every, Kit: "power", Name: "whole"},
		"reading:power:charge":      {Sort: domain.ReadingOn, Kit: "power", Name: "charge"},
		"kit:power#kiosk":           {Sort: domain.KitOn, Kit: "power", Tag: "kiosk"},
		"every:power:whole#no rush": {Sort: domain.Every, Kit: "power", Name: "whole", Tag: "no rush"},
	} {
		got, ok := key.OfKit()
		assert.True(t, ok, key)
		assert.Equal(t, want, got)
		assert.Equal(t, key, got.Key())
	}
	for _, key := range []domain.SettingKey{"stretch", "kit:", "kit:power:x", "reading:power", "weather:power:x", "kit:power#", ""} {
		_, ok := key.OfKit()
		assert.False(t, ok, key)
	}
	k, err := power().Kit("power")
	require.NoError(t, err)
	for value, problem := range map[string]string{"on": "", "off": "", "maybe": "It is on or off."} {
		assert.Equal(t, problem, ReadSetting(k, domain.KitSetting{Sort: domain.ReadingOn, Kit: "power", Name: "charge"}, value))
	}
	assert.NotEmpty(t, ReadSetting(k, domain.KitSetting{Sort: domain.SourceOn, Kit: "power", Name: "gone"}, "off"))
	assert.NotEmpty(t, ReadSetting(k, domain.KitSetting{Sort: domain.Every, Kit: "power", Name: "whole"}, "25h"))
	assert.NotEmpty(t, ReadSetting(k, domain.KitSetting{Sort: domain.Every, Kit: "power", Name: "whole"}, "1500ms"))
}

// Who must say what the mains are: until somebody does, nothing is asked that needs it.
func TestWhatMustBeSetIsWaitedFor(t *testing.T) {
	kits := kit.NewCatalogue([]*kit.Kit{{
		Name:       "power",
		Title:      "Power",
		Parameters: []field.Field{{Name: "mains", Label: "Mains", Kind: field.Text, Required: true}},
		Sources: []kit.Source{{Key: "whole", Every: time.Minute},
			{Key: "line", Every: time.Minute, Ask: map[string]string{"of": "line of {mains}"}}},
		Readings: []kit.Reading{{Key: "charge", Source: "whole"}, {Key: "load", Source: "line"}},
	}}, nil)
	at := func(f domain.Fitting, set ...domain.Override) Effective {
		tree := inherit.NewTree([]domain.Place{{ID: 1, Name: "Line"}}, set)
		f.Kit = "power"
		e, err := Effect(kits, tree, domain.Device{ID: 7, PlaceID: 1}, f)
		require.NoError(t, err)
		return e
	}
	e := at(domain.Fitting{})
	readings, sources := keys(e)
	assert.Equal(t, []string{"charge"}, readings)
	assert.Equal(t, []string{"whole 1m0s"}, sources)
	p, lacks := e.Lacks("load")
	assert.True(t, lacks)
	assert.Equal(t, "Mains", p.Label)
	_, lacks = e.Lacks("charge")
	assert.False(t, lacks)
	_, off := e.Off("load")
	assert.False(t, off, "nobody switched it off")
	why := e.Why()
	assert.Equal(t, "in part: a parameter is not set", why.Answer)
	assert.Equal(t, "what needs it is not asked: line", why.Facts[0].Detail)

	for _, e := range []Effective{
		at(domain.Fitting{Parameters: map[string]string{"mains": "230"}}),
		at(domain.Fitting{Presets: map[string]string{"mains": "230"}}),
		at(domain.Fitting{}, domain.Override{PlaceID: 1, Key: setting(domain.Parameter, "mains"), Value: "230"}),
	} {
		readings, _ := keys(e)
		assert.Equal(t, []string{"charge", "load"}, readings)
		assert.Empty(t, e.Missing)
	}
}
