package fit

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
)

// shelf is kits by name.
type shelf map[string]*kit.Kit

func (s shelf) Kit(name string) (*kit.Kit, error) {
	if k, ok := s[name]; ok {
		return k, nil
	}
	return nil, domain.ErrNotFound
}

func kits(all ...*kit.Kit) shelf {
	out := shelf{}
	for _, k := range all {
		k.Title = k.Name
		out[k.Name] = k
	}
	return out
}

func inside(names ...string) (out []kit.Inside) {
	for _, name := range names {
		out = append(out, kit.Inside{Kit: name})
	}
	return out
}

var kiosk = Subject{
	Device: domain.Device{ID: 7, Name: "np-kiosk-1", Kind: "host", Vendor: "Skua", ObjectID: ".1.3.6.1.4.1.8072.3.2.10",
		Address: netip.MustParseAddr("192.0.2.7")},
	Places:     []string{"North Pier", "Line"},
	Facts:      []string{"answers:snmp", "mib:host", "mib:ups", "table:load", "port:22", "port:443"},
	Tags:       []string{"kiosk"},
	Attributes: map[string]string{"role": "standby"},
}

func rule(t *testing.T, id domain.ID, when string, fits ...string) Rule {
	t.Helper()
	r, err := Read(domain.FittingRule{ID: id, Name: fmt.Sprint("rule ", id), When: when, Fits: fits})
	require.NoError(t, err)
	return r
}

func TestConditionsAskForWhatIsKnownOfADevice(t *testing.T) {
	for when, want := range map[string]bool{
		`kind == "host" && facts.snmp`:                            true,
		`facts.object_id.startsWith("1.3.6.1.4.1.8072.")`:         true,
		`443 in facts.ports && !(80 in facts.ports)`:              true,
		`"kiosk" in tags`:                                         true,
		`attributes["role"] == "standby"`:                         true,
		`attributes.role == "standby"`:                            true,
		`has(attributes.owner)`:                                   false,
		`place == "Line"`:                                         false,
		`"Line" in places`:                                        true,
		`facts.mibs.exists(m, m == "ups")`:                        true,
		`"load" in facts.tables && "snmp" in facts.answers`:       true,
		`vendor.lowerAscii() == "skua" && address == "192.0.2.7"`: true,
	} {
		holds, because, err := rule(t, 1, when).Holds(&kiosk)
		require.NoError(t, err, when)
		assert.Equal(t, want, holds, when)
		assert.NotEmpty(t, because, when)
	}
	_, because, err := rule(t, 1, `attributes.owner == "x"`).Holds(&kiosk)
	require.ErrorContains(t, err, "no such key")
	assert.Equal(t, "attributes is role standby", because)
	_, _, err = rule(t, 1, `facts.mibs.all(a, facts.mibs.all(b, facts.mibs.all(c, facts.mibs.all(d, a + b + c + d != name))))`).
		Holds(&Subject{Facts: slices.Repeat([]string{"mib:x"}, 30)})
	require.ErrorContains(t, err, "cost limit")
	_, err = Compile(`facts.smp`)
	require.ErrorContains(t, err, "character")
	for _, w := range Words() {
		_, err := Compile(w.Name + " == " + w.Name)
		require.NoError(t, err, w.Name)
	}
}

func of(all []Decision, kit string) (d Decision) {
	i := slices.IndexFunc(all, func(d Decision) bool { return d.Kit == kit })
	if i < 0 {
		return d
	}
	return all[i]
}

func texts(d Decision) (out []string) {
	for _, f := range d.Why.Facts {
		out = append(out, f.Text)
	}
	return out
}

func TestTheFirstRuleThatHoldsDecides(t *testing.T) {
	off := rule(t, 2, `"kiosk" in tags`)
	off.KeepsOff = []string{"ups"}
	rules := Rules{rule(t, 1, `kind == "router"`, "ups"), off, rule(t, 3, `"ups" in facts.mibs`, "ups", "host")}
	all := rules.Resolve(kiosk, nil, kits(&kit.Kit{Name: "ups"}, &kit.Kit{Name: "host"}))
	ups, host := of(all, "ups"), of(all, "host")
	assert.False(t, ups.On)
	assert.Equal(t, domain.ID(2), ups.Rule)
	assert.Equal(t, []string{
		"The rule “rule 1” does not hold",
		"The rule “rule 2” keeps it off",
		"The rule “rule 3” would say that it fits it, and comes later",
	}, texts(ups))
	assert.True(t, host.On)
	assert.Equal(t, domain.ByRule, host.By)

	rules[1].Off = true
	assert.True(t, of(rules.Resolve(kiosk, nil, kits(&kit.Kit{Name: "ups"})), "ups").On, "a rule that is off is not asked")
}

func TestPeopleDecideBeforeRules(t *testing.T) {
	shelf := kits(&kit.Kit{Name: "ups"}, &kit.Kit{Name: "printer", Needs: []string{"mib:printer"}})
	rules := Rules{rule(t, 1, "true", "ups", "printer")}
	said := []domain.Fitting{
		{Kit: "ups", By: domain.ByHand, Off: true, Who: "Ines", Since: time.Date(2026, 11, 27, 9, 5, 0, 0, time.UTC)},
		{Kit: "printer", By: domain.ByHand, Who: "Marek"},
	}
	all := rules.Resolve(kiosk, said, shelf)
	ups := of(all, "ups")
	assert.False(t, ups.On)
	assert.Equal(t, "It is kept off by Ines", ups.Why.Facts[0].Text)
	assert.Equal(t, "2026-11-27 09:05 UTC", ups.Why.Facts[0].Detail)
	assert.True(t, of(all, "printer").On, "by hand a kit is fitted whatever the device shows")

	printer := of(rules.Resolve(kiosk, nil, shelf), "printer")
	assert.False(t, printer.On, "by a rule only where the device shows what it needs")
	assert.Contains(t, texts(printer), "It needs what the device does not show")
}

