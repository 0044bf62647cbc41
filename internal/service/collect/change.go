package collect

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// KitChange is what a further version of a kit would do.
type KitChange struct {
	Kit         *kit.Kit         `json:"-"`
	Name        string           `json:"kit"`
	New         bool             `json:"new"` // there is no such kit yet
	Differences []kit.Difference `json:"differences"`
	Devices     int              `json:"devices"` // that it is fitted to, as far as they are seen
	Gained      int              `json:"series_gained"`
	Lost        int              `json:"series_lost"`
	// Before and After are the costs on all these devices.
	// Cautions are what does not fit together in it.
	Cautions []kit.Caution `json:"cautions"`
	Before   kit.Cost      `json:"before"`
	After    kit.Cost      `json:"after"`
	Why      why.Trace     `json:"why"`
}

// kitName is what a kit may be called: it stands in addresses.
var kitName = regexp.MustCompile(`^[a-z0-9][a-z0-9-]{0,59}$`)

// Parsed reads a kit file that people brought; what is wrong is told by the field document.
func (s *Service) Parsed(ctx context.Context, document string) (*kit.Kit, error) {
	if len(document) > MaxKit {
		return nil, domain.FieldErrors{"document": fmt.Sprintf("At most %d KiB.", MaxKit>>10)}
	}
	k, err := kit.Parse([]byte(document), s.Ways, s.Rules)
	if err != nil {
		return nil, domain.FieldErrors{"document": err.Error()}
	}
	if !kitName.MatchString(k.Name) || k.Name == "new" {
		return nil, domain.FieldErrors{"document": "kit: a name of at most 60 small letters, digits and - in between, and not new."}
	}
	if strings.HasPrefix(k.Name, own.Prefix) {
		return nil, domain.FieldErrors{"document": "Kits whose names begin with " + own.Prefix + " belong to one device each."}
	}
	if problem := s.inside(ctx, k); problem != "" {
		return nil, domain.FieldErrors{"document": problem}
	}
	return k, nil
}

// inside says what is wrong with the kits that a kit would bring along; empty for nothing.
func (s *Service) inside(ctx context.Context, k *kit.Kit) string {
	kits := s.CatalogueIn(ctx)
	for _, in := range k.Inside {
		inner, err := kits.Kit(in.Kit)
		if err != nil || strings.HasPrefix(in.Kit, own.Prefix) {
			return fmt.Sprintf("kits: there is no kit %s. Bring that in first.", in.Kit)
		}
		if errs := k.CheckInside(inner, in.Set); len(errs) > 0 {
			return fmt.Sprintf("kits: %s cannot be set so: %s", in.Kit, errs.Error())
		}
	}
	if circle := fit.Circle(k, kits); circle != nil {
		return "kits: they would bring along one another in a circle: " + strings.Join(circle, ", ") + "."
	}
	return ""
}

// RehearseKit tells what bringing in a kit file would do, and changes nothing.
func (s *Service) RehearseKit(ctx context.Context, who access.Actor, document string) (c KitChange, err error) {
	seen, err := s.Desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return c, err
	}
	if c.Kit, err = s.Parsed(ctx, document); err != nil {
		return c, err
	}
	c.Name, c.Cautions = c.Kit.Name, c.Kit.Cautions()
	before, err := s.CatalogueIn(ctx).Kit(c.Name)
	if c.New = errors.Is(err, domain.ErrNotFound); c.New {
		before = nil
	} else if err != nil {
		return c, err
	}
	if c.Differences = kit.Compare(before, c.Kit); c.Differences == nil {
		c.Differences = []kit.Difference{}
	}
	v, err := seen.Fittings.Volume(ctx, c.Name)
	if err != nil {
		return c, err
	}
	c.weigh(before, v, s.BytesPerSample(ctx))
	c.say()
	return c, nil
}

// weigh counts the series and the cost that come and go.
func (c *KitChange) weigh(before *kit.Kit, v store.Volume, bytesPerSample float64) {
	c.Devices = v.Devices
	of := func(k *kit.Kit, key string) int {
		r, _ := k.Reading(key)
		if r.Of != "" {
			return v.Parts[r.Of]
		}
		return v.Devices
	}
	for _, d := range c.Differences {
		switch {
		case d.What != "reading":
		case d.How == kit.Added:
			c.Gained += of(c.Kit, d.Key)
		case d.How == kit.Gone:
			c.Lost += of(before, d.Key)
		}
	}
	if v.Devices == 0 {
		return
	}
	mean := func(p kit.Parts) int { return (v.Parts[p.Kind] + v.Devices/2) / v.Devices }
	if before != nil {
		c.Before = before.Estimate(mean, bytesPerSample).Times(v.Devices)
	}
	c.After = c.Kit.Estimate(mean, bytesPerSample).Times(v.Devices)
}

// say puts it into words.
func (c *KitChange) say() {
	c.Why.Question = "What would this version of the kit do?"
	switch {
	case c.New:
		c.Why.Answer = "a new kit, which is fitted to nothing yet"
	case len(c.Differences) == 0:
		c.Why.Answer = "nothing: it is as the one in force"
	default:
		c.Why.Answer = text.Count(int64(len(c.Differences)), "difference") + ", in force at once on " +
			text.Count(int64(c.Devices), "device")
	}
	for _, d := range c.Differences {
		c.Why.Because(fmt.Sprintf("%s “%s” is %s", text.UpperFirst(d.What), d.Name, d.How), strings.Join(d.Says, "; "), nil)
	}
	if c.Gained > 0 {
		c.Why.Because(text.Count(int64(c.Gained), "series", "series")+" would be gained", "their past begins now", nil)
	}
	if c.Lost > 0 {
		c.Why.Because(text.Count(int64(c.Lost), "series", "series")+" would not be collected any more",
			"their past stays, and goes on when the reading comes back", nil)
	}
}
