package demo

import (
	"context"
	"fmt"
	"math"
	"net/netip"
	"time"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
)

// Large is a large estate for trying out size: many equal switches, with a
// past that is made up rather than collected.
type Large struct {
	World
	Devices int
	// At returns the address of the i-th device.
	At func(i int) netip.Addr
	// Days is how long the past is: a sample in five minutes for the last
	// fortnight, one in a quarter of an hour before.
	Days int
	// Groups is how many groups each site has; the devices are in these then.
	Groups int
}

const (
	largePorts   = 4
	largeSites   = 40
	largeFine    = 5 * time.Minute
	largeCoarse  = 15 * time.Minute
	largeFineFor = 14 * 24 * time.Hour
)

// Grounds is what all devices of a large estate share.
type Grounds struct {
	sites      []domain.ID
	credential domain.ID
}

// BuildGrounds makes the people, the places and the credential.
func (l *Large) BuildGrounds(ctx context.Context) (g Grounds, err error) {
	if err := l.people(ctx); err != nil {
		return g, err
	}
	c, err := l.Store.Credentials.Add(
		ctx,
		domain.Credential{Name: "Kittiwake read", Kind: "snmp-v2c", Ranges: "127.0.0.0/8"},
		domain.Secrets{"community": l.Community},
	)
	if err != nil {
		return g, err
	}
	g.credential = c.ID
	root, err := l.Store.Places.Save(ctx, domain.Place{Name: "Kittiwake Line, large", Kind: domain.Organisation})
	if err != nil {
		return g, err
	}
	for i := range largeSites {
		p, err := l.Store.Places.Save(ctx, domain.Place{ParentID: root.ID, Name: fmt.Sprintf("Quay %02d", i+1), Kind: domain.Site})
		if err != nil {
			return g, err
		}
		if l.Groups == 0 {
			g.sites = append(g.sites, p.ID)
		}
		for n := range l.Groups {
			group, err := l.Store.Places.Save(ctx, domain.Place{ParentID: p.ID, Name: fmt.Sprintf("Berth %02d", n+1), Kind: domain.Group})
			if err != nil {
				return g, err
			}
			g.sites = append(g.sites, group.ID)
		}
	}
	return g, nil
}

// BuildDevice makes the i-th device with its parts and series, which it returns.
func (l *Large) BuildDevice(ctx context.Context, g Grounds, i int, now time.Time) (out []domain.Series, err error) {
	err = l.Store.InTx(ctx, func(tx *store.Areas) error {
		d, err := tx.Devices.Add(
			ctx,
			domain.Device{PlaceID: g.sites[i%len(g.sites)], Name: fmt.Sprintf("fleet-%d", i), Address: l.At(i), Kind: "switch",
				Vendor: vendorOf("BS-24"), Model: "BS-24", CreatedAt: now},
			"",
			nil,
		)
		if err != nil {
			return err
		}
		if err := l.talk(ctx, tx, d.ID, g.credential); err != nil {
			return err
		}
		for _, name := range []string{"reachability", "interfaces"} {
			if err := tx.Fittings.Fit(ctx, domain.Fitting{DeviceID: d.ID, Kit: name}); err != nil {
				return err
			}
		}
		var parts []domain.Part
		for n := range largePorts {
			port := fmt.Sprintf("port%d", n+1)
			parts = append(
				parts,
				domain.Part{
					DeviceID: d.ID,
					Kit:      "interfaces",
					Kind:     "interface",
					Key:      port,
					Index:    fmt.Sprint(n + 1),
					Name:     port,
					Speed:    1e9,
				},
			)
		}
		if parts, err = tx.Parts.Add(ctx, parts); err != nil {
			return err
		}
		out, err = tx.Series.Add(ctx, l.seriesOf(d.ID, parts))
		return err
	})
	return out, err
}

// seriesOf is what the fitted kits would make of the device and its parts.
func (l *Large) seriesOf(device domain.ID, parts []domain.Part) (out []domain.Series) {
	for _, name := range []string{"reachability", "interfaces"} {
		k, err := l.Kits.Kit(name)
		if err != nil {
			continue
		}
		for _, r := range k.Readings {
			src, _ := k.Source(r.Source)
			x := domain.Series{
				DeviceID: device,
				Kit:      k.Name,
				Reading:  r.Key,
				Name:     r.Name,
				Unit:     r.Unit,
				Kind:     r.Kind(),
				Interval: src.Every,
			}
			if r.Of == "" {
				out = append(out, x)
				continue
			}
			for _, p := range parts {
				x.PartID = p.ID
				out = append(out, x)
			}
		}
	}
	return out
}

// Past makes up what was collected of a series until a time.
func (l *Large) Past(x domain.Series, until time.Time) samples.History {
	h := samples.History{Series: x.ID}
	seed := float64(x.ID % 1000)
	add := func(from, to time.Time, step time.Duration) {
		for at := from; at.Before(to); at = at.Add(step) {
			h.Points = append(h.Points, codec.Point{T: at.UnixMilli(), V: largeValue(x.Reading, seed, at)})
		}
	}
	begin, fine := until.AddDate(0, 0, -l.Days).Truncate(largeCoarse), until.Add(-largeFineFor).Truncate(largeCoarse)
	h.Points = make([]codec.Point, 0, int(fine.Sub(begin)/largeCoarse+until.Sub(fine)/largeFine)+2)
	add(begin, fine, largeCoarse)
	add(fine, until, largeFine)
	return h
}

// largeValue is a day's wave with noise where the reading moves.
func largeValue(reading string, seed float64, at time.Time) float64 {
	switch reading {
	case "in", "out":
		minute := float64(at.Unix()/60%1440) / 1440
		mbit := 40 + seed/25 + 30*math.Sin(2*math.Pi*(minute+seed/1000)) + 4*noise(seed, at)
		return math.Round(mbit*1e4) * 100
	case "time":
		return math.Round((2+noise(seed, at)+seed/500)*1000) / 1e6
	case "state":
		return 1
	}
	return 0
}

// noise is between 0 and 1, and the same for five minutes.
func noise(seed float64, at time.Time) float64 {
	x := float64(at.Unix()/300)*12.9898 + seed*78.233
	return x - math.Floor(x) // math.Mod took a quarter of the whole load
}
