package engine

import (
	"context"
	"log/slog"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/domain"
)

// aside is what collecting finds beside numbers. It is stored in its order, but
// nobody waits for it. To store it again does no harm.
type aside struct {
	Texts       []domain.SeriesText       `json:"texts,omitempty"`
	States      []seriesState             `json:"states,omitempty"`
	Sources     []domain.Source           `json:"sources,omitempty"`
	Uptimes     []uptimes                 `json:"uptimes,omitempty"`
	Implausible []domain.ImplausibleValue `json:"implausible,omitempty"`
	Jumps       []domain.Jump             `json:"jumps,omitempty"`
}

// seriesState is how collecting a series goes.
type seriesState struct {
	ID    domain.ID          `json:"id"`
	State domain.SeriesState `json:"state"`
	Error string             `json:"error,omitempty"`
}

// uptimes are since when a machine runs, and what answers for it.
type uptimes struct {
	Device domain.ID `json:"device"`
	Booted time.Time `json:"booted"`
	Agent  time.Time `json:"agent"`
}

func (a aside) empty() bool {
	return len(a.Texts)+len(a.States)+len(a.Sources)+len(a.Uptimes)+len(a.Implausible)+len(a.Jumps) == 0
}

func (a *aside) add(more aside) {
	a.Texts = append(a.Texts, more.Texts...)
	a.States = append(a.States, more.States...)
	a.Sources = append(a.Sources, more.Sources...)
	a.Uptimes = append(a.Uptimes, more.Uptimes...)
	a.Implausible = append(a.Implausible, more.Implausible...)
	a.Jumps = append(a.Jumps, more.Jumps...)
}

// pieces are its kinds, each by itself.
func (a aside) pieces() (out []aside) {
	for _, piece := range []aside{{Texts: a.Texts}, {States: a.States}, {Sources: a.Sources}, {Uptimes: a.Uptimes}, {Jumps: a.Jumps},
		{Implausible: a.Implausible}} {
		if !piece.empty() {
			out = append(out, piece)
		}
	}
	return out
}

// aside is what of an outcome goes to the shelf.
func (o *outcome) aside() aside {
	a := aside{Texts: o.texts, Sources: o.sources, Uptimes: o.uptimes, Implausible: o.implausible}
	for _, x := range o.states {
		a.States = append(a.States, seriesState{x.ID, x.State, x.Error})
	}
	return a
}

// asidePatience is how long the end may wait for the database.
const asidePatience = 2 * time.Second

func (c *Collector) shelfAside(log *slog.Logger) *shelf[aside] {
	return &shelf[aside]{
		what:  "texts and states",
		keep:  c.keepAside,
		apart: aside.pieces,
		refused: func(a aside, err error) {
			log.Error(
				"what was collected cannot be stored and is set aside",
				"texts",
				len(a.Texts),
				"states",
				a.States,
				"sources",
				a.Sources,
				"implausible",
				len(a.Implausible),
				"error",
				err,
			)
		},
	}
}

func (c *Collector) keepAside(ctx context.Context, _ int64, some []aside) error {
	var all aside
	for _, a := range some {
		all.add(a)
	}
	if err := c.keepTexts(ctx, all.Texts); err != nil {
		return err
	}
	if len(all.States) > 0 {
		states := make([]domain.Series, len(all.States))
		for i, x := range all.States {
			states[i] = domain.Series{ID: x.ID, State: x.State, Error: x.Error}
		}
		if err := c.store.Series.SetStates(ctx, states); err != nil {
			return err
		}
	}
	if len(all.Sources) > 0 {
		if err := c.store.Sources.Set(ctx, newest(all.Sources)); err != nil {
			return err
		}
	}
	for _, x := range all.Uptimes {
		if err := c.store.Devices.SetUptimes(ctx, x.Device, x.Booted, x.Agent); err != nil {
			return err
		}
	}
	for _, x := range all.Jumps {
		if err := c.keepJump(ctx, x); err != nil {
			return err
		}
	}
	if len(all.Implausible) == 0 {
		return nil
	}
	return c.store.Implausible.Add(ctx, all.Implausible)
}

// keepTexts makes samples of texts and has them judged. A series that has too
// many different ones fails from then on.
func (c *Collector) keepTexts(ctx context.Context, texts []domain.SeriesText) error {
	if len(texts) == 0 {
		return nil
	}
	coded, full, err := c.store.Words.Code(ctx, texts)
	if err != nil {
		return err
	}
	if err := c.store.Samples.Append(ctx, coded); err != nil {
		return err
	}
	c.stats.samples.Add(int64(len(coded)))
	c.judge.samples(coded)
	if len(full) > 0 {
		return c.command(ctx, func(ctx context.Context) { c.refuse(ctx, full) })
	}
	return nil
}

// refuse lets text series fail that never stay the same.
func (c *Collector) refuse(ctx context.Context, full []domain.ID) {
	var out outcome
	for _, id := range full {
		for _, b := range c.bound {
			if bs, _ := b.find(id); bs != nil && !bs.full {
				bs.note(derive.Taken{Problem: "it had so many different texts that no new ones are kept"}, &out)
				bs.full = true
			}
		}
	}
	c.flush(ctx, &out)
}

// newest keeps the last state of each source.
func newest(sources []domain.Source) (out []domain.Source) {
	type key struct {
		device      domain.ID
		kit, source string
	}
	place := map[key]int{}
	for _, x := range sources {
		k := key{x.DeviceID, x.Kit, x.Source}
		if i, ok := place[k]; ok {
			out[i] = x
			continue
		}
		place[k] = len(out)
		out = append(out, x)
	}
	return out
}
