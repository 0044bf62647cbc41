package watch

import (
	"context"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/domain"
)

// Source is one thing that a device is asked, and how that goes. One that was not
// asked yet has no state.
type Source struct {
	domain.Source
	Title string `json:"title"`
	// Advice is what helps against its failure, where that is known.
	Advice string        `json:"advice"`
	Way    string        `json:"way"`
	Every  time.Duration `json:"-"`
}

// Sources returns what a device is asked, in the order of its kits.
func (s *Service) Sources(ctx context.Context, who access.Actor, deviceID domain.ID) ([]Source, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return nil, err
	}
	d, err := l.store.Devices.One(ctx, deviceID)
	if err != nil {
		return nil, err
	}
	tree, err := s.store.Tree(ctx)
	if err != nil {
		return nil, err
	}
	fittings, err := l.store.Fittings.Of(ctx, deviceID)
	if err != nil {
		return nil, err
	}
	stretch, _ := tree.Stretch(d)
	return l.sources(ctx, d.ID, fittings, stretch)
}

func (s looking) sources(
	ctx context.Context,
	deviceID domain.ID,
	fittings []domain.Fitting,
	stretch float64,
) (out []Source, err error) {
	stored, err := s.store.Sources.Of(ctx, deviceID)
	if err != nil {
		return nil, err
	}
	known := map[string]domain.Source{}
	for _, x := range stored {
		known[x.Kit+"/"+x.Source] = x
	}
	for _, f := range fittings {
		k, err := s.kits.Stretched(f.Kit, stretch)
		if err != nil {
			continue
		}
		for _, src := range k.SourcesFor(f.Parameters) {
			x, asked := known[k.Name+"/"+src.Key]
			if !asked {
				x = domain.Source{DeviceID: deviceID, Kit: k.Name, Source: src.Key}
			}
			out = append(
				out,
				Source{Source: x, Title: k.SourceTitle(src), Advice: derive.Failure(x.Failure).Advice(), Way: src.Way, Every: src.Every},
			)
		}
	}
	return out, nil
}
