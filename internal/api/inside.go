package api

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/fitting"
	"tirelessowl/internal/service/watch"
)

// Part is something inside a device that comes in rows.
type Part struct {
	ID       int64   `json:"id" example:"40"`
	DeviceID int64   `json:"device_id" example:"12"`
	Kit      string  `json:"kit" example:"interfaces"`
	Kind     string  `json:"kind" example:"interface"`
	Key      string  `json:"key" example:"eth0" doc:"Unique among the parts of its kind, and stays"`
	Index    string  `json:"index" example:"1" doc:"Of its row in the table of the device"`
	Called   string  `json:"called" example:"eth0" doc:"What the device calls it, which others may be called, too"`
	Name     string  `json:"name" example:"eth0"`
	Marks    string  `json:"marks" doc:"What only this thing has, such as a hardware address"`
	Reason   string  `json:"reason" doc:"Why the row is taken for this part"`
	Note     string  `json:"note"`
	Speed    float64 `json:"speed" example:"1000000000" doc:"In bit/s; 0 where that is not known"`
	GoneAt   Moment  `json:"gone_at" doc:"Since when the device does not tell of it any more"`
}

func partOf(p domain.Part) Part {
	return Part{
		ID:       p.ID,
		DeviceID: p.DeviceID,
		Kit:      p.Kit,
		Kind:     p.Kind,
		Key:      p.Key,
		Index:    p.Index,
		Called:   p.Called,
		Name:     p.Name,
		Marks:    p.Marks,
		Reason:   p.Reason,
		Note:     p.Note,
		Speed:    p.Speed,
		GoneAt:   Moment{p.GoneAt},
	}
}

func (p Part) at(order string) (string, domain.ID) {
	if order == "name" {
		return p.Name, p.ID
	}
	return "", p.ID
}

// Series is the stored values of one reading on one device or part.
type Series struct {
	ID              int64  `json:"id" example:"815"`
	DeviceID        int64  `json:"device_id" example:"12"`
	PartID          Ref    `json:"part_id" doc:"null where the device itself is meant"`
	Kit             string `json:"kit" example:"interfaces"`
	Reading         string `json:"reading" example:"traffic-in"`
	Name            string `json:"name" example:"Traffic in"`
	Unit            string `json:"unit" example:"bit/s"`
	Kind            string `json:"kind" example:"number" enum:"number,state,text"`
	IntervalSeconds int    `json:"interval_seconds" example:"60"`
	State           string `json:"state" example:"ok" enum:"waiting,ok,failing,absent,off"`
	Error           string `json:"error" example:""`
}

func seriesOf(s domain.Series) Series {
	return Series{
		ID:              s.ID,
		DeviceID:        s.DeviceID,
		PartID:          Ref(s.PartID),
		Kit:             s.Kit,
		Reading:         s.Reading,
		Name:            s.Name,
		Unit:            s.Unit,
		Kind:            string(s.Kind),
		IntervalSeconds: int(s.Interval / time.Second),
		State:           string(s.State),
		Error:           s.Error,
	}
}

// Reading is a series with its newest value.
type Reading struct {
	Series
	Value         *float64     `json:"value" doc:"The newest value; null while it waits for its first one"`
	At            Moment       `json:"at"`
	PreviousValue *float64     `json:"previous_value"`
	Stood         *Run         `json:"stood,omitempty"`
	Implausible   *Implausible `json:"implausible,omitempty"`
}

func (r Reading) at(order string) (string, domain.ID) {
	if order == "name" {
		return r.Name, r.ID
	}
	return "", r.ID
}

// Run is how long one value stood.
type Run struct {
	From  Moment  `json:"from" doc:"Of its first sample"`
	Until Moment  `json:"until" doc:"Of its last sample"`
	Count int     `json:"count" doc:"Samples" example:"60"`
	Value float64 `json:"value" example:"1"`
	Text  string  `json:"text" doc:"Of a text, or the word for a state" example:"up"`
}

func runOf(r domain.Run) Run {
	return Run{Moment{r.From}, Moment{r.Until}, r.Count, r.Value, r.Text}
}

// Implausible are the values of a series that cannot be.
type Implausible struct {
	Count   int64    `json:"count"`
	FirstAt Moment   `json:"first_at"`
	LastAt  Moment   `json:"last_at"`
	Reason  string   `json:"reason"`
	Newest  []Sample `json:"newest" nullable:"false" doc:"The newest first, at most ten"`
}

