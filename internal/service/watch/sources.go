package watch

import (
	"context"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/domain"
)

// Source is one thing that a device is asked, and how that goes. One that was not
// asked yet has no state.
type Source struct {
	domain.Source
	Title string `json:"title"`
	// Advice is what helps against its failure, where that is known.
	Advice string `json:"advice"`
	Way    string `json:"way"`
	// Ran is when it was asked last, as far as that is known.
	Ran   domain.SourceRun `json:"-"`
	Every time.Duration    `json:"-"`
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
	out, err := l.sources(ctx, d.ID, s.kits.Effective(tree, d, fittings))
	if err != nil {
		return nil, err
	}
	ran, err := s.engine.Ran(ctx, deviceID)
	for i, x := range out {
		out[i].Ran = ran[deviceID][x.Kit+"/"+x.Source.Source]
	}
	return out, err
}

func (s looking) sources(ctx context.Context, deviceID domain.ID, kits []fit.Effective) (out []Source, err error) {
	stored, err := s.store.Sources.Of(ctx, deviceID)
	if err != nil {
		return nil, err
	}
	known := map[string]domain.Source{}
	for _, x := range stored {
		known[x.Kit+"/"+x.Source] = x
	}
	for _, e := range kits {
		k := e.Kit
		for _, src := range k.SourcesFor(e.Values) {
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
