package demo

import (
	"context"
	"slices"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// The rules that fit the kits of databases, by what people say of devices.
const (
	ruleDatabases = "Databases"
	ruleActive    = "Active databases"
	ruleStandby   = "Standby databases"
)

// fittingRules are those of the demo world: each kit is fitted by one of them.
var fittingRules = []domain.FittingRule{
	{Name: "Whatever answers", When: `facts.snmp`, Fits: []string{"reachability", "system"}},
	{
		Name: "Network ports",
		When: `facts.mibs.exists(m, m in ["interfaces", "bridge"])`,
		Fits: []string{"bridge", "interface-errors", "interfaces"},
	},
	{
		Name: "Hosts",
		When: `"host" in facts.mibs || facts.tables.exists(t, t in ["load", "disks", "disk-io"])`,
		Fits: []string{"disk-io", "free-space", "host-resources", "unix-host"},
	},
	{Name: "Power supplies", When: `"ups" in facts.mibs`, Fits: []string{"ups"}},
	{Name: "Sensors", When: `"sensors" in facts.mibs`, Fits: []string{"environment"}},
	{Name: "Routing", When: `"bgp" in facts.mibs || "ospf" in facts.mibs`, Fits: []string{"bgp", "ospf"}},
	{Name: "Printers", When: `"printer" in facts.mibs`, Fits: []string{"printer"}},
	{Name: ruleDatabases, When: `attributes.database == "postgresql"`, Fits: []string{"postgresql"}},
	{Name: ruleActive, When: `attributes.database == "postgresql" && attributes.role == "active"`, Fits: []string{"postgresql-active"}},
	{Name: ruleStandby, When: `attributes.database == "postgresql" && attributes.role == "standby"`, Fits: []string{"postgresql-standby"}},
}

// fitting makes the fitting rules, and returns which of them fits a kit, and all by their names.
func fitting(ctx context.Context, tx *store.Areas) (ruleOf func(kit string) domain.ID, named map[string]domain.ID, err error) {
	named = map[string]domain.ID{}
	var made []domain.FittingRule
	for i, r := range fittingRules {
		r.Rank = i + 1
		if r, err = tx.FittingRules.Save(ctx, r); err != nil {
			return nil, nil, err
		}
		made = append(made, r)
		named[r.Name] = r.ID
	}
	return func(kit string) domain.ID {
		i := slices.IndexFunc(made, func(r domain.FittingRule) bool { return slices.Contains(r.Fits, kit) })
		if i < 0 {
			return 0
		}
		return made[i].ID
	}, named, nil
}