func TestKitsBringAlongOthers(t *testing.T) {
	harbour := &kit.Kit{Name: "harbour", Inside: []kit.Inside{
		{Kit: "power", Set: map[string]string{"mains": "230"}},
		{Kit: "printer"},
	}}
	shelf := kits(
		harbour,
		&kit.Kit{Name: "power", Inside: inside("ups", "system")},
		&kit.Kit{Name: "ups"},
		&kit.Kit{Name: "system"},
		&kit.Kit{Name: "printer", Needs: []string{"mib:printer"}},
	)
	said := []domain.Fitting{{Kit: "harbour", By: domain.ByHand}, {Kit: "system", By: domain.ByHand, Off: true}}
	all := Rules{}.Resolve(kiosk, said, shelf)
	power := of(all, "power")
	assert.True(t, power.On)
	assert.Equal(t, "harbour", power.Inside)
	assert.Equal(t, map[string]string{"mains": "230"}, power.Presets)
	assert.Equal(t, "power", of(all, "ups").Inside)
	assert.False(t, of(all, "system").On, "kept off by hand")
	assert.False(t, of(all, "printer").On, "the device does not show what it needs")
}

func TestWhatCannotBeReadStays(t *testing.T) {
	said := []domain.Fitting{{Kit: "broken", By: domain.ByRule, RuleID: 4}}
	all := Rules{}.Resolve(kiosk, said, shelf{})
	require.Len(t, all, 1)
	assert.True(t, all[0].On)
	assert.False(t, Changes(said, all).Any())
}

func TestCirclesAreNamed(t *testing.T) {
	shelf := kits(&kit.Kit{Name: "a", Inside: inside("b")}, &kit.Kit{Name: "b", Inside: inside("d", "c")}, &kit.Kit{Name: "c"},
		&kit.Kit{Name: "d"})
	assert.Nil(t, Circle(shelf["a"], shelf))
	assert.Equal(t, []string{"c", "a", "b", "c"}, Circle(&kit.Kit{Name: "c", Inside: inside("a")}, shelf))
	assert.Equal(t, []string{"a", "a"}, Circle(&kit.Kit{Name: "a", Inside: inside("a")}, shelf))
}

func TestChanges(t *testing.T) {
	said := []domain.Fitting{{Kit: "a"}, {Kit: "b"}, {Kit: "c", Off: true}, {Kit: "old"}}
	c := Changes(said, []Decision{{Kit: "a", On: true}, {Kit: "b"}, {Kit: "c", On: true}, {Kit: "d"}})
	names := func(all []Decision) (out []string) {
		for _, d := range all {
			out = append(out, d.Kit)
		}
		return out
	}
	assert.Equal(t, []string{"c"}, names(c.Gains))
	assert.Equal(t, []string{"a"}, names(c.Keeps))
	assert.Equal(t, []string{"b", "old"}, names(c.Loses))
}

// Whatever kits bring along one another and in whatever order things were said, it comes out the same, ends,
// and does not change when it is asked again with what came out.
func FuzzResolve(f *testing.F) {
	f.Add(uint64(1))
	f.Add(uint64(77))
	f.Fuzz(func(t *testing.T, seed uint64) {
		r := rand.New(rand.NewPCG(seed, 1))
		var all []*kit.Kit
		name := func() string { return fmt.Sprint("kit-", r.IntN(8)) }
		for i := range 8 {
			k := &kit.Kit{Name: fmt.Sprint("kit-", i)}
			for range r.IntN(3) {
				k.Inside = append(k.Inside, kit.Inside{Kit: name(), Set: map[string]string{"p": fmt.Sprint(i)}})
			}
			if r.IntN(5) == 0 {
				k.Needs = []string{"mib:printer"}
			}
			all = append(all, k)
		}
		shelf := kits(all...)
		var rules Rules
		for i := range r.IntN(4) {
			x := rule(t, domain.ID(i+1), []string{"true", "false", `kind == "host"`, "attributes.nothing == name"}[r.IntN(4)], name())
			x.KeepsOff = []string{name()}
			rules = append(rules, x)
		}
		var said []domain.Fitting
		for _, n := range r.Perm(8)[:r.IntN(5)] {
			said = append(said, domain.Fitting{Kit: fmt.Sprint("kit-", n), By: domain.ByHand, Off: r.IntN(3) == 0})
		}
		first := rules.Resolve(kiosk, said, shelf)
		r.Shuffle(len(said), func(i, j int) { said[i], said[j] = said[j], said[i] })
		second := rules.Resolve(kiosk, said, shelf)
		require.Equal(t, len(first), len(second))
		var fitted []domain.Fitting
		for i := range first {
			assert.Equal(t, first[i].Why, second[i].Why)
			d := second[i]
			assert.NotEmpty(t, d.Why.Facts)
			if d.On || d.By == domain.ByHand {
				f := domain.Fitting{Kit: d.Kit, By: d.By, Off: !d.On, RuleID: d.Rule, Inside: d.Inside, Presets: d.Presets}
				fitted = append(fitted, f)
			}
		}
		assert.False(t, Changes(fitted, rules.Resolve(kiosk, fitted, shelf)).Any(), "it has settled")
	})
}