// Sample is one value at one time.
type Sample struct {
	At    Moment  `json:"at"`
	Value float64 `json:"value" example:"0.25"`
}

func readingOf(x watch.Reading) Reading {
	r := Reading{Series: seriesOf(x.Series)}
	if x.Latest != nil {
		r.Value, r.At, r.PreviousValue = &x.Latest.Value, Moment{x.Latest.At}, x.Latest.BeforeValue
	}
	if x.Stood != nil {
		stood := runOf(*x.Stood)
		r.Stood = &stood
	}
	if i := x.Implausible; i != nil {
		newest := every(i.Newest, func(s domain.Sample) Sample { return Sample{Moment{s.At}, s.Value} })
		r.Implausible = &Implausible{i.Count, Moment{i.FirstAt}, Moment{i.LastAt}, i.Reason, newest}
	}
	return r
}

// Source is how asking a device for one thing goes.
type Source struct {
	Kit     string `json:"kit" example:"interfaces"`
	Source  string `json:"source" example:"counters"`
	Title   string `json:"title" example:"Counters of interfaces"`
	Way     string `json:"way" example:"snmp"`
	State   string `json:"state" example:"ok" doc:"Empty while it was not asked" enum:",ok,failing,absent"`
	Error   string `json:"error" example:""`
	Failure string `json:"failure" example:"" doc:"Its kind, such as silent"`
	Faulty  bool   `json:"faulty" example:"false" doc:"It failed often enough that what hangs on it is not known"`
	Since   Moment `json:"since"`
	Advice  string `json:"advice" doc:"What helps, where that is known"`
	Every   int    `json:"every_s" example:"60" doc:"How often it is asked, in seconds"`
	RanAt   Moment `json:"ran_at" doc:"When it was asked last; null for not since the application started"`
	Took    int    `json:"took_ms" example:"14" doc:"How long that took"`
	Rows    int    `json:"rows" example:"24" doc:"That came"`
}

func sourceOf(s watch.Source) Source {
	return Source{
		Kit:     s.Kit,
		Source:  s.Source.Source,
		Title:   s.Title,
		Way:     s.Way,
		State:   string(s.State),
		Error:   s.Error,
		Failure: s.Failure,
		Faulty:  s.Faulty,
		Since:   Moment{s.Since},
		Advice:  s.Advice,
		Every:   int(s.Every.Seconds()),
		RanAt:   Moment{s.Ran.At},
		Took:    int(s.Ran.Took.Milliseconds()),
		Rows:    s.Ran.Rows,
	}
}

func (s Source) at(string) (string, domain.ID) { return s.Kit + " " + s.Source, 0 }

// OfThing picks part of a list of one thing.
type OfThing struct {
	ByID
	Paging
}

// DeviceNeighbour is what stands at a port of a device.
type DeviceNeighbour struct {
	Port       string `json:"port" example:"port1"`
	Name       string `json:"name" example:"np-sw-1" doc:"What it calls itself"`
	RemotePort string `json:"remote_port" example:"port24"`
	DeviceID   Ref    `json:"device_id" doc:"Where it is watched"`
	Why        string `json:"why"`
}

func (n DeviceNeighbour) at(string) (string, domain.ID) { return n.Port + " " + n.Name, 0 }

func neighbourOf(n domain.Neighbour) DeviceNeighbour {
	return DeviceNeighbour{n.Port, n.Name, n.RemotePort, Ref(n.DeviceID), n.Why}
}

