package judge

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
)

// About is what a rule is about, in words, and what an actor may do with it.
type About struct {
	Reading string // such as “Interfaces: Errors in”
	Device  string // that it is for alone; empty for all
	May     domain.Access
}

// About returns it of each of some rules.
func (s *Service) About(ctx context.Context, who access.Actor, rules ...rule.Rule) ([]About, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaJudge)
	if err != nil {
		return nil, err
	}
	var ids []domain.ID
	for _, r := range rules {
		if r.DeviceID != 0 {
			ids = append(ids, r.DeviceID)
		}
	}
	devices, err := seen.Devices.Some(ctx, ids)
	if err != nil {
		return nil, err
	}
	byID := make(map[domain.ID]domain.Device, len(devices))
	for _, d := range devices {
		byID[d.ID] = d
	}
	out, catalogue := make([]About, len(rules)), s.kits.CatalogueIn(ctx)
	for i, r := range rules {
		at, d := domain.At(0), byID[r.DeviceID]
		if r.DeviceID != 0 {
			at = d.Spot()
		}
		out[i] = About{inWords(catalogue, r.Kit, r.Reading), d.Name, who.Level(domain.AreaJudge, at)}
	}
	return out, nil
}

// inWords is what a reading is called beside its kit.
func inWords(c *kit.Catalogue, kitName, key string) string {
	k, err := c.Kit(kitName)
	if err != nil {
		return kitName + ": " + key
	}
	reading, _ := k.Reading(key)
	if _, is := own.DeviceOf(kitName); is {
		return cmp.Or(reading.Name, key)
	}
	return k.Title + ": " + cmp.Or(reading.Name, key)
}

// Judgeable is a reading that rules can judge.
type Judgeable struct {
	Kit, Key string
	Words    string // such as “Interfaces: Errors in”
	About    string
	Unit     string
	Of       string // the kind of part that has it; empty for the device
	Rules    int    // on it already
}

// Judgeable are the readings of all kits that rules can judge, by kit and name, of which the words
// hold what is searched for.
func (s *Service) Judgeable(ctx context.Context, who access.Actor, search string) (out []Judgeable, err error) {
	rules, err := s.Rules(ctx, who)
	if err != nil {
		return nil, err
	}
	count := map[string]int{}
	for _, r := range rules {
		count[r.Kit+"/"+r.Reading]++
	}
	search = strings.ToLower(strings.TrimSpace(search))
	catalogue := s.kits.CatalogueIn(ctx)
	for _, k := range catalogue.Kits() {
		for _, r := range k.Readings {
			x := Judgeable{k.Name, r.Key, inWords(catalogue, k.Name, r.Key), r.About, r.Unit, r.Of, count[k.Name+"/"+r.Key]}
			fits := strings.Contains(strings.ToLower(x.Words+" "+x.About+" "+x.Unit), search)
			if fits && len(s.kinds.Fitting(r.Subject())) > 0 {
				out = append(out, x)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Judgeable) int { return strings.Compare(a.Words, b.Words) })
	return out, nil
}
