package demo

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// Every shipped kit is fitted by exactly one rule, wherever a device shows what it needs; but those that are fitted on
// request.
func TestTheDemosRulesFitEveryKit(t *testing.T) {
	svc := testkit.Kits(t, testkit.Store(t))
	rules, problems := fit.Readable(fittingRules)
	require.Empty(t, problems)
	for _, k := range svc.Kits() {
		if k.OnRequest {
			continue
		}
		facts := append([]string{"answers:snmp"}, k.Needs...)
		var by []string
		for _, r := range rules {
			if slices.Contains(r.Fits, k.Name) {
				by = append(by, r.Name)
			}
		}
		assert.Len(t, by, 1, k.Name)
		all := rules.Resolve(fit.Subject{Device: domain.Device{Name: "np-sw-1"}, Facts: facts}, nil, svc.Catalogue())
		i := slices.IndexFunc(all, func(d fit.Decision) bool { return d.Kit == k.Name })
		require.GreaterOrEqual(t, i, 0)
		assert.True(t, all[i].On, k.Name)
	}
}