func (a *api) insideDevices() {
	list(a, operation{http.MethodGet, "/devices/{id}/parts", "List the parts of a device", domain.AreaWatch, domain.AccessSee},
		orders{"id", "name"},
		func(ctx context.Context, in OfThing) ([]Part, error) {
			parts, err := a.Watch.Parts(ctx, caller(ctx), in.ID)
			return every(parts, partOf), err
		})
	list(a, operation{http.MethodGet, "/devices/{id}/readings", "List the readings of a device with their newest values", domain.AreaWatch,
		domain.AccessSee}, orders{"id", "name"},
		func(ctx context.Context, in OfThing) ([]Reading, error) {
			readings, err := a.Watch.Readings(ctx, caller(ctx), in.ID)
			return every(readings, readingOf), err
		})
	list(a, operation{http.MethodGet, "/devices/{id}/sources", "List what a device is asked, and how that goes", domain.AreaWatch,
		domain.AccessSee}, orders{"source"},
		func(ctx context.Context, in OfThing) ([]Source, error) {
			sources, err := a.Watch.Sources(ctx, caller(ctx), in.ID)
			return every(sources, sourceOf), err
		})
	list(a, operation{http.MethodGet, "/devices/{id}/neighbours", "List what stands next to a device, as the newest sweep heard",
		domain.AreaWatch, domain.AccessSee}, orders{"port"},
		func(ctx context.Context, in OfThing) ([]DeviceNeighbour, error) {
			links, err := a.Watch.Neighbours(ctx, caller(ctx), in.ID)
			return every(links, neighbourOf), err
		})
	a.fittedKits()
	a.endpoints()
	a.additions()
	a.queries()
}

// FittedKit is a kit on a device, with what is set for it there.
type FittedKit struct {
	Kit        string            `json:"kit" example:"interfaces"`
	Title      string            `json:"title" example:"Interfaces"`
	Version    int               `json:"version" example:"2"`
	Parameters map[string]string `json:"parameters" nullable:"false" doc:"Those that differ from what the kit says"`
	By         string            `json:"by" enum:"hand,rule,kit" doc:"A person, a fitting rule, or a kit that brings it along"`
	Who        string            `json:"who" doc:"The person, where that is known"`
	Rule       string            `json:"rule" doc:"The name of the rule"`
	Inside     string            `json:"inside" doc:"The kit that brings it along"`
	Since      Moment            `json:"since"`
	Why        why.Trace         `json:"why"`
	ETag       string            `json:"etag" readOnly:"true" doc:"Of the parameters, for If-Match"`
}

func (k FittedKit) at(string) (string, domain.ID) { return k.Kit, 0 }

func (a *api) fitted(ctx context.Context, who access.Actor, device domain.ID) ([]FittedKit, error) {
	all, err := a.Kits.FittedTo(ctx, who, device)
	if err != nil {
		return nil, err
	}
	decided, err := a.Fitting.Of(ctx, who, device)
	if err != nil {
		return nil, err
	}
	by := map[string]fitting.Fitted{}
	for _, d := range decided {
		by[d.Kit] = d
	}
	out := []FittedKit{}
	for _, f := range all {
		d := by[f.Kit.Name]
		values := f.Parameters
		if values == nil {
			values = map[string]string{}
		}
		out = append(out, FittedKit{f.Kit.Name, f.Kit.Title, f.Kit.Version, values,
			string(d.By), d.Said.Who, d.Ruled, d.Inside, Moment{d.Said.Since}, d.Why, quoted(f.Mark)})
	}
	return out, err
}

func (a *api) fittedKits() {
	list(a, operation{http.MethodGet, "/devices/{id}/kits", "List the kits that are fitted to a device", domain.AreaCollect,
		domain.AccessSee}, orders{"kit"},
		func(ctx context.Context, in OfThing) ([]FittedKit, error) { return a.fitted(ctx, caller(ctx), in.ID) })
	type parameters struct {
		ByID
		IfMatch
		Kit  string `path:"kit" maxLength:"200" example:"interfaces"`
		Body struct {
			Parameters map[string]string `json:"parameters" doc:"All of them; those that are left out are as the kit says"`
		}
	}
	add(a, operation{http.MethodPut, "/devices/{id}/kits/{kit}", "Change the parameters of a kit on a device", domain.AreaCollect,
		domain.AccessConfigure},
		func(ctx context.Context, in *parameters) (*Body[FittedKit], error) {
			if err := a.Kits.SetParameters(ctx, caller(ctx), in.ID, in.Kit, in.Body.Parameters, in.mark()); err != nil {
				return nil, err
			}
			all, err := a.fitted(ctx, caller(ctx), in.ID)
			if err != nil {
				return nil, err
			}
			for _, k := range all {
				if k.Kit == in.Kit {
					return one(k, nil)
				}
			}
			return nil, fmt.Errorf("%w: the kit is not fitted", domain.ErrNotFound)
		})
}
