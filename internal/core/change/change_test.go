package change

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
)

// power reads the charge of a device and, of each outlet, its load.
func power(more ...kit.Reading) *kit.Kit {
	return &kit.Kit{
		Name:    "power",
		Title:   "Power",
		Sources: []kit.Source{{Key: "whole", Every: time.Minute}, {Key: "outlets", Every: 2 * time.Minute}},
		Parts:   []kit.Parts{{Kind: "outlet", Source: "outlets"}},
		Readings: append([]kit.Reading{
			{Key: "charge", Name: "Charge", Source: "whole"},
			{Key: "load", Name: "Load", Source: "outlets", Of: "outlet"},
		}, more...),
	}
}

// Line (1) > Pier (2), with the devices 7, which has 3 outlets, and 8, which has none. Both have the kit.
func estate() Estate {
	places := []domain.Place{{ID: 1, Name: "Line"}, {ID: 2, ParentID: 1, Name: "Pier"}}
	return Estate{
		Devices: []domain.Device{{ID: 7, Name: "np-ups-1", PlaceID: 2, Kind: "ups"}, {ID: 8, Name: "np-ups-2", PlaceID: 1, Kind: "ups"}},
		Said: map[domain.ID][]domain.Fitting{
			7: {{DeviceID: 7, Kit: "power", By: domain.ByHand}},
			8: {{DeviceID: 8, Kit: "power", By: domain.ByHand}},
		},
		Subject: func(d domain.Device) fit.Subject {
			return fit.Subject{Device: d, Places: inherit.NewAttributes(places, nil).Above(d.PlaceID)}
		},
		Parts:          map[domain.ID]map[string]int{7: {"outlet": 3}},
		BytesPerSample: 10,
	}
}

func world(k *kit.Kit, set ...domain.Override) World {
	var kits []*kit.Kit
	if k != nil {
		kits = append(kits, k)
	}
	return World{Kits: kit.NewCatalogue(kits, nil),
		Tree: inherit.NewTree([]domain.Place{{ID: 1, Name: "Line"}, {ID: 2, ParentID: 1, Name: "Pier"}}, set)}
}

func TestTheSameWorldChangesNothing(t *testing.T) {
	k := power()
	e := Compare(estate(), world(k), world(k))
	assert.Empty(t, e.Devices)
	assert.Equal(t, "nothing", e.Why.Answer)
}

// A reading of outlets is gained three times on the device with three, and not at all on the one without; the
// charge, whose unit is another, is made otherwise on both.
func TestAKitGainsAndChangesReadings(t *testing.T) {
	next := power(kit.Reading{Key: "state", Name: "State", Source: "outlets", Of: "outlet"})
	next.Readings[0].Unit = "%"
	e := Compare(estate(), world(power()), world(next))
	assert.Equal(t, Series{Gained: 3, Changed: 2}, e.Series)
	require.Len(t, e.Devices, 2)
	assert.Equal(t, Series{Gained: 3, Changed: 1}, e.Devices[0].Series)
	// Before, by day: charge 24·60 = 1440 on each of two, load 720 · 3 outlets = 2160: 5040. After 2160 more.
	assert.InDelta(t, 5040, e.Before.SamplesPerDay, 1e-9)
	assert.InDelta(t, 7200, e.After.SamplesPerDay, 1e-9)
	assert.InDelta(t, 7200*30*10, e.After.BytesPerMonth, 1e-6)
	require.Len(t, e.Readings, 2)
	assert.Equal(t, []string{"unit: nothing → %"}, e.Readings[0].Says)
	assert.Equal(t, 2, e.Readings[1].Devices)
}

// What is set on the tree is off on the pier alone, and asks less often on the line.
func TestSettingsOfTheTree(t *testing.T) {
	k := power()
	outlets := domain.KitSetting{Sort: domain.SourceOn, Kit: "power", Name: "outlets"}.Key()
	off := domain.Override{PlaceID: 2, Key: outlets, Value: domain.Off}
	slow := domain.Override{PlaceID: 1, Key: domain.KitSetting{Sort: domain.Every, Kit: "power", Name: "whole"}.Key(), Value: "5m"}
	e := Compare(estate(), world(k), world(k, off, slow))
	assert.Equal(t, Series{Lost: 3, Changed: 2}, e.Series)
	assert.Equal(t, []string{"asked each: 1\u00a0min → 5\u00a0min"}, e.Readings[0].Says)
	assert.Empty(t, e.Devices[0].Gains, "it is the same kits")
}

func TestRulesFitAndAKitThatGoesIsLost(t *testing.T) {
	r, err := fit.Read(domain.FittingRule{ID: 1, Name: "All", When: `kind == "ups"`, Fits: []string{"more"}})
	require.NoError(t, err)
	more := &kit.Kit{Name: "more", Title: "More", Sources: []kit.Source{{Key: "s", Every: time.Minute}},
		Readings: []kit.Reading{{Key: "a", Name: "A", Source: "s"}, {Key: "b", Name: "B", Source: "s"}}}
	k := power()
	before, after := world(k), world(k)
	after.Kits, after.Rules = after.Kits.With("more", more), fit.Rules{r}
	e := Compare(estate(), before, after)
	assert.Equal(t, Series{Gained: 4}, e.Series)
	assert.Equal(t, "2 devices would gain more", e.Why.Facts[0].Text)
	assert.Equal(t, "more", e.Devices[0].Gains[0].Kit)
	assert.NotEmpty(t, e.Devices[0].Gains[0].Why.Facts, "each says why")

	d := estate().Devices[0]
	assert.True(t, Makes(estate(), before, after, d, "more", "b"))
	assert.False(t, Makes(estate(), before, before, d, "more", "b"))

	fitted := estate()
	fitted.Said[7] = append(fitted.Said[7], domain.Fitting{DeviceID: 7, Kit: "more", By: domain.ByRule, RuleID: 1})
	e = Compare(fitted, after, before)
	assert.Equal(t, Series{Lost: 2}, e.Series, "only where it was fitted")
}

// Where rules, needs and what kits bring along are the same, no rule is asked: it would take a second for
// thousands of devices.
func TestRulesAreAskedOnlyWhereTheyMatter(t *testing.T) {
	next := power()
	next.Readings[0].Unit = "%"
	assert.False(t, refits(world(power()), world(next)))
	needing := power()
	needing.Needs = []string{"mib:ups"}
	assert.True(t, refits(world(power()), world(needing)))
	assert.True(t, refits(world(power()), world(nil)))
	bringing := power()
	bringing.Inside = []kit.Inside{{Kit: "more"}}
	assert.True(t, refits(world(power()), world(bringing)))
}
